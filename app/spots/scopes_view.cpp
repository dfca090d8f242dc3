#include "app/spots/scopes_view.h"

#include "app/widgets/theme.h"

#include <QPainter>
#include <QPainterPath>
#include <cmath>

namespace ulm::app {
namespace {

constexpr int kWave = 96, kHistogram = 58, kGap = 8, kWords = 15;

Scopes scopesOfImage(const QImage& image) {
    if (image.isNull()) return scopesOf(nullptr, 0, 0, 0);
    // A sample of the pixels tells as much as all of them.
    const QImage small = image
                             .scaled(std::min(image.width(), 360), std::min(image.height(), 360), Qt::KeepAspectRatio,
                                     Qt::FastTransformation)
                             .convertToFormat(QImage::Format_RGB888);
    return scopesOf(small.constBits(), small.width(), small.height(), small.bytesPerLine());
}

// Shares as depth of ink: the square root lets rare ones show.
QImage inked(const std::vector<float>& shares, int columns, int rows, double full, const QColor& ink) {
    QImage image(columns, rows, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::transparent);
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const double v = shares[std::size_t(y) * std::size_t(columns) + std::size_t(x)] / full;
            if (v <= 0) continue;
            QColor c = ink;
            c.setAlphaF(float(std::min(1.0, 0.12 + std::sqrt(v))));
            image.setPixelColor(x, y, c);
        }
    return image;
}

} // namespace

ScopesView::ScopesView(Live& live, QWidget* parent) : QWidget(parent), live_(live) {
    setObjectName("scopes");
    setAccessibleName(tr("Scopes"));
    setFixedHeight(sizeHint().height());
    setToolTip(tr("Before at the left, after at the right. Waveform: brightness from left to right of the picture, "
                  "black below. Histogram: red, green, blue from dark to bright. Vectorscope: colours around grey; "
                  "the line is where skin lies."));
    before_ = after_ = scopesOf(nullptr, 0, 0, 0);
    connect(&live.table(), &TableModel::updated, this, &ScopesView::measure);
}

void ScopesView::showEvent(QShowEvent*) { measure(); }

void ScopesView::measure() {
    if (!isVisible()) return;
    before_ = scopesOfImage(live_.table().before());
    after_ = scopesOfImage(live_.table().after());
    update();
}

void ScopesView::paintSide(QPainter& p, const QRect& all, const Scopes& s, const QString& words) {
    const Theme& t = Theme::now();
    const QRect wave(all.x(), all.y() + kWords, all.width(), kWave),
        histogram(all.x(), wave.bottom() + kGap, all.width(), kHistogram),
        vector(all.x(), histogram.bottom() + kGap, all.width(), all.width());
    p.setPen(t.ink);
    p.setFont(app::words(8.5));
    p.drawText(QRect(all.x(), all.y(), all.width(), kWords - 2), Qt::AlignLeft | Qt::AlignVCenter, words);
    p.setFont(figures(8));
    p.setPen(s.black + s.white > 0.01 ? t.emberInk : t.faint);
    p.drawText(QRect(all.x(), all.y(), all.width(), kWords - 2), Qt::AlignRight | Qt::AlignVCenter,
               tr("%1 · %2 %").arg(100 * s.black, 0, 'f', 1).arg(100 * s.white, 0, 'f', 1));
    for (const QRect& r : {wave, histogram, vector}) p.fillRect(r, t.paper);
    p.setPen(QPen(t.paperLine, 1, Qt::DotLine));
    for (const double level : {0.25, 0.5, 0.75})
        p.drawLine(wave.x(), wave.y() + int(level * wave.height()), wave.right(),
                   wave.y() + int(level * wave.height()));
    p.drawImage(wave, inked(s.waveform, Scopes::kColumns, Scopes::kLevels, 0.12, t.ink));
    // Channels as lines, each over the other: where they part there is colour.
    float most = 1e-6f;
    for (const auto& channel : s.levels)
        for (std::size_t i = 2; i < 254; ++i) most = std::max(most, channel[i]);
    const QColor lines[] = {QColor(176, 54, 40), QColor(64, 122, 50), QColor(44, 84, 160)};
    p.setRenderHint(QPainter::Antialiasing);
    for (std::size_t c = 0; c < 3; ++c) {
        QPainterPath path;
        for (int x = 0; x < histogram.width(); ++x) {
            const int a = x * 256 / histogram.width(), b = std::max(a + 1, (x + 1) * 256 / histogram.width());
            float v = 0;
            for (int i = a; i < b; ++i) v = std::max(v, s.levels[c][std::size_t(i)]);
            const double y = histogram.bottom() - std::min(1.0, std::sqrt(double(v / most))) * (histogram.height() - 2);
            x ? path.lineTo(histogram.x() + x, y) : path.moveTo(histogram.x(), y);
        }
        p.setPen(QPen(lines[c], 1));
        p.drawPath(path);
    }
    p.setRenderHint(QPainter::Antialiasing, false);
    // Colours are mostly pale: shown are those of up to 60 % of full saturation.
    constexpr int kInner = Scopes::kLevels * 6 / 10, kFrom = (Scopes::kLevels - kInner) / 2;
    const QImage colours = inked(s.colours, Scopes::kLevels, Scopes::kLevels, 0.01, t.ink);
    p.setPen(QPen(t.paperLine, 1, Qt::DotLine));
    p.drawLine(vector.center().x(), vector.y(), vector.center().x(), vector.bottom());
    p.drawLine(vector.x(), vector.center().y(), vector.right(), vector.center().y());
    // Skin of all complexions lies about here.
    const double angle = 123 * M_PI / 180, reach = vector.width() * 0.48;
    p.setPen(QPen(t.slate, 1));
    p.drawLine(QPointF(vector.center()), QPointF(vector.center()) + QPointF(std::cos(angle), -std::sin(angle)) * reach);
    p.drawImage(vector, colours, QRect(kFrom, kFrom, kInner, kInner));
}

void ScopesView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const int side = (width() - kGap) / 2;
    paintSide(p, {0, 0, side, height()}, before_, tr("Before"));
    paintSide(p, {width() - side, 0, side, height()}, after_, tr("After"));
}

} // namespace ulm::app
