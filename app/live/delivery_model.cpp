#include "app/live/delivery_model.h"

#include "app/tasks/background.h"
#include "core/finish/table_stage.h"
#include "core/model/model_folder.h"
#include "core/ticket/mark_step.h"

#include <algorithm>
#include <cmath>

namespace ulm::app {

DeliveryModel::DeliveryModel(Project& project, QObject* parent) : QObject(parent), project_(project) {
    connect(&project_, &Project::currentChanged, this, &DeliveryModel::rebuild);
    connect(&project_, &Project::ticketChanged, this, &DeliveryModel::rebuild);
    connect(&project_, &Project::onTableChanged, this, &DeliveryModel::rebuild);
    // Before anyone who asks for stage() hears of it.
    connect(&project_, &Project::playheadMoved, this, [this] { stepped_ = 0; });
    connect(&project_, &Project::inspectionChanged, this, [this](int i) {
        if (i == project_.current() && project_.currentClip()->inspection) rebuild();
    });
}

DeliveryPtr DeliveryModel::of(const std::string& target) const {
    if (target == project_.onTable()) return onTable_;
    const auto known = others_.find(target);
    if (known != others_.end()) return known->second;
    DeliveryPtr d;
    const ClipEntry* c = project_.currentClip();
    const Target* card = project_.target(target);
    if (c && c->clip && (card || target.empty())) try {
            d = resolve(c->reader, c->inspection, c->ticket, card ? std::optional(*card) : std::nullopt);
        } catch (const Error&) { // its chip says that it cannot be framed for it
        }
    return others_[target] = d;
}

DeliveryPtr DeliveryModel::ofTicket(const Ticket& ticket) const {
    const ClipEntry* c = project_.currentClip();
    if (!c || !c->clip) return nullptr;
    try {
        return resolve(c->reader, c->inspection, ticket, project_.targetOnTable());
    } catch (const Error&) {
        return nullptr;
    }
}

std::int64_t DeliveryModel::stage() const {
    const ClipEntry* c = project_.currentClip();
    return onTable_ && c ? onTable_->clock.stageOf(c->playhead) + stepped_ : 0;
}

double DeliveryModel::seconds() const {
    const ClipEntry* c = project_.currentClip();
    return c && c->clip ? c->clip->secondsAt(c->playhead) : 0;
}

void DeliveryModel::stepDelivered(int by) { goTo(stage() + by); }

void DeliveryModel::goBehind(std::int64_t frame) {
    if (onTable_) goTo(onTable_->clock.stageOf(frame) + 1);
}

void DeliveryModel::goTo(std::int64_t stage) {
    const ClipEntry* c = project_.currentClip();
    if (!onTable_ || !c) return;
    const FrameClock& clock = onTable_->clock;
    stage = std::clamp(stage, std::int64_t(0), clock.stageFrames() - 1);
    project_.setPlayhead(clock.sourceOf(stage));
    stepped_ = stage - clock.stageOf(c->playhead);
    Q_EMIT project_.playheadChanged();
}

double DeliveryModel::between() const {
    if (!onTable_) return 0;
    const double at = onTable_->clock.instantOf(stage());
    return at - std::floor(at);
}

QPointF DeliveryModel::toDelivered(double x, double y) const {
    if (!onTable_) return {};
    const Point p = onTable_->toDelivered(stage(), {x, y});
    return {p.x, p.y};
}

QRectF DeliveryModel::toDelivered(const Rect& box) const {
    if (!onTable_) return {};
    const auto [a, b] = onTable_->deliveredBox(stage(), box);
    return QRectF(QPointF(a.x, a.y), QPointF(b.x, b.y));
}

QPointF DeliveryModel::toSource(const QPointF& d) const {
    if (!onTable_) return {};
    const Point p = onTable_->toSource(stage(), {d.x(), d.y()});
    return {p.x, p.y};
}

void DeliveryModel::rebuild() {
    const ClipEntry* c = project_.currentClip();
    onTable_.reset();
    stepped_ = 0;
    others_.clear();
    problem_.clear();
    if (c && c->clip && !openingFile()) try {
            onTable_ = resolve(c->reader, c->inspection, c->ticket, project_.targetOnTable());
        } catch (const Error& e) {
            problem_ = QString::fromStdString(e.reason + ". " + e.remedy);
        }
    Q_EMIT changed();
}

bool DeliveryModel::openingFile() {
    const Ticket t = project_.shownTicket();
    const std::string network = t.enlarge.on && t.enlarge.method.ends_with(".onnx") ? t.enlarge.method : "",
                      table = t.finish.on ? t.finish.table : "", mark = t.finish.on ? t.finish.mark.file : "";
    const auto opens = [this](const std::string& file, bool open, auto load) {
        if (file.empty() || open || tried_.contains(file)) return false;
        inBackground(Lane::Quick, [this, file, load, self = QPointer<QObject>(this)] {
            try {
                load(file);
            } catch (const Error&) { // working the delivery out tells
            }
            onInterface(self, [this, file] {
                tried_.insert(file);
                rebuild();
            });
        });
        return true;
    };
    if (opens(network, userNetworkIsOpen(network), [](const std::string& f) { openUserNetwork(f); }) ||
        opens(table, lookTableIsKept(table), [](const std::string& f) { loadLookTable(f); }) ||
        opens(mark, markFileIsKept(mark), [](const std::string& f) { openMarkFile(f); }))
        return true;
    tried_.clear();
    return false;
}

} // namespace ulm::app
