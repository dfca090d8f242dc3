// A row that Frame alone has: what the crop follows, and the places set by hand.
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/ticket/frame_step.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace ulm::app {

QWidget* StepRows::pinsRow(StepBlock* block, const TicketKey& k) {
    auto* all = new QWidget;
    auto* column = new QVBoxLayout(all);
    column->setContentsMargins(96, 2, 0, 2);
    auto* why = new QLabel;
    why->setObjectName("frame.why");
    why->setFont(app::words(8.5));
    why->setWordWrap(true);
    column->addWidget(why);
    auto* row = new QHBoxLayout;
    auto* pick = new QPushButton(tr("Follow what I click…"));
    pick->setObjectName("pickSubject");
    pick->setToolTip(tr("Then click on the thing or person that the crop is to keep in sight, through this shot."));
    auto* clear = new QToolButton;
    clear->setObjectName("frame.pins.none");
    clear->setToolTip(tr("Take off all places that were set by hand"));
    row->addWidget(pick);
    row->addWidget(clear);
    row->addStretch();
    column->addLayout(row);
    block->rows()->addWidget(all);
    connect(pick, &QPushButton::clicked, this, &StepRows::subjectWanted);
    connect(clear, &QToolButton::clicked, this, [this, &k] { set(k.path, ""); });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry& c) {
        const std::size_t pins = pinsFrom(t.frame.pins).size();
        clear->setText(counted(pins, tr("Free 1 place"), tr("Free %1 places")));
        clear->setVisible(pins > 0);
        const Inspection* i = c.found();
        const SubjectShot* shot = i ? i->subject.shotOf(c.playhead) : nullptr;
        if (!shot) {
            why->setText(i && i->complete ? tr("This clip is too long to look for its subject in every frame.")
                                          : tr("The subject is found when the clip has been looked over."));
            return;
        }
        QStringList reasons;
        std::vector<std::pair<double, QString>> weights = {{shot->faces, tr("a face")},
                                                           {shot->things, shot->being == Being::Person ? tr("a person")
                                                                          : shot->being == Being::Animal
                                                                              ? tr("an animal")
                                                                              : tr("a thing that moves")},
                                                           {shot->movement, tr("what moves")},
                                                           {shot->contrast, tr("what stands out")}};
        std::ranges::stable_sort(weights, std::greater{}, &std::pair<double, QString>::first);
        for (const auto& [share, what] : weights)
            if (share >= 0.1 || reasons.isEmpty())
                reasons << tr("%1\u00a0%2\u00a0%").arg(what).arg(std::lround(100 * share));
        const QString sure = shot->confidence < 0.12 ? tr("; hardly more than the rest: look at it") : QString();
        QString text = tr("In this shot: %1%2.").arg(reasons.join(", "), sure);
        if (shot->second >= kSecondSubject)
            text += tr(" Beside it a second one, %1\u00a0% as strong.").arg(std::lround(100 * shot->second));
        else if (t.frame.follow == "two")
            text += tr(" No second one: the first alone is followed.");
        why->setText(text);
    });
    return all;
}

} // namespace ulm::app
