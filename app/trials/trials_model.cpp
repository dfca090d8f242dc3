#include "app/trials/trials_model.h"

#include "app/tasks/image.h"
#include "app/widgets/fitted_text.h"
#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QPainter>
#include <numeric>
#include <random>
#include <tbb/parallel_for.h>

namespace ulm::app {
namespace {

constexpr int kSide = 192;         // delivered pixels of a cell
constexpr int kLeastMeasured = 16; // of the clip's own; less says nothing

Rect around(const Point& centre, int side, const PictureFormat& f) {
    const int w = std::min(side, f.width), h = std::min(side, f.height);
    return {std::clamp(int(centre.x) - w / 2, 0, f.width - w), std::clamp(int(centre.y) - h / 2, 0, f.height - h), w,
            h};
}

} // namespace

TrialsModel::TrialsModel(Project& project, Live& live, QObject* parent)
    : QObject(parent), project_(project), live_(live) {
    connect(&project_, &Project::currentChanged, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (c && c->path == of_) return;
        stop();
        candidates_.clear();
        spots_.clear();
        cells_.clear();
        order_.clear();
        of_.clear();
        Q_EMIT changed();
    });
}

void TrialsModel::tryAdvice() {
    const ClipEntry* c = project_.currentClip();
    if (c && c->clip && c->inspection)
        run(candidatesFromAdvice(project_.shownTicket(), *c->inspection, c->clip->facts()));
}

void TrialsModel::tryRamp(const std::string& key) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    run(ramp(project_.shownTicket(), key, c->known()));
}

void TrialsModel::stop() {
    ++round_;
    worker_.stop();
    wholeWorker_.stop();
}

void TrialsModel::run(std::vector<Candidate> candidates) {
    const ClipEntry* c = project_.currentClip();
    const auto base = candidates.empty() ? nullptr : live_.deliveries().ofTicket(candidates.front().ticket);
    if (!c || !base || c->spots.empty()) return;
    of_ = c->path;
    candidates_ = std::move(candidates);
    spots_ = c->spots;
    if (spots_.size() > 4) spots_.resize(4);
    before_.assign(spots_.size(), QImage());
    cells_.assign(candidates_.size() * spots_.size(), TrialCell());
    picks_.assign(candidates_.size(), 0);
    blind_ = false;
    arrange();
    Q_EMIT changed();
    struct Place {
        std::int64_t frame;     ///< of the clip: candidates may have clocks of their own
        Rect delivered, source; ///< source: what of the clip `delivered` shows, to be read
    };
    std::vector<Place> places;
    for (const Spot& s : spots_) {
        const std::int64_t frame = live_.spots().frameOf(s), stage = base->clock.stageOf(frame);
        const Rect delivered = around(base->toDelivered(stage, {s.x, s.y}), kSide, base->result->format());
        places.push_back(
            {frame, delivered, base->readable(stage, delivered, around({s.x, s.y}, 96, base->source->format()))});
    }
    std::vector<DeliveryPtr> pipelines;
    for (const Candidate& t : candidates_) pipelines.push_back(live_.deliveries().ofTicket(t.ticket));
    const QPointer<QObject> self(this);
    const std::uint64_t round = ++round_;
    worker_.submit([=, this](const CancelToken& cancel) {
        Engine& e = project_.engine();
        // Spot by spot, so that a first row can be judged while the others are still coming.
        for (std::size_t s = 0; s < places.size(); ++s) {
            const Place& p = places[s];
            tbb::parallel_for(std::size_t(0), pipelines.size(), [&](std::size_t k) {
                try {
                    const auto& line = pipelines[k];
                    if (!line || line->result->format().frame() != base->result->format().frame()) return;
                    const std::int64_t stage = line->clock.stageOf(p.frame);
                    TrialCell cell;
                    const Picture before = e.pull(*line->toned, stage, p.delivered, cancel),
                                  after = e.pull(*line->result, stage, p.delivered, cancel);
                    cell.picture =
                        toImage(e.pull(*asRgb(line->result), stage, p.delivered, cancel, Engine::Keep::Inputs));
                    const auto inSource = [&](const StagePtr& delivered) {
                        const StagePtr there = line->inSourcePixels(delivered, stage, p.source);
                        return e.pull(*there, stage, there->format().frame(), cancel, Engine::Keep::Inputs);
                    };
                    const bool shown = std::min(p.source.w, p.source.h) >= kLeastMeasured;
                    cell.measure =
                        measureTrial(shown ? inSource(line->toned) : before, shown ? inSource(line->result) : after,
                                     before, after, line->planAt(stage).scale());
                    cell.fresh = true;
                    QImage old;
                    if (k == 0) old = toImage(e.pull(*asRgb(line->before), stage, p.delivered, cancel));
                    onInterface(self, [=, this] {
                        if (round != round_) return;
                        cells_[k * spots_.size() + s] = cell;
                        if (!old.isNull()) before_[s] = old;
                        if (share() >= 1) arrange();
                        Q_EMIT changed();
                    });
                } catch (const Cancelled&) {
                } catch (const Error& err) {
                    project_.tell(err);
                }
            });
        }
    });
}

