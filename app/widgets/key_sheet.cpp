#include "app/widgets/key_sheet.h"

#include "app/widgets/theme.h"

#include <QGridLayout>
#include <QLabel>

namespace ulm::app {

KeySheet::KeySheet(QWidget* parent) : QDialog(parent) {
    setObjectName("keySheet");
    setWindowTitle(tr("Keys"));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(28, 24, 28, 24);
    grid->setHorizontalSpacing(28);
    grid->setVerticalSpacing(5);
    const std::pair<QString, QString> rows[] = {
        {tr("Ctrl+O"), tr("add clips")},
        {tr("Ctrl+Return"), tr("add to run list")},
        {tr("Ctrl+Z, Ctrl+Shift+Z"), tr("undo, redo a ticket change")},
        {tr("Ctrl+1 … Ctrl+4"), tr("Bench, Trials, run list, Proof")},
        {tr("Ctrl+Tab"), tr("next clip")},
        {tr("Space, Shift+Space"), tr("play the original, the result")},
        {tr("J, K, L"), tr("shuttle back, stop, on (again: faster)")},
        {tr("[, ]"), tr("cut before, after")},
        {tr("N, Shift+N, M"), tr("next, previous finding; the worst frame")},
        {tr("← →  (Shift: ten)"), tr("one frame back, on")},
        {tr("Home, End"), tr("first, last frame")},
        {tr("I, O, X (Shift: all)"), tr("stretch begins, ends here; clear it")},
        {tr("W, E, R, T"), tr("Wipe, Pair, Flip, Difference")},
        {tr("F (held)"), tr("show the other side")},
        {tr("0, 1, 2, 4, 5, P"), tr("fit, 100, 200, 400, 50 %, phone")},
        {tr("V, S, F11"), tr("fault overlay, safe areas, full screen")},
        {tr("G"), tr("the clip in all ticked shapes")},
        {tr("wheel, drag"), tr("zoom at the pointer, move the picture")},
        {tr("Shift+drag"), tr("move the crop")},
        {tr("double-click the picture"), tr("add a spot there")},
        {tr("slider: ← → wheel"), tr("fine-tune (Shift: five steps)")},
        {tr("slider: Home, P, Return"), tr("dock to the reading, pin, type a number")},
        {tr("Ctrl+N"), tr("day or night paper")},
        {tr("?"), tr("this page")}};
    int i = 0;
    for (const auto& [key, what] : rows) {
        auto* k = new QLabel(key);
        k->setFont(figures(9));
        grid->addWidget(k, i, 0);
        grid->addWidget(new QLabel(what), i++, 1);
    }
}

} // namespace ulm::app
