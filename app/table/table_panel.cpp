#include "app/table/table_panel.h"

#include "app/table/shapes_strip.h"
#include "app/table/table_bar.h"
#include "app/words/sentences.h"

#include <QHBoxLayout>
#include <QInputDialog>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>

namespace ulm::app {

TablePanel::TablePanel(Project& project, Live& live, QWidget* parent)
    : QWidget(parent), project_(project), live_(live) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* bar = new TableBar;
    bar->setStyleSheet("#tableBar{background:#5f5f5f} QToolButton{color:#ffffff;padding:5px "
                       "4px;border:none;border-bottom:2px solid transparent}"
                       "QToolButton:hover{background:#6c6c6c} QToolButton:checked{border-bottom:2px solid "
                       "#ffffff;font-weight:bold} QToolButton:focus{background:#6c6c6c}");
    QHBoxLayout* row = bar->addGroup();
    table_ = new ViewingTable(project, live);
    const auto add = [&](const QString& name, const QString& object, const QString& tip, bool checks, auto what) {
        auto* b = new QToolButton;
        b->setText(name);
        b->setObjectName(object);
        b->setCheckable(checks);
        b->setToolTip(tip);
        connect(b, &QToolButton::clicked, this, what);
        row->addWidget(b);
        return b;
    };
    using Compare = ViewingTable::Compare;
    std::vector<std::pair<QToolButton*, Compare>> compares;
    for (const auto& [name, object, tip, how] :
         {std::tuple{tr("Wipe"), "compare.wipe", tr("A divider at any angle: drag it, turn it by its knob (W)"),
                     Compare::Wipe},
          {tr("Pair"), "compare.pair", tr("Both side by side, zoomed and moved together (E)"), Compare::Pair},
          {tr("Flip"), "compare.flip", tr("The right side; the left while F or the mouse button is held (R)"),
           Compare::Flip},
          {tr("Difference"), "compare.difference", tr("What separates the two, amplified (T)"), Compare::Difference}})
        compares.emplace_back(add(name, object, tip, true, [this, how = how] { table_->setCompare(how); }), how);
    row = bar->addGroup();
    QToolButton* left = add({}, "side.left", tr("What the left side shows"), false,
                            [this] { openSides(true, findChild<QToolButton*>("side.left")); });
    QToolButton* right = add({}, "side.right", tr("What the right side shows"), false,
                             [this] { openSides(false, findChild<QToolButton*>("side.right")); });
    QToolButton* faults = add({}, "faults", tr("Show a fault where it is (V turns it off and on)"), true,
                              [this] { openFaults(findChild<QToolButton*>("faults")); });
    row = bar->addGroup();
    std::vector<std::pair<QToolButton*, double>> zooms;
    for (const auto& [name, object, tip, zoom] :
         {std::tuple{tr("Fit"), "zoom.fit", tr("The whole picture (0)"), 0.0},
          {tr("100 %"), "zoom.100", tr("Delivered pixels as they are (1); 50 % and 400 %: 5 and 4, or the wheel"), 1.0},
          {tr("200 %"), "zoom.200", tr("Every delivered pixel twice as large (2)"), 2.0}})
        zooms.emplace_back(add(name, object, tip, true, [this, zoom = zoom] { table_->setZoom(zoom); }), zoom);
    QToolButton* look = add(tr("Look ▾"), "look", tr("Other sizes, safe areas, full screen"), true,
                            [this] { openLook(findChild<QToolButton*>("look")); });
    all->addWidget(bar);
    all->addWidget(table_, 1);
    shapes_ = new ShapesStrip(project, live);
    all->addWidget(shapes_);
    const auto mark = [=, this] {
        for (const auto& [b, how] : compares) b->setChecked(table_->compare() == how);
        for (const auto& [b, zoom] : zooms) b->setChecked(table_->zoom() == zoom);
        look->setChecked(table_->zoom() == 0.5 || table_->zoom() == 4 || table_->zoom() == ViewingTable::kPhone ||
                         table_->safeAreas());
        left->setText(viewName(live_.table().leftView()) + " ▾");
        right->setText(viewName(live_.table().rightView()) + " ▾");
        faults->setText((live_.faults().key().isEmpty() ? tr("Faults") : faultName(live_.faults().key())) + " ▾");
        faults->setChecked(!live_.faults().key().isEmpty());
    };
    mark();
    for (const auto signal : {&ViewingTable::compareChanged, &ViewingTable::zoomChanged, &ViewingTable::optionsChanged})
        connect(table_, signal, this, mark);
    connect(&live_.table(), &TableModel::viewsChanged, this, mark);
    connect(&live_.faults(), &FaultModel::updated, this, mark);
}

