#include "app/live/doubt_model.h"

#include "app/project/project.h"

#include <algorithm>

namespace ulm::app {
namespace {
constexpr std::size_t kMost = 120; // frames that are looked at of one clip
constexpr std::size_t kAtOnce = 4; // before it is asked again whether something else is wanted
constexpr int kAfterChange = 1200; // ms: what was changed is looked at first
} // namespace

DoubtModel::DoubtModel(Project& project, DeliveryModel& deliveries, std::function<bool()> busy, QObject* parent)
    : QObject(parent), project_(project), deliveries_(deliveries), busy_(std::move(busy)) {
    later_.setSingleShot(true);
    connect(&later_, &QTimer::timeout, this, &DoubtModel::goOn);
    connect(&deliveries_, &DeliveryModel::changed, this, &DoubtModel::changed);
}

void DoubtModel::changed() {
    const DeliveryPtr& d = deliveries_.onTable();
    const Seen now = d ? Seen{d->reader, d->found, d->ticket.motion, d->ticket.stretch} : Seen{};
    if (now == seen_) return;
    seen_ = now;
    delivery_ = d;
    ++round_;
    worker_.stop();
    looking_.reset();
    wanted_.reset();
    doubts_.clear();
    Q_EMIT updated();
    if (d && d->clock.retiming().between)
        later_.start(kAfterChange);
    else
        later_.stop();
}

double DoubtModel::done() const {
    if (!wanted_) return later_.isActive() || worker_.busy() ? 0 : 1;
    return *wanted_ ? double(doubts_.size()) / double(*wanted_) : 1;
}

std::optional<BetweenDoubt> DoubtModel::worst() const {
    const auto it = std::ranges::max_element(doubts_, {}, &BetweenDoubt::steps);
    return it == doubts_.end() ? std::nullopt : std::optional(*it);
}

void DoubtModel::goOn() {
    if (!delivery_ || (wanted_ && doubts_.size() >= *wanted_)) return;
    if (busy_() || playing_) return later_.start(200);
    const QPointer<QObject> self(this);
    worker_.submit([this, self, round = round_, d = delivery_, looking = looking_,
                    from = doubts_.size()](const CancelToken& cancel) mutable {
        try {
            if (!looking) { // frames of its own, so that the table's need not be decoded anew each time
                const auto reader = std::make_shared<FrameReader>(
                    d->reader->sharedClip(), PacketDecoder::Threads::Single, std::size_t(16) << 20);
                looking = std::make_shared<Looking>();
                looking->plan = doubtPlan(*resolve(reader, d->found, d->ticket), kMost, cancel);
            }
            std::vector<BetweenDoubt> some;
            for (std::size_t k = from; k < std::min(from + kAtOnce, looking->plan.frames.size()); ++k)
                some.push_back(doubtAt(looking->engine, looking->plan, k, cancel));
            onInterface(self, [this, round, looking, some] {
                if (round != round_) return;
                looking_ = looking;
                wanted_ = looking->plan.frames.size();
                doubts_.insert(doubts_.end(), some.begin(), some.end());
                if (doubts_.size() >= *wanted_)
                    looking_.reset(); // its decoder and pictures go
                else
                    later_.start(0);
                Q_EMIT updated();
            });
        } catch (const Cancelled&) {
        } catch (const Error&) { // the Bench's own pictures report it
        }
    });
}

} // namespace ulm::app