double TrialsModel::share() const {
    if (cells_.empty()) return 0;
    return double(std::ranges::count_if(cells_, &TrialCell::fresh)) / double(cells_.size());
}

bool TrialsModel::complete(std::size_t candidate) const {
    for (std::size_t s = 0; s < spots_.size(); ++s)
        if (!cell(candidate, s).fresh) return false;
    return true;
}

TrialMeasure TrialsModel::mean(std::size_t candidate) const {
    TrialMeasure m;
    double n = 0, edges = 0;
    for (std::size_t s = 0; s < spots_.size(); ++s) {
        const TrialMeasure& c = cell(candidate, s).measure;
        m.faults += c.faults, m.texture += c.texture, m.haloes += c.haloes, ++n;
        m.noise += c.noise, m.blocks += c.blocks, m.ringing += c.ringing, m.added += c.added;
        if (c.edge > 0) m.edge += c.edge, ++edges;
    }
    if (n > 0)
        for (double* v : {&m.faults, &m.texture, &m.haloes, &m.noise, &m.blocks, &m.ringing, &m.added}) *v /= n;
    if (edges > 0) m.edge /= edges;
    return m;
}

void TrialsModel::setRankBy(RankBy by) {
    rankBy_ = by;
    arrange();
    Q_EMIT changed();
}

void TrialsModel::arrange() {
    order_.resize(candidates_.size());
    std::iota(order_.begin(), order_.end(), std::size_t(0));
    if (blind_) {
        static std::mt19937 chance(std::random_device{}());
        std::ranges::shuffle(order_, chance);
        return;
    }
    if (share() < 1) return; // columns do not jump about while figures are still coming
    std::ranges::stable_sort(order_, [&](std::size_t a, std::size_t b) {
        const TrialMeasure x = mean(a), y = mean(b);
        switch (rankBy_) {
        case RankBy::Faults: return x.faults < y.faults;
        case RankBy::Texture: return x.texture > y.texture;
        case RankBy::Edge: return x.edge < y.edge;
        case RankBy::Picks: return picks_[a] > picks_[b];
        case RankBy::Error: break;
        }
        return x.error() < y.error();
    });
}

void TrialsModel::setBlind(bool on) {
    if (on == blind_ || share() < 1) return;
    blind_ = on;
    if (on)
        picks_.assign(candidates_.size(), 0);
    else if (allPicks() > 0)
        rankBy_ = RankBy::Picks;
    arrange();
    Q_EMIT changed();
}

void TrialsModel::pick(std::size_t candidate) {
    if (!blind_ || candidate >= picks_.size()) return;
    ++picks_[candidate];
    arrange(); // the next choice is made afresh
    Q_EMIT changed();
}

