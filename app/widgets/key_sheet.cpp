#include "app/widgets/key_sheet.h"

#include "app/widgets/theme.h"

#include <QGridLayout>
#include <QLabel>
#include <QVBoxLayout>
#include <iterator>

namespace ulm::app {

KeySheet::KeySheet(QWidget* parent) : QWidget(parent) {
    setObjectName("keySheet");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(24, 18, 24, 18);
    auto* title = new QLabel(tr("Keys"));
    title->setFont(ulm::app::words(14, true));
    all->addWidget(title);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(28);
    grid->setVerticalSpacing(9);
    all->addLayout(grid);
    all->addStretch();
    const std::pair<QString, QString> rows[] = {
        {tr("Ctrl+O"), tr("add clips")},
        {tr("A"), tr("put all advice on the ticket")},
        {tr("Alt+1 … Alt+9"), tr("tick a destination")},
        {tr("Ctrl+Return"), tr("add to run list")},
        {tr("Ctrl+S"), tr("save the ticket in a file")},
        {tr("Ctrl+Z, Ctrl+Shift+Z"), tr("undo, redo a ticket change; undo also brings back clips taken off")},
        {tr("Ctrl+1 … Ctrl+4"), tr("Bench, Trials, run list, Proof")},
        {tr("Ctrl+Tab"), tr("next clip")},
        {tr("Ctrl+click a clip"), tr("mark it; right click: what is done with all marked")},
        {tr("Space, Shift+Space"), tr("play the original, the result")},
        {tr("J, K, L"), tr("shuttle back, stop, on (again: faster)")},
        {tr("[, ]"), tr("cut before, after")},
        {tr("N, Shift+N, M"), tr("next, previous finding; the worst frame")},
        {tr("← →  (Shift: ten)"), tr("one frame back, on")},
        {tr("Alt+← →"), tr("one delivered frame back, on: those made in between too")},
        {tr("Home, End"), tr("first, last frame")},
        {tr("I, O, X (Shift: all)"), tr("stretch begins, ends here; clear it")},
        {tr("Shift+I"), tr("a further stretch begins here")},
        {tr("Del, U"), tr("leave the stretch out; join all stretches")},
        {tr("W, E, R, T"), tr("Wipe, Pair, Flip, Difference")},
        {tr("F (held)"), tr("show the other side")},
        {tr("0, 1, 2, 4, 5, P"), tr("fit, 100, 200, 400, 50 %, phone")},
        {tr("V, S, C, F11"), tr("fault overlay, safe areas, scopes, full screen")},
        {tr("G"), tr("the clip in all ticked shapes")},
        {tr("Trials: ↑ ↓, 1, 2, 4"), tr("one spot, all spots; 100, 200, 400 %")},
        {tr("wheel, drag"), tr("zoom at the pointer, move the picture")},
        {tr("Shift+drag"), tr("move the crop")},
        {tr("double-click the picture"), tr("add a spot there")},
        {tr("slider: ← → wheel"), tr("fine-tune (Shift: five steps)")},
        {tr("slider: Home, P, Return"), tr("dock to the reading, pin, type a number")},
        {tr("Ctrl+N"), tr("day or night paper")},
        {tr("Ctrl+, and Ctrl+Q"), tr("preferences; quit")},
        {tr("?"), tr("this page, and back")}};
    // Two columns of pairs.
    constexpr int kPairs = std::size(rows), kDown = (kPairs + 1) / 2;
    for (int i = 0; i < kPairs; ++i) {
        const int column = 2 * (i / kDown);
        auto* k = new QLabel(rows[i].first);
        k->setFont(figures(9));
        grid->addWidget(k, i % kDown, column, Qt::AlignTop);
        auto* does = new QLabel(rows[i].second);
        does->setWordWrap(true); // no page may need more room than the narrowest window has
        grid->addWidget(does, i % kDown, column + 1, Qt::AlignTop);
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
}

} // namespace ulm::app
