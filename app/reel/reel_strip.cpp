#include "app/reel/reel_strip.h"

#include "app/tasks/image.h"

#include "core/ticket/stretch_step.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QWheelEvent>
#include <cmath>

namespace ulm::app {
namespace {
constexpr int kThumbs = 44;
}

ReelStrip::ReelStrip(Project& project, Live& live, const ResultReel& reel, QWidget* parent)
    : QWidget(parent), project_(project), live_(live), reel_(reel) {
    setObjectName("reelStrip");
    setFixedHeight(122);
    setAccessibleName(tr("Reel strip"));
    setToolTip(tr("Click the pictures to go there; drag below them to mark a stretch (I and O mark its ends, X clears "
                  "it; with Ctrl a further one, with Alt a part to leave out). The wheel zooms, with Shift it moves; "
                  "double-click shows all; the right button offers more."));
    connect(&project_, &Project::currentChanged, this, [this] {
        const ClipEntry* c = project_.currentClip();
        if (!c || c->identity() != shown_) from_ = to_ = 0;
        loadThumbnails();
    });
    connect(&project_, &Project::playheadChanged, this, [this] {
        // The playhead stays in sight.
        const ClipEntry* c = project_.currentClip();
        const double at = c && c->clip ? c->clip->secondsAt(c->playhead) : 0, wide = viewTo() - from_;
        if (at < from_)
            setView(at - 0.1 * wide, at + 0.9 * wide);
        else if (at >= viewTo())
            setView(at - 0.1 * wide, at + 0.9 * wide);
        update();
    });
    for (const auto signal : {&Project::ticketChanged, &Project::stretchesChanged})
        connect(&project_, signal, this, qOverload<>(&QWidget::update));
    connect(&project_, &Project::inspectionChanged, this, qOverload<>(&QWidget::update));
    connect(&live_.doubts(), &DoubtModel::updated, this, qOverload<>(&QWidget::update));
    connect(&reel_, &ResultReel::changed, this, qOverload<>(&QWidget::update));
}

ReelStrip::~ReelStrip() = default;

double ReelStrip::wholeLength() const {
    const ClipEntry* c = project_.currentClip();
    return c && c->clip ? c->clip->secondsAt(c->clip->frameCount()) : 0;
}

double ReelStrip::viewTo() const { return to_ > 0 ? to_ : wholeLength(); }

void ReelStrip::setView(double from, double to) {
    const double all = wholeLength();
    const ClipEntry* c = project_.currentClip();
    if (all <= 0 || !c || !c->clip) return;
    const double least = std::min(all, 8 * all / double(c->clip->frameCount()));
    const double wide = std::clamp(to - from, least, all);
    from_ = std::clamp(from + (to - from - wide) / 2, 0.0, all - wide);
    to_ = wide >= all ? 0 : from_ + wide;
    loadThumbnails();
}

int ReelStrip::xOf(double seconds) const {
    const double wide = viewTo() - from_;
    if (wide <= 0) return 0;
    return static_cast<int>(std::lround(std::clamp((seconds - from_) / wide, -4.0, 5.0) * (width() - 1)));
}

int ReelStrip::xOfFrame(std::int64_t f) const {
    const ClipEntry* c = project_.currentClip();
    return c && c->clip ? xOf(c->clip->secondsAt(f)) : 0;
}

std::int64_t ReelStrip::frameAtX(int x) const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return 0;
    return c->clip->frameAt(from_ + std::clamp(double(x) / std::max(1, width() - 1), 0.0, 1.0) * (viewTo() - from_));
}

int ReelStrip::slotWidth() const {
    const VideoFacts& v = project_.currentClip()->clip->facts().video;
    return std::max(16, kThumbs * v.width / std::max(1, v.height));
}

std::vector<std::int64_t> ReelStrip::slots_() const {
    const int count = std::clamp(width() / slotWidth() + 1, 1, 80);
    std::vector<std::int64_t> frames;
    for (int i = 0; i < count; ++i) frames.push_back(frameAtX(i * width() / count + width() / count / 8));
    return frames;
}