int TrialsModel::allPicks() const { return std::accumulate(picks_.begin(), picks_.end(), 0); }

void TrialsModel::adopt(std::size_t candidate) {
    if (candidate >= candidates_.size()) return;
    project_.edit([&](Ticket& t) { t = candidates_[candidate].ticket; });
}

void TrialsModel::askWholeFrame(std::size_t candidate) {
    const ClipEntry* c = project_.currentClip();
    if (!c || candidate >= candidates_.size()) return;
    const auto line = live_.deliveries().ofTicket(candidates_[candidate].ticket);
    if (!line) return;
    const QPointer<QObject> self(this);
    wholeWorker_.submit([=, this, frame = line->clock.stageOf(c->playhead)](const CancelToken& cancel) {
        try {
            const StagePtr rgb = asRgb(line->result);
            QImage whole(rgb->format().width, rgb->format().height, QImage::Format_RGB32);
            project_.engine().pullTiles(*rgb, frame, rgb->format().frame(), 256, 0, 0, cancel, [&](const Picture& t) {
                const QImage tile = toImage(t);
                for (int y = 0; y < tile.height(); ++y)
                    std::memcpy(whole.scanLine(t.area.y + y) + t.area.x * 4, tile.constScanLine(y),
                                std::size_t(tile.width()) * 4);
            });
            onInterface(self, [=, this] { Q_EMIT wholeFrame(candidate, whole); });
        } catch (const Error&) { // cancelled, or the Bench tells what is wrong
        }
    });
}

QImage TrialsModel::sheet() const {
    if (spots_.empty() || candidates_.empty()) return {};
    const Theme& t = Theme::now();
    constexpr int kHead = 88, kLeft = 120, kGap = 8;
    const int columns = static_cast<int>(candidates_.size()) + 1, rows = static_cast<int>(spots_.size());
    QImage out(kLeft + columns * (kSide + kGap) + kGap, kHead + rows * (kSide + kGap) + kGap, QImage::Format_RGB32);
    out.fill(t.paper);
    QPainter p(&out);
    const auto head = [&](int column, const QString& name, const QString& told, const QString& figures_) {
        const QRect r(kLeft + column * (kSide + kGap), 6, kSide, kHead - 8);
        p.setPen(t.ink);
        p.setFont(words(9.5, true));
        p.drawText(r, Qt::AlignTop, p.fontMetrics().elidedText(name, Qt::ElideRight, kSide));
        p.setFont(words(8));
        p.drawText(r.adjusted(0, 18, 0, 0), Qt::AlignTop,
                   fittedLines(told, p.font(), r.width(), r.height() - 18 - 16).join('\n'));
        p.setFont(figures(8));
        p.drawText(r, Qt::AlignBottom, figures_);
    };
    head(0, tr("Before"), tr("untreated"), {});
    for (std::size_t i = 0; i < order_.size(); ++i) {
        const std::size_t k = order_[i];
        const TrialMeasure m = mean(k);
        head(static_cast<int>(i) + 1, QString::fromStdString(candidates_[k].name),
             QString::fromStdString(candidates_[k].told),
             tr("faults %1 %, texture %2 %").arg(m.faults, 0, 'f', 0).arg(m.texture, 0, 'f', 0));
    }
    for (int s = 0; s < rows; ++s) {
        const int y = kHead + s * (kSide + kGap);
        p.setFont(words(9, true));
        p.setPen(t.ink);
        p.drawText(QRect(8, y, kLeft - 16, kSide), Qt::AlignVCenter | Qt::TextWordWrap,
                   faultName(spots_[std::size_t(s)].what));
        p.drawImage(kLeft, y, before_[std::size_t(s)]);
        for (std::size_t i = 0; i < order_.size(); ++i)
            p.drawImage(kLeft + (int(i) + 1) * (kSide + kGap), y, cell(order_[i], std::size_t(s)).picture);
    }
    return out;
}

} // namespace ulm::app
