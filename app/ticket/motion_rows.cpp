// What Motion's controls tell of the clip: what rates make of it, judder, and where pictures in between are doubtful.
#include "app/ticket/judder_gauge.h"
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"
#include "core/pipeline/cadence.h"
#include "core/ticket/between_places.h"

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

QString link(const QString& to, const QString& words) {
    return QString("<a href=\"%1\" style=\"color:%2\">%3</a>").arg(to, Theme::now().ink.name(), words);
}

QString wayName(BetweenWay way) {
    return way == BetweenWay::Rebuild ? StepRows::tr("rebuilt")
           : way == BetweenWay::Blend ? StepRows::tr("blended")
                                      : StepRows::tr("held");
}

} // namespace

// What each usual rate keeps of this clip, and what it has to make up.
void StepRows::addCadences(StepBlock* block) {
    auto* line = new QLabel;
    line->setObjectName("motion.cadences");
    line->setContentsMargins(96, 0, 0, 2);
    line->setWordWrap(true);
    line->setFont(app::words(8.5));
    line->setToolTip(tr("Made up: frames in between that were not filmed. Judder: by how much movement strays where "
                        "frames are repeated or left out instead."));
    block->rows()->addWidget(line);
    auto* gauge = new JudderGauge;
    block->rows()->addWidget(gauge);
    // Other steps' sliders change nothing of it.
    struct Seen {
        Ticket::Stretch stretch;
        Ticket::Motion motion;
        std::shared_ptr<const Inspection> found;
        const Clip* clip = nullptr;
        bool operator==(const Seen&) const = default;
    };
    refreshers_.push_back([line, gauge, last = Seen{}](const Ticket& t, const ClipEntry& c) mutable {
        const Seen now{t.stretch, t.motion, c.inspection, c.clip.get()};
        if (!c.clip || now == last) return;
        last = now;
        QStringList all;
        try {
            gauge->show(judderOf(c.clip, t, c.known()));
            for (const Cadence& one : cadencesOf(c.clip, t, c.known(), {30, 50, 60}))
                all << QString::fromStdString(told(one));
        } catch (const Error&) { // the stretch or the length is told of where it is set
        }
        line->setText(all.join("\n"));
    });
}

// Where pictures in between are most doubtful, and where they are made otherwise; links go there and undo it.
void StepRows::addDoubt(StepBlock* block) {
    auto* line = new QLabel;
    line->setObjectName("motion.doubt");
    line->setContentsMargins(96, 0, 0, 2);
    line->setWordWrap(true);
    line->setTextFormat(Qt::RichText);
    line->setFont(app::words(8.5));
    line->setToolTip(
        tr("Doubt: the error to be expected on the worst fiftieth of a picture, in steps of 8 bit; from %1 on look at "
           "what was made there. Mark a stretch on the reel and choose by the right button how frames "
           "between are made in it.")
            .arg(kDoubtful));
    block->rows()->addWidget(line);
    const auto show = [this, line] {
        const ClipEntry* c = project_.currentClip();
        const DoubtModel& model = live_.doubts();
        QStringList said;
        if (const auto worst = model.worst(); worst && c && c->clip) {
            const QString at = timeText(c->clip->secondsAt(worst->frame));
            said << (worst->steps >= kDoubtful ? tr("Most doubtful at %1 (%2).")
                                               : tr("Nothing doubtful; most at %1 (%2)."))
                        .arg(link("worst", at))
                        .arg(worst->steps, 0, 'f', 0);
            if (model.done() < 1) said.last() += tr(" Looked at %1 %.").arg(std::lround(100 * model.done()));
        } else if (model.done() < 1) {
            said << tr("Looking for doubtful frames…");
        }
        const auto places = betweenPlacesFrom(project_.shownTicket().motion.places);
        for (std::size_t i = 0; i < places.size(); ++i)
            said << tr("%1 to %2: %3 %4")
                        .arg(timeText(places[i].from), timeText(places[i].to), wayName(places[i].way),
                             link(QString::number(i), tr("as elsewhere")));
        remark(line, said.join("<br>"));
    };
    connect(line, &QLabel::linkActivated, this, [this](const QString& to) {
        const auto places = betweenPlacesFrom(project_.shownTicket().motion.places);
        const auto worst = live_.doubts().worst();
        if (to == "worst") {
            if (worst) live_.deliveries().goBehind(worst->frame);
        } else if (const auto i = to.toUInt(); i < places.size()) {
            project_.edit(
                [&](Ticket& t) { t.motion.places = withPlace(places, places[i].from, places[i].to, std::nullopt); });
        }
    });
    connect(&live_.doubts(), &DoubtModel::updated, line, show);
    refreshers_.push_back([show](const Ticket&, const ClipEntry&) { show(); });
}

} // namespace ulm::app
