#include "app/widgets/theme.h"

#include <QApplication>
#include <QEvent>
#include <QFile>
#include <QFontDatabase>
#include <QLabel>
#include <QPainter>
#include <QPalette>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <QTextDocument>

namespace ulm::app {
namespace {

Theme day() {
    return {false,     "#d9d4c9", "#cdc7ba", "#b7b0a1", "#f3efe6", "#fdfbf6", "#d8d1c2", "#2b2a26",
            "#67635a", "#5d7f3b", "#c9622d", "#a3481a", "#5f6f7a", "#757575", "#ffffff", "#dedede"};
}

Theme night() {
    return {true,      "#262522", "#1d1c1a", "#46433c", "#33312c", "#3c3a34", "#4c4941", "#efeae0",
            "#b3ada0", "#8fb564", "#e58a55", "#f0a273", "#9db0bd", "#5a5a5a", "#ffffff", "#d2d2d2"};
}

Theme current = day();

QString styleSheet(const Theme& t) {
    QString s = R"(
QToolTip { color: @ink; background: @open; border: 1px solid @line; padding: 4px; }
QPushButton { color: @ink; background: @paper; border: 1px solid @line; padding: 5px 12px; }
QPushButton:hover { background: @open; }
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus { border: 1px solid @ink; }
QPushButton:disabled { color: @faint; }
QPushButton[main="true"] { color: @paper; background: @ink; border: 1px solid @ink; font-weight: bold; }
QPushButton[main="true"]:hover { background: @elm; }
QPushButton[main="true"]:disabled { background: @line; color: @faint; border-color: @line; }
QToolButton { border: 1px solid transparent; background: transparent; padding: 3px; color: @ink; }
QToolButton:hover { background: @plain; }
#looks QToolButton { border: 2px solid transparent; padding: 2px; }
#looks QToolButton:checked, #looks QToolButton:focus { border: 2px solid @ink; }
#looks QToolButton:focus:!checked { border-style: dotted; }
QComboBox, QLineEdit { color: @ink; background: @open; border: 1px solid @line; padding: 2px 6px; min-height: 20px; }
QComboBox QAbstractItemView { color: @ink; background: @open; selection-background-color: @line; selection-color: @ink; }
QMenu { color: @ink; background: @open; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 5px 18px; } QMenu::item:selected { background: @plain; }
QMenu::item:disabled { color: @faint; background: transparent; }
QScrollArea { border: none; background: transparent; }
QScrollBar:vertical { width: 8px; background: transparent; } QScrollBar::handle:vertical { background: @line; min-height: 24px; }
QScrollBar:horizontal { height: 8px; background: transparent; } QScrollBar::handle:horizontal { background: @line; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QLabel { color: @ink; }
QCheckBox { color: @ink; spacing: 7px; }
QCheckBox::indicator { width: 12px; height: 12px; border: 1px solid @ink; background: @open; }
QCheckBox::indicator:checked { image: url(@tick); }
QCheckBox:focus { border-bottom: 1px dotted @ink; }
)";
    const std::pair<const char*, QColor> names[] = {{"@ink", t.ink},        {"@open", t.paperOpen}, {"@paper", t.paper},
                                                    {"@line", t.line},      {"@faint", t.faint},    {"@elm", t.elm},
                                                    {"@plain", t.paperLine}};
    s.replace("@tick", t.night ? ":/icons/tick-night.svg" : ":/icons/tick.svg");
    for (const auto& [k, v] : names) s.replace(QLatin1String(k), v.name());
    return s;
}

} // namespace

const Theme& Theme::now() { return current; }

void Theme::use(QApplication& app, bool night) {
    current = night ? ulm::app::night() : day();
    QPalette p;
    p.setColor(QPalette::Window, current.chrome);
    p.setColor(QPalette::WindowText, current.ink);
    p.setColor(QPalette::Base, current.paperOpen);
    p.setColor(QPalette::Text, current.ink);
    p.setColor(QPalette::Button, current.paper);
    p.setColor(QPalette::ButtonText, current.ink);
    p.setColor(QPalette::Highlight, current.elm);
    p.setColor(QPalette::HighlightedText, current.paperOpen);
    app.setPalette(p);
    app.setStyleSheet(styleSheet(current));
}

namespace {

// A file's name is never read as HTML: labels that show such text on purpose say so themselves. Tips of ours are
// written in it.
class PlainLabels : public QObject {
public:
    using QObject::QObject;
    bool eventFilter(QObject* watched, QEvent* e) override {
        if (e->type() == QEvent::Polish)
            if (auto* label = qobject_cast<QLabel*>(watched);
                label && label->textFormat() == Qt::AutoText && !label->inherits("QTipLabel"))
                label->setTextFormat(Qt::PlainText);
        return false;
    }
};

} // namespace

void prepareLook(QApplication& app, bool night) {
    app.installEventFilter(new PlainLabels(&app));
    for (const char* font : {":/Manrope-Medium.ttf", ":/Manrope-Bold.ttf", ":/OpenSans-Regular.ttf"})
        QFontDatabase::addApplicationFont(font);
    app.setStyle(QStyleFactory::create("Fusion"));
    app.setFont(words(9));
    Theme::use(app, night);
}

QFont words(double points, bool bold) {
    QFont f("Manrope");
    f.setPixelSize(static_cast<int>(points * 4 / 3 + 0.5));
    f.setWeight(bold ? QFont::Bold : QFont::Medium);
    return f;
}

QFont figures(double points) {
    QFont f("Open Sans"); // its digits have one width, its points and colons their own
    f.setPixelSize(static_cast<int>(points * 4 / 3 + 0.5));
    return f;
}

QString onButton(QString text) { return text.replace('&', "&&"); }

QString onTip(const QString& text) { return Qt::convertFromPlainText(text, Qt::WhiteSpaceNormal); }

QIcon icon(const QString& name, const QColor& colour) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QIODevice::ReadOnly)) return {};
    const QByteArray svg = file.readAll().replace("#000", colour.name().toUtf8());
    QSvgRenderer renderer(svg);
    QIcon out;
    for (const int size : {16, 20, 24, 48}) {
        QPixmap p(size, size);
        p.fill(Qt::transparent);
        QPainter painter(&p);
        renderer.render(&painter);
        out.addPixmap(p);
    }
    return out;
}

} // namespace ulm::app