void ReelStrip::loadThumbnails() {
    const ClipEntry* c = project_.currentClip();
    update();
    const std::uint64_t round = ++round_; // what is still coming belongs to another clip, or another view
    if (!c || !c->clip) {
        shown_.clear();
        thumbnails_.clear();
        worker_.stop();
        return;
    }
    if (shown_ != c->identity() || thumbnails_.size() > 1200) thumbnails_.clear();
    shown_ = c->identity();
    std::vector<std::int64_t> missing;
    for (const auto n : slots_())
        if (!thumbnails_.contains(n)) missing.push_back(n);
    if (missing.empty()) return worker_.stop(), void();
    const QPointer<QObject> self(this);
    const QSize size = QSize(slotWidth(), kThumbs) * devicePixelRatioF();
    worker_.submit([this, self, round, missing, size, clip = c->clip](const CancelToken& cancel) {
        try {
            const auto source = std::make_shared<SourceStage>(
                std::make_shared<FrameReader>(clip, PacketDecoder::Threads::Single, std::size_t(8) << 20));
            const StagePtr rgb = asRgb(source);
            Engine once(0);
            for (const auto n : missing) {
                const QImage image =
                    wholeImage(once, *rgb, n, cancel).scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
                onInterface(self, [=, this] {
                    if (round != round_) return;
                    thumbnails_.insert(n, image);
                    update();
                });
            }
        } catch (const Cancelled&) {
        } catch (const Error&) { // opening the clip has told what is wrong
        }
    });
}

std::pair<std::int64_t, std::int64_t> ReelStrip::stretchFrames() const {
    const ClipEntry* c = project_.currentClip();
    const Ticket::Stretch s = project_.shownTicket().stretch;
    if (!c || !c->clip || !s.on) return {0, -1};
    return {c->clip->frameAt(s.from), c->clip->frameAt(s.to - 1e-4)};
}

void ReelStrip::markStretch(std::int64_t a, std::int64_t b, bool done) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    if (b < a) std::swap(a, b);
    project_.edit(
        [&](Ticket& t) {
            t.stretch.on = true, t.stretch.from = c->clip->secondsAt(a), t.stretch.to = c->clip->secondsAt(b + 1);
        },
        "stretch");
    if (done) project_.endStroke();
}

void ReelStrip::clearStretch() {
    project_.edit([](Ticket& t) { t.stretch.on = false, t.stretch.from = t.stretch.to = 0; });
}

void ReelStrip::clearAllStretches() {
    clearStretch();
    project_.setStretches({});
}

void ReelStrip::activate(std::size_t further) {
    const ClipEntry* c = project_.currentClip();
    auto all = c->stretches;
    const auto chosen = all[further];
    const Ticket::Stretch own = project_.shownTicket().stretch;
    if (own.on)
        all[further] = {own.from, own.to};
    else
        all.erase(all.begin() + static_cast<std::ptrdiff_t>(further));
    project_.edit([&](Ticket& t) { t.stretch.on = true, t.stretch.from = chosen.first, t.stretch.to = chosen.second; });
    project_.setStretches(all);
}

std::vector<std::pair<double, double>> ReelStrip::marked() const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return {};
    auto all = c->stretches;
    if (const Ticket::Stretch own = project_.shownTicket().stretch; own.on) all.emplace_back(own.from, own.to);
    std::ranges::sort(all);
    return all;
}

void ReelStrip::leaveOut(std::int64_t a, std::int64_t b) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    if (b < a) std::swap(a, b);
    project_.edit(
        [&](Ticket& t) {
            std::vector<LeftOut> parts = leftOutFrom(outBefore_);
            parts.push_back({c->clip->secondsAt(a), c->clip->secondsAt(b + 1)});
            t.stretch.without = leftOutText(parts);
        },
        "without");
}

void ReelStrip::keepStretch() {
    const ClipEntry* c = project_.currentClip();
    const Ticket::Stretch own = project_.shownTicket().stretch;
    if (!c || !own.on) return;
    auto all = c->stretches;
    all.emplace_back(own.from, own.to);
    project_.setStretches(all);
}

bool ReelStrip::leaveStretchOut() {
    const Ticket::Stretch own = project_.shownTicket().stretch;
    if (!own.on) return false;
    project_.edit([&](Ticket& t) {
        std::vector<LeftOut> parts = leftOutFrom(own.without);
        parts.push_back({own.from, own.to});
        t.stretch = {};
        t.stretch.without = leftOutText(parts);
    });
    return true;
}