void TablePanel::openSides(bool left, QToolButton* under) {
    QMenu menu(this);
    const ClipEntry* c = project_.currentClip();
    for (const View v : {View::Original, View::Result, View::Kept, View::Encoded}) {
        QString name = viewName(v);
        if (v == View::Encoded) name = tr("Encoded (about quality %1)").arg(live_.forecasts().plannedCrf(), 0, 'f', 1);
        QAction* a = menu.addAction(name, this, [=, this] {
            live_.table().setViews(left ? v : live_.table().leftView(), left ? live_.table().rightView() : v);
        });
        a->setCheckable(true);
        a->setChecked((left ? live_.table().leftView() : live_.table().rightView()) == v);
        a->setEnabled(v != View::Kept || (c && c->kept));
        if (v == View::Kept && !a->isEnabled()) a->setText(tr("Kept ticket (keep one from the ticket's menu first)"));
    }
    menu.exec(under->mapToGlobal(QPoint(0, under->height())));
}

void TablePanel::openFaults(QToolButton* under) {
    QMenu menu(this);
    const ClipEntry* c = project_.currentClip();
    const auto add = [&](QMenu& to, const QString& key, const QString& extra) {
        QAction* a = to.addAction(faultName(key) + extra, this, [=, this] { live_.faults().show(key); });
        a->setCheckable(true);
        a->setChecked(live_.faults().key() == key);
    };
    menu.addAction(tr("No overlay"), this, [this] { live_.faults().show({}); });
    add(menu, "overdone", {});
    add(menu, "paths", {});
    menu.addSeparator();
    // What the clip has comes first, with its reading; the rest stays at hand.
    QMenu* others = new QMenu(tr("Not found in this clip"), &menu);
    for (const ReadingKind& k : readingKinds()) {
        if (!k.mapped) continue;
        const Inspection* i = c ? c->found() : nullptr;
        const double v = i ? i->readings.*k.member : 0;
        add(v >= k.notable ? menu : *others, k.key, i ? "   " + readingText(k.key, v) : QString());
    }
    for (const char* key : {"face", "text", "overlay"}) {
        const Inspection* i = c ? c->found() : nullptr;
        const QString k = key;
        const std::size_t n = !i            ? 0
                              : k == "face" ? i->faces.size()
                              : k == "text" ? i->text.size()
                                            : i->overlays.size();
        add(n ? menu : *others, k, {});
    }
    menu.addMenu(others);
    menu.exec(under->mapToGlobal(QPoint(0, under->height())));
    Q_EMIT live_.faults().updated(); // the button's check mark follows the overlay, not the click
}

void TablePanel::openLook(QToolButton* under) {
    QMenu menu(this);
    const auto zoom = [&](const QString& name, double z) {
        QAction* a = menu.addAction(name, this, [=, this] { table_->setZoom(z); });
        a->setCheckable(true);
        a->setChecked(table_->zoom() == z);
    };
    zoom(tr("50 %"), 0.5);
    zoom(tr("400 %"), 4);
    zoom(tr("As on a phone"), ViewingTable::kPhone);
    menu.addAction(tr("Set the phone's size…"), this, [this] {
        bool ok = false;
        const double dpi = physicalDpiY();
        const double mm = QInputDialog::getDouble(this, tr("Phone size"),
                                                  tr("How high is the phone's screen, in millimetres?\n(This screen "
                                                     "says it has %1 pixels an inch; if a ruler "
                                                     "disagrees, correct the number until the picture fits the phone.)")
                                                      .arg(dpi, 0, 'f', 0),
                                                  table_->phoneHeight() / dpi * 25.4, 40, 400, 0, &ok);
        if (ok) table_->setPhoneHeight(mm / 25.4 * dpi);
        table_->setZoom(ViewingTable::kPhone);
    });
    menu.addSeparator();
    QAction* shapes =
        menu.addAction(tr("All ticked shapes (G)"), this, [this] { shapes_->setWanted(!shapes_->wanted()); });
    shapes->setCheckable(true);
    shapes->setChecked(shapes_->wanted());
    QAction* safe = menu.addAction(tr("Safe areas (S)"), this, [this] { table_->setSafeAreas(!table_->safeAreas()); });
    menu.addAction(tr("Scopes (C)"), this, [this] { Q_EMIT scopesWanted(); });
    safe->setCheckable(true);
    safe->setChecked(table_->safeAreas());
    for (const int gain : {4, 8, 16, 32}) {
        QAction* a = menu.addAction(tr("Difference ×%1").arg(gain), this, [=, this] {
            table_->setGain(gain);
            table_->setCompare(ViewingTable::Compare::Difference);
        });
        a->setCheckable(true);
        a->setChecked(table_->gain() == gain);
    }
    menu.addAction(tr("Divider upright again"), this, [this] { table_->setWipeAngle(0); });
    menu.addSeparator();
    menu.addAction(tr("Full screen (F11)"), this, [this] { Q_EMIT fullScreenWanted(); });
    menu.exec(under->mapToGlobal(QPoint(0, under->height())));
    Q_EMIT table_->optionsChanged();
}

} // namespace ulm::app
