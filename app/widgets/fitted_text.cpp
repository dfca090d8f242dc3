#include "app/widgets/fitted_text.h"

#include <QFontMetrics>
#include <QTextLayout>
#include <algorithm>

namespace ulm::app {

QStringList fittedLines(const QString& text, const QFont& font, int width, int height) {
    const QFontMetrics metrics(font);
    const int most = std::max(1, height / metrics.lineSpacing());
    QTextLayout layout(text, font);
    layout.beginLayout();
    QStringList lines;
    for (QTextLine line = layout.createLine(); line.isValid(); line = layout.createLine()) {
        line.setLineWidth(width);
        const QString rest = text.mid(line.textStart());
        if (static_cast<int>(lines.size()) + 1 == most) {
            lines << metrics.elidedText(rest, Qt::ElideRight, width);
            break;
        }
        lines << text.mid(line.textStart(), line.textLength()).trimmed();
    }
    layout.endLayout();
    return lines;
}

} // namespace ulm::app