bool ReelStrip::joinStretches() {
    const auto all = marked();
    if (all.size() < 2) return false;
    std::vector<LeftOut> parts = leftOutFrom(project_.shownTicket().stretch.without);
    double reached = all[0].second;
    for (const auto& [from, to] : all) {
        if (from > reached) parts.push_back({reached, from});
        reached = std::max(reached, to);
    }
    project_.edit([&](Ticket& t) { t.stretch = {true, all[0].first, reached, leftOutText(parts)}; });
    project_.setStretches({}); // after: undoing brings them back
    return true;
}

void ReelStrip::bringBack(double seconds) {
    std::vector<LeftOut> parts = leftOutFrom(project_.shownTicket().stretch.without);
    if (!std::erase_if(parts, [&](const LeftOut& p) { return seconds >= p.from && seconds < p.to; })) return;
    project_.edit([&](Ticket& t) { t.stretch.without = leftOutText(parts); });
}

void ReelStrip::bringAllBack() {
    project_.edit([](Ticket& t) { t.stretch.without.clear(); });
}

void ReelStrip::contextMenuEvent(QContextMenuEvent* e) {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return;
    const Ticket::Stretch own = project_.shownTicket().stretch;
    const double at = c->clip->secondsAt(frameAtX(e->x()));
    const auto parts = leftOutFrom(own.without);
    const bool here = std::ranges::any_of(parts, [&](const LeftOut& p) { return at >= p.from && at < p.to; });
    QMenu menu(this);
    const auto offer = [&](const QString& what, bool can, auto act) {
        QAction* a = menu.addAction(what, this, act);
        a->setEnabled(can);
    };
    offer(tr("Leave out the marked stretch\tDel"), own.on, [this] { leaveStretchOut(); });
    offer(tr("Join the marked stretches\tU"), marked().size() > 1, [this] { joinStretches(); });
    QMenu* between = menu.addMenu(tr("In-betweens of the marked stretch"));
    between->setEnabled(own.on && makesFrames(project_.shownTicket()));
    for (const auto& [what, way] : {std::pair(tr("Rebuild"), std::optional(BetweenWay::Rebuild)),
                                    std::pair(tr("Blend"), std::optional(BetweenWay::Blend)),
                                    std::pair(tr("Hold"), std::optional(BetweenWay::Hold)),
                                    std::pair(tr("As elsewhere"), std::optional<BetweenWay>())})
        between->addAction(what, this, [this, way = way] { makeBetween(way); });
    offer(tr("Bring this part back"), here, [this, at] { bringBack(at); });
    offer(tr("Bring all parts back"), !parts.empty(), [this] { bringAllBack(); });
    menu.addSeparator();
    const int speed = speedUnder(e->pos());
    offer(tr("Set the speed here"), speed < 0, [this, at] { addSpeed(at); });
    offer(tr("Take this speed away"), speed >= 0, [this, speed] { removeSpeed(speed); });
    menu.addSeparator();
    const int pin = pinUnder(e->pos());
    offer(tr("Set the crop's place here"), pin < 0 && live_.delivery() && followsSubject(live_.delivery()->ticket),
          [this, at] { addPin(at); });
    offer(tr("Take this place away"), pin >= 0, [this, pin] { removePin(pin); });
    menu.addSeparator();
    offer(tr("Clear the stretch\tX"), own.on, [this] { clearStretch(); });
    offer(tr("Clear all stretches\tShift+X"), own.on || !c->stretches.empty(), [this] { clearAllStretches(); });
    menu.exec(e->globalPos());
}

void ReelStrip::goToCut(int direction) {
    const ClipEntry* c = project_.currentClip();
    const Inspection* i = c ? c->found() : nullptr;
    if (!i) return;
    std::int64_t best = direction > 0 ? c->clip->frameCount() - 1 : 0;
    for (const auto cut : i->cuts)
        if (direction > 0 ? cut > c->playhead && cut < best : cut < c->playhead && cut > best) best = cut;
    project_.setPlayhead(best);
}

void ReelStrip::goToFinding(int direction) {
    const ClipEntry* c = project_.currentClip();
    const Inspection* i = c && c->clip ? c->found() : nullptr;
    if (!i) return;
    std::vector<std::int64_t> frames;
    for (const Finding& f : findings(*i, c->clip->facts()))
        if (f.frame > 0 || !f.box.empty()) frames.push_back(f.frame);
    if (frames.empty()) return;
    std::ranges::sort(frames);
    if (direction > 0) {
        const auto next = std::ranges::upper_bound(frames, c->playhead);
        project_.setPlayhead(next == frames.end() ? frames.front() : *next); // round and round
    } else {
        const auto here = std::ranges::lower_bound(frames, c->playhead);
        project_.setPlayhead(here == frames.begin() ? frames.back() : *(here - 1));
    }
}

