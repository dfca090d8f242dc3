#include "app/ticket/step_rows.h"

#include "app/ticket/crop_map.h"
#include "app/widgets/theme.h"
#include "core/base/error.h"

#include <QCheckBox>
#include <QCoreApplication>
#include <QLabel>

namespace ulm::app {
namespace {

QString tr_(const std::string& text) { return QCoreApplication::translate("ticket", text.c_str()); }

void switchOn(Ticket& t, const TicketKey& key) { findKey(key.stepKey() + ".on")->set(t, true); }

} // namespace

StepRows::StepRows(Project& project, Live& live, QWidget* parent)
    : QObject(parent), project_(project), live_(live), window_(parent) {}

void StepRows::set(const std::string& key, const std::string& value) {
    project_.edit([&](Ticket& t) { setByKey(t, key, value); });
}

void StepRows::add(StepBlock* block, const StepPart& part) {
    for (const TicketKey& k : part.keys) {
        if (!k.heading.empty()) addGroup(block, part, k);
        if (k.path == "finish.light.curve") addCurve(block);
        QWidget* row = k.shown ? rowFor(block, k) : nullptr;
        if (row && k.hidesIdle)
            refreshers_.push_back([row, &k](const Ticket& t, const ClipEntry&) { row->setVisible(k.acts(t)); });
        if (k.path == "finish.hdr") addTogether(block);
        if (k.path == "finish.hdr") // nothing to choose on any other clip
            refreshers_.push_back(
                [row](const Ticket&, const ClipEntry& c) { row->setVisible(c.clip->facts().video.hdr()); });
        if (k.path == "motion.fps") addCadences(block);
        if (k.path == "motion.method") addDoubt(block);
        if (k.path == "enlarge.size") addCrop(block, "enlarge.crop", false);
        if (k.path == "frame.fill") addCrop(block, "frame.crop", true);
        if (k.path == "finish.colour.tint") addGreyPicker(block);
        if (k.path == "finish.table_strength") addLooks(block);
    }
}

// A heading's rows, up to the next heading: open where one of them is away from its default.
void StepRows::addGroup(StepBlock* block, const StepPart& part, const TicketKey& first) {
    FoldGroup* group = block->addGroup(tr_(first.heading), QString::fromStdString(first.path));
    std::vector<const TicketKey*> keys;
    for (const TicketKey& k : part.keys)
        if (&k >= &first && (&k == &first || k.heading.empty()))
            keys.push_back(&k);
        else if (&k > &first)
            break;
    refreshers_.push_back([group, keys, &first](const Ticket& t, const ClipEntry&) {
        static const Ticket untouched;
        group->showIfSet(first.inSight ||
                         std::ranges::any_of(keys, [&](const TicketKey* k) { return k->get(t) != k->get(untouched); }));
    });
}

void StepRows::refresh(const Ticket& t, const Ticket& done, const ClipEntry& c) {
    done_ = done;
    for (const auto& r : refreshers_) r(t, c);
}

QWidget* StepRows::rowFor(StepBlock* block, const TicketKey& k) {
    if (!k.presets.empty() || k.kind == TicketKey::Kind::Choice) return words(block, k);
    switch (k.kind) {
    case TicketKey::Kind::Flag: return tick(block, k);
    case TicketKey::Kind::Size: return sizeRow(block, k);
    case TicketKey::Kind::Method: return methodRow(block, k);
    case TicketKey::Kind::File: return fileRow(block, k);
    case TicketKey::Kind::Text: return k.path == "frame.pins" ? pinsRow(block, k) : textRow(block, k);
    default: return slider(block, k);
    }
}

QWidget* StepRows::slider(StepBlock* block, const TicketKey& k) {
    QuantitySlider* s = addSlider(block, k.path.c_str(), tr_(k.name), k.from, k.to, k.step, k.decimals, tr_(k.unit));
    s->setHelp(tr_(k.meaning), tr_(k.tooMuch));
    s->setMeasurable(bool(k.quantity));
    s->setZeroWord(tr_(k.zero));
    connect(s, &QuantitySlider::changed, this, [this, &k](const Quantity& q, bool done) {
        project_.edit(
            [&](Ticket& t) {
                if (k.quantity)
                    k.quantity(t) = q;
                else
                    k.number(t) = q.value;
                switchOn(t, k);
            },
            QString::fromStdString(k.path));
        if (done) project_.endStroke();
    });
    refreshers_.push_back([s, &k](const Ticket& now, const ClipEntry& c) {
        Ticket t = now;
        if (k.quantity) s->setReading(k.reading(t, c.known()));
        s->setQuantity(k.quantity ? k.quantity(t) : Quantity{From::Fixed, k.number(t), 0});
    });
    return s;
}

QWidget* StepRows::words(StepBlock* block, const TicketKey& k) {
    const auto& choices = k.presets.empty() ? k.choices : k.presets;
    QStringList shown;
    for (const auto& c : choices) shown << tr_(c.word);
    auto* row = new ChoiceRow(tr_(k.name), shown);
    row->setObjectName(QString::fromStdString(k.path));
    row->setToolTip(tr_(k.meaning));
    block->rows()->addWidget(row);
    connect(row, &ChoiceRow::chosen, this,
            [this, &k, &choices](int i) { set(k.path, choices[static_cast<std::size_t>(i)].value); });
    refreshers_.push_back([this, row, &k, &choices](const Ticket& shared, const ClipEntry&) {
        int index = -1;
        // Where a destination switched the step on, its values are those that are done.
        const Ticket& t = isOn(shared, k.stepKey()) ? shared : done_;
        const bool idle = !k.presets.empty() && (!isOn(t, k.stepKey()) || (k.acts && !k.acts(t)));
        for (std::size_t i = 0; i < choices.size() && !idle; ++i)
            if (k.get(t) == k.parse(choices[i].value)) index = static_cast<int>(i);
        row->setCurrent(index);
    });
    return row;
}

QWidget* StepRows::tick(StepBlock* block, const TicketKey& k) {
    auto* box = new QCheckBox(tr_(k.name));
    box->setObjectName(QString::fromStdString(k.path));
    box->setToolTip(tr_(k.meaning));
    block->rows()->addWidget(box);
    connect(box, &QCheckBox::clicked, this, [this, &k](bool on) { project_.edit([&](Ticket& t) { k.set(t, on); }); });
    refreshers_.push_back([box, &k](const Ticket& t, const ClipEntry&) { box->setChecked(k.get(t) == true); });
    return box;
}

void StepRows::addCrop(StepBlock* block, const char* name, bool ofFrame) {
    auto* map = new CropMap(project_, live_);
    map->setObjectName(name);
    block->rows()->addWidget(map);
    connect(map, &CropMap::moved, this, [this, name, ofFrame](const QPointF& to, bool lower, bool done) {
        project_.edit(
            [&](Ticket& t) {
                const Delivery* d = live_.delivery();
                const bool frame = ofFrame || (d && d->ticket.frame.on); // a destination may have switched it on
                if (frame && d)
                    return placeCrop(t, d->planAt(live_.deliveries().stage()), d->pose(), live_.deliveries().seconds(),
                                     to.x(), to.y(), lower);
                (frame ? t.frame.x : t.enlarge.x) = to.x();
                (frame ? t.frame.y : t.enlarge.y) = to.y();
            },
            name);
        if (done) project_.endStroke();
    });
    if (ofFrame)
        connect(map, &CropMap::zoomed, this, [this, name](double by, bool lower) {
            project_.edit(
                [&](Ticket& t) {
                    double& zoom = lower ? t.frame.lower.zoom : t.frame.zoom;
                    zoom = std::clamp(std::round(zoom * by * 100) / 100, 1.0, 8.0);
                    // A destination alone asked for the shape: from here on the ticket does.
                    if (const Delivery* d = live_.delivery(); d && !t.frame.on)
                        t.frame.on = true, t.frame.aspect = d->ticket.frame.aspect;
                },
                QString(name) + ".zoom");
            project_.endStroke();
        });
}

} // namespace ulm::app
