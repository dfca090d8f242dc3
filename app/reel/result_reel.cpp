#include "app/reel/result_reel.h"

#include "app/tasks/image.h"
#include "core/ticket/motion_step.h"

#include <cmath>

namespace ulm::app {
namespace {
constexpr qsizetype kBudget = qsizetype(320) << 20;
}

ResultReel::ResultReel(Project& project, Live& live, QObject* parent)
    : QObject(parent), project_(project), live_(live) {
    later_.setSingleShot(true);
    later_.setInterval(600); // what a person is doing now comes first
    connect(&later_, &QTimer::timeout, this, &ResultReel::start);
    connect(&live_.deliveries(), &DeliveryModel::changed, this, [this] {
        worker_.stop();
        later_.start();
        Q_EMIT changed();
    });
    connect(&project_, &Project::playheadChanged, &later_, qOverload<>(&QTimer::start));
}

const std::map<std::size_t, QImage>* ResultReel::rendered() const {
    const Delivery* p = live_.delivery();
    if (!p) return nullptr;
    for (const Kept& k : kept_)
        if (k.key == p->result->key()) return &k.pictures;
    return nullptr;
}

QImage ResultReel::picture(std::size_t index) const {
    const auto* all = rendered();
    if (!all) return {};
    const auto it = all->find(index);
    return it == all->end() ? QImage() : it->second;
}

double ResultReel::share() const {
    const Delivery* p = live_.delivery();
    const auto* all = rendered();
    return p && all ? double(all->size()) / double(p->frames()) : 0;
}

bool ResultReel::asFilmed() const {
    const Delivery* p = live_.delivery();
    return !p || (!changesTime(p->ticket) && p->clock.leftOut().empty());
}

double ResultReel::clipSeconds(double movie) const {
    const Delivery* p = live_.delivery();
    return p ? p->clock.clipSeconds(movie) : movie;
}

double ResultReel::movieSeconds(double clip) const {
    const Delivery* p = live_.delivery();
    return p ? p->clock.movieSeconds(clip) : clip;
}

std::int64_t ResultReel::indexAt(double movie) const {
    const Delivery* p = live_.delivery();
    return !p || movie < -1e-6 || movie >= p->seconds() ? -1 : p->clock.deliveredAt(movie);
}

void ResultReel::start() {
    const ClipEntry* c = project_.currentClip();
    const auto p = live_.deliveries().onTable();
    if (!c || !p) return;
    if (live_.busy()) return later_.start();
    const std::int64_t here =
        std::clamp(live_.deliveries().stage() - p->clock.first(), std::int64_t(0), p->frames() - 1);
    const PictureFormat& f = p->result->format();
    const double k = std::min(1.0, double(kLongestSide) / std::max(f.width, f.height));
    const QSize size(std::max(1, int(std::lround(f.width * k))), std::max(1, int(std::lround(f.height * k))));
    const auto room = static_cast<std::size_t>(kBudget / (qsizetype(size.width()) * size.height() * 4));
    std::vector<std::size_t> wanted;
    const std::int64_t count = p->frames();
    const auto* have = rendered();
    for (std::int64_t away = 0; away < count && wanted.size() < room; ++away)
        for (const std::int64_t n : {here + away, here - away})
            if (n >= 0 && n < count && !(have && have->contains(static_cast<std::size_t>(n))))
                wanted.push_back(static_cast<std::size_t>(n));
    if (wanted.size() > 1 && wanted[0] == wanted[1]) wanted.erase(wanted.begin());
    if (wanted.empty()) return;
    const QPointer<QObject> self(this);
    worker_.submit([this, self, p, wanted, size](const CancelToken& cancel) {
        try {
            const StagePtr rgb = asRgb(p->result);
            for (const std::size_t n : wanted) {
                while (live_.busy() || project_.rendering) { // what a person waits for goes first
                    cancel.check();
                    std::this_thread::sleep_for(std::chrono::milliseconds(15));
                }
                const QImage image = wholeImage(project_.engine(), *rgb, p->clock.first() + std::int64_t(n), cancel,
                                                Engine::Keep::Inputs)
                                         .scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
                onInterface(self, [this, key = p->result->key(), n, image] { keep(key, n, image); });
            }
        } catch (const Error&) { // cancelled, or the table tells what is wrong
        }
    });
}

void ResultReel::keep(Key key, std::size_t index, const QImage& image) {
    auto at = std::ranges::find(kept_, key, &Kept::key);
    if (at == kept_.end()) {
        kept_.push_front({key, {}});
        at = kept_.begin();
    } else
        kept_.splice(kept_.begin(), kept_, at);
    kept_.front().pictures[index] = image;
    qsizetype bytes = 0;
    for (const Kept& k : kept_)
        for (const auto& [n, picture] : k.pictures) bytes += picture.sizeInBytes();
    while (bytes > kBudget && kept_.size() > 1) {
        for (const auto& [n, picture] : kept_.back().pictures) bytes -= picture.sizeInBytes();
        kept_.pop_back();
    }
    Q_EMIT changed();
}

} // namespace ulm::app