void ReelStrip::goToWorst() {
    const ClipEntry* c = project_.currentClip();
    const Inspection* i = c && c->clip ? c->found() : nullptr;
    if (!i) return;
    if (const auto w = i->worst.find(live_.faults().key().toStdString()); w != i->worst.end())
        return project_.setPlayhead(w->second.frame);
    const auto all = findings(*i, c->clip->facts());
    const auto placed = std::ranges::find_if(all, [](const Finding& f) { return f.frame > 0 || !f.box.empty(); });
    if (placed != all.end()) project_.setPlayhead(placed->frame);
}

void ReelStrip::mousePressEvent(QMouseEvent* e) {
    const ClipEntry* c = project_.currentClip();
    if (e->button() != Qt::LeftButton || !c || !c->clip) return;
    const int x = static_cast<int>(e->position().x());
    const std::int64_t f = frameAtX(x);
    if (const int pin = pinUnder(e->position()); pin >= 0) {
        drag_ = Drag::Pin;
        pinDragged_ = std::size_t(pin), pinsBefore_ = pinsFrom(project_.shownTicket().frame.pins);
        return;
    }
    if (e->position().y() < traceTop()) {
        drag_ = Drag::Playhead;
        project_.setPlayhead(f);
        return;
    }
    if (const int speed = speedUnder(e->position()); speed >= 0) {
        drag_ = Drag::Speed;
        speedDragged_ = std::size_t(speed), speedsBefore_ = speeds();
        return;
    }
    if (e->modifiers() & Qt::AltModifier) {
        drag_ = Drag::LeaveOut;
        anchor_ = f;
        outBefore_ = project_.shownTicket().stretch.without;
        return;
    }
    drag_ = Drag::Mark;
    anchor_ = f;
    const auto [a, b] = stretchFrames();
    if (e->modifiers() & Qt::ControlModifier) { // the stretch that was the ticket's own stays beside the new one
        keepStretch();
        return;
    }
    // Near an end, the other end holds still.
    if (b >= a && std::abs(x - xOfFrame(a)) < 6)
        anchor_ = b;
    else if (b >= a && std::abs(x - xOfFrame(b + 1)) < 6)
        anchor_ = a;
    else
        for (std::size_t i = 0; i < c->stretches.size(); ++i)
            if (x >= xOf(c->stretches[i].first) && x <= xOf(c->stretches[i].second)) {
                drag_ = Drag::None;
                return activate(i);
            }
}

void ReelStrip::mouseMoveEvent(QMouseEvent* e) {
    const std::int64_t f = frameAtX(static_cast<int>(e->position().x()));
    if (drag_ == Drag::Playhead) project_.setPlayhead(f);
    if (drag_ == Drag::Mark) markStretch(anchor_, f, false);
    if (drag_ == Drag::LeaveOut) leaveOut(anchor_, f);
    if (drag_ == Drag::Speed) dragSpeed(e->position());
    if (drag_ == Drag::Pin) dragPin(e->position());
}

void ReelStrip::mouseReleaseEvent(QMouseEvent*) {
    if (drag_ != Drag::None && drag_ != Drag::Playhead) project_.endStroke();
    drag_ = Drag::None;
}

void ReelStrip::mouseDoubleClickEvent(QMouseEvent*) { setView(0, wholeLength()); }

void ReelStrip::wheelEvent(QWheelEvent* e) {
    const double wide = viewTo() - from_;
    if (wide <= 0) return;
    const int turn = e->angleDelta().y() ? e->angleDelta().y() : -e->angleDelta().x();
    if ((e->modifiers() & Qt::ShiftModifier) || !e->angleDelta().y())
        return setView(from_ - 0.12 * wide * turn / 120, from_ - 0.12 * wide * turn / 120 + wide);
    // What is under the pointer stays there.
    const double share = std::clamp(e->position().x() / std::max(1, width() - 1), 0.0, 1.0), at = from_ + share * wide,
                 next = wide * std::pow(0.75, turn / 120.0);
    setView(at - share * next, at - share * next + next);
}

void ReelStrip::resizeEvent(QResizeEvent*) { loadThumbnails(); }

} // namespace ulm::app
