#include "app/bench/crop_map.h"
#include "app/bench/gain_model.h"
#include "app/bench/network_card.h"
#include "app/bench/sentences.h"
#include "app/bench/ticket_sheet.h"
#include "app/tasks/background.h"
#include "app/widgets/theme.h"
#include "core/model/model_folder.h"
#include "core/pipeline/network_steps.h"
#include "core/ticket/fields.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

// The steps that treat the picture: Clean, Enlarge and Finish.
namespace ulm::app {
namespace {

// The key that switches a key's step on.
std::string switchOf(const std::string& key) { return key.substr(0, key.find('.')) + ".on"; }

std::function<double(const ClipEntry&)> reading(double Readings::*member) {
    return [member](const ClipEntry& c) { return c.readings().*member; };
}

} // namespace

QuantitySlider* TicketSheet::addNumber(StepBlock* s, const char* key, const QString& name, double least, double most,
                                       double step, int decimals, const QString& unit,
                                       const std::function<double&(Ticket&)>& member) {
    QuantitySlider* slider = addSlider(s, key, name, least, most, step, decimals, unit);
    connect(slider, &QuantitySlider::changed, this,
            [this, member, key, on = switchOf(key)](const Quantity& q, bool done) {
                edit(
                    [&](Ticket& t) {
                        member(t) = q.value;
                        setByKey(t, on, "true");
                    },
                    key);
                if (done) project_.endStroke();
            });
    refreshers_.push_back([slider, member](const Ticket& t, const ClipEntry&) {
        slider->setQuantity({From::Fixed, member(const_cast<Ticket&>(t)), 0});
    });
    return slider;
}

QuantitySlider* TicketSheet::addQuantity(StepBlock* s, const char* key, const QString& name, double most, double step,
                                         int decimals, const std::function<Quantity&(Ticket&)>& member,
                                         const std::function<double(const ClipEntry&)>& reading) {
    QuantitySlider* slider = addSlider(s, key, name, 0, most, step, decimals, "");
    slider->setMeasurable(true);
    connect(slider, &QuantitySlider::changed, this,
            [this, member, key, on = switchOf(key)](const Quantity& q, bool done) {
                edit(
                    [&](Ticket& t) {
                        member(t) = q;
                        setByKey(t, on, "true");
                    },
                    key);
                if (done) project_.endStroke();
            });
    refreshers_.push_back([slider, member, reading](const Ticket& t, const ClipEntry& c) {
        slider->setReading(reading(c));
        slider->setQuantity(member(const_cast<Ticket&>(t)));
    });
    return slider;
}

#define OF(m)                                                                                                          \
    [](Ticket & t) -> auto& { return t.m; }

void TicketSheet::buildClean() {
    StepBlock* s = addStep(tr("Clean"), "clean");
    static const QStringList kMethods = {"learned", "learned-quick", "classic"};
    auto* method = new ChoiceRow(tr("Done by"), {tr("Network"), tr("Quick net"), tr("Filters")});
    method->setObjectName("clean.method");
    method->setToolTip(
        tr("Who takes blocks and noise away. Network: a trained network that also looks at the frames before "
           "and after. Quick net: a smaller one. Filters: without any network."));
    s->rows()->addWidget(method);
    connect(method, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.clean.on = true, t.clean.method = kMethods[i].toStdString(); }); });
    addQuantity(s, "clean.blocks", tr("Blocks"), kMostBlocks, 1, 0, OF(clean.blocks), reading(&Readings::blocking))
        ->setHelp(tr("Evens out what strong compression leaves: squares, smears, mosquitos beside edges."),
                  tr("fine texture turns smooth, small letters soften."));
    addQuantity(s, "clean.noise", tr("Noise"), kMostNoise, 0.5, 1, OF(clean.noise), reading(&Readings::noise))
        ->setHelp(tr("Takes away grain that changes from frame to frame; frames before and after are followed along."),
                  tr("shadows look painted, skin turns waxy."));
    addQuantity(s, "clean.noise_chroma", tr("Colour noise"), kMostNoise, 0.5, 1, OF(clean.chroma),
                reading(&Readings::chromaNoise))
        ->setHelp(tr("Takes away blotches of colour, mostly in the dark."), tr("small coloured things grow grey."));
    addQuantity(s, "clean.ringing", tr("Ringing"), kMostRinging, 0.5, 1, OF(clean.ringing), reading(&Readings::ringing))
        ->setHelp(tr("Calms the ripples beside strong edges, where it is quiet further away."),
                  tr("fine lines beside edges fade."));
    addQuantity(s, "clean.stairs", tr("Stair-steps"), kMostStairs, 1, 0, OF(clean.stairs), reading(&Readings::stairs))
        ->setHelp(tr("Smooths slanted edges along their own direction."), tr("corners round off."));
    addQuantity(s, "clean.banding", tr("Banding"), kMostBanding, 1, 0, OF(clean.banding), reading(&Readings::banding))
        ->setHelp(tr("Turns steps in skies and glows back into slopes."), tr("faint folds and clouds vanish."));
    addNumber(s, "clean.texture", tr("Texture first"), 0, 100, 1, 0, "%", OF(clean.texture))
        ->setHelp(tr("Raises the clip's own fine texture before it is treated, so that it is not smoothed away."),
                  tr("cloth and hair look gritty."));
    addNumber(s, "clean.keep_original", tr("Keep original"), 0, 100, 1, 0, "%", OF(clean.keepOriginal))
        ->setHelp(tr("Mixes the untreated picture back in, to keep life in it."), tr("the faults come back with it."));
    auto* along = new QCheckBox(tr("Look along movement"));
    along->setObjectName("clean.temporal");
    along->setToolTip(tr("The filters take noise away with the help of the frames before and after, followed along "
                         "what moves. Without it: from each frame alone, faster and less thorough."));
    s->rows()->addWidget(along);
    connect(along, &QCheckBox::clicked, this, [this](bool on) { edit([&](Ticket& t) { t.clean.temporal = on; }); });
    auto* faces = new QCheckBox(tr("Gentler on faces"));
    faces->setObjectName("clean.faces");
    faces->setToolTip(tr("Half of the original stays on faces; they are outlined on the picture while Clean is open."));
    s->rows()->addWidget(faces);
    connect(faces, &QCheckBox::clicked, this, [this](bool on) { edit([&](Ticket& t) { t.clean.gentleFaces = on; }); });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry& c) {
        method->setCurrent(static_cast<int>(kMethods.indexOf(QString::fromStdString(t.clean.method))));
        faces->setChecked(t.clean.gentleFaces);
        along->setChecked(t.clean.temporal);
        along->setVisible(t.clean.method == "classic");
        s->setOn(t.clean.on);
        s->setSentence(cleanSentence(t, c));
    });
}

void TicketSheet::buildEnlarge() {
    StepBlock* s = addStep(tr("Enlarge"), "enlarge");
    static const double kScales[] = {1.5, 2, 3, 4};
    auto* scale = new ChoiceRow(tr("By"), {"×1.5", "×2", "×3", "×4"});
    scale->setObjectName("enlarge.scale");
    s->rows()->addWidget(scale);
    connect(scale, &ChoiceRow::chosen, this, [this](int i) {
        edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.size.reset(), t.enlarge.scale = kScales[i]; });
    });

    auto* sizes = new QWidget;
    auto* row = new QHBoxLayout(sizes);
    row->setContentsMargins(0, 2, 0, 2);
    auto* label = new QLabel(tr("Or to size"));
    label->setFixedWidth(96);
    auto* width = new QLineEdit;
    auto* height = new QLineEdit;
    width->setObjectName("enlarge.width");
    height->setObjectName("enlarge.height");
    width->setAccessibleName(tr("Width"));
    height->setAccessibleName(tr("Height"));
    for (QLineEdit* e : {width, height}) e->setFont(figures(8.5)), e->setFixedWidth(58);
    auto* named = new QToolButton;
    named->setObjectName("enlarge.named");
    named->setText(tr("Sizes ▾"));
    named->setStyleSheet("QToolButton::menu-indicator{image:none}");
    named->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(named);
    for (const auto& [title, w, h] : {std::tuple{"1280×720", 1280, 720},
                                      {"1920×1080", 1920, 1080},
                                      {"2560×1440", 2560, 1440},
                                      {"3840×2160", 3840, 2160},
                                      {"7680×4320", 7680, 4320},
                                      {"720×1280", 720, 1280},
                                      {"1080×1920", 1080, 1920},
                                      {"1080×1080", 1080, 1080},
                                      {"1080×1350", 1080, 1350}})
        menu->addAction(title, this, [this, w = w, h = h] {
            edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.size = Size{w, h}; });
        });
    named->setMenu(menu);
    row->addWidget(label);
    row->addWidget(width);
    row->addWidget(new QLabel("×"));
    row->addWidget(height);
    row->addWidget(named);
    row->addStretch();
    s->rows()->addWidget(sizes);
    addCrop(s, "enlarge.crop", [](Ticket& t, const QPointF& to) {
        (t.frame.on ? t.frame.x : t.enlarge.x) = to.x();
        (t.frame.on ? t.frame.y : t.enlarge.y) = to.y();
    });
    // Aspect is locked: typing one side sets the other.
    const auto typed = [this, width, height](bool byWidth) {
        const ClipEntry* c = project_.currentClip();
        const int v = (byWidth ? width : height)->text().toInt();
        if (!c || !c->clip || v < 2) return;
        const VideoFacts& f = c->clip->facts().video;
        const double a = double(f.width) / f.height;
        const auto even = [](double x) { return std::clamp(static_cast<int>(std::lround(x / 2)) * 2, 2, 8192); };
        const Size size = byWidth ? Size{even(v), even(v / a)} : Size{even(v * a), even(v)};
        edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.size = size; });
    };
    connect(width, &QLineEdit::editingFinished, this, [=] {
        if (width->isModified()) typed(true);
    });
    connect(height, &QLineEdit::editingFinished, this, [=] {
        if (height->isModified()) typed(false);
    });

    static const QStringList kMethods = {"learned", "learned-quick", "lanczos", "spline36",
                                         "bicubic", "bilinear",      "point"};
    auto* method = new QComboBox;
    method->setObjectName("enlarge.method");
    method->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon); // the sheet's width is set
    method->setMinimumContentsLength(14);
    method->addItems({tr("Network: most detail"), tr("Quick network: nearly that, faster"),
                      tr("Lanczos: crispest filter"), tr("Spline 36: crisp, less ringing"), tr("Bicubic: softer"),
                      tr("Bilinear: softest"), tr("Point: square pixels")});
    const auto labelled = [s](const QString& name, QWidget* w) {
        auto* row = new QHBoxLayout;
        auto* label = new QLabel(name);
        label->setFixedWidth(96);
        row->addWidget(label);
        row->addWidget(w, 1);
        s->rows()->addLayout(row);
    };
    labelled(tr("Method"), method);
    connect(method, &QComboBox::activated, this, [this, method](int i) {
        if (i < kMethods.size())
            return edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.method = kMethods[i].toStdString(); });
        QString file = method->itemData(i).toString();
        if (file.isEmpty())
            file = QFileDialog::getOpenFileName(
                this, tr("Choose a network"), QString::fromStdString(modelFolder().string()), tr("Networks (*.onnx)"));
        if (!file.isEmpty()) useNetwork(file);
        refresh();
    });
    static const QStringList kKinds = {"auto", "general", "rough", "drawn"};
    auto* kind = new ChoiceRow(tr("Made for"), {tr("Auto"), tr("General"), tr("Rough"), tr("Drawn")});
    kind->setObjectName("enlarge.kind");
    kind->setToolTip(
        tr("General: good clips. Rough: strongly compressed or noisy ones. Drawn: line art, letters, screens, "
           "games. Auto chooses by what was found."));
    s->rows()->addWidget(kind);
    connect(kind, &ChoiceRow::chosen, this,
            [this](int i) { edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.kind = kKinds[i].toStdString(); }); });
    auto* strength = addQuantity(s, "enlarge.strength", tr("Strength"), kMostStrength, 1, 0, OF(enlarge.strength),
                                 [](const ClipEntry& c) { return measuredStrength(c.ticket, c.readings()); });
    strength->setHelp(tr("How much of the network's work is laid over the filter's, %. Measured: as much as comes true "
                         "when the clip itself is shrunk and enlarged back."),
                      tr("edges ring, noise and JPEG's leftovers are drawn sharp."));
    addNumber(s, "enlarge.above", tr("Work above"), 1, 4, 0.25, 2, "×", OF(enlarge.above))
        ->setHelp(tr("Works at so many times the delivered size, then scales down: crisper edges, and more time."),
                  tr("edges look etched, and it takes long."));
    auto* gain = addRemark(s, "enlarge.gain");
    connect(gains_, &GainModel::updated, gain, [this, gain] { remark(gain, gainSentence(gains_->enlarge())); });

    refreshers_.push_back([=, this](const Ticket& t, const ClipEntry& c) {
        int index = -1;
        for (int i = 0; i < 4; ++i)
            if (!t.enlarge.size && t.enlarge.scale == kScales[i]) index = i;
        scale->setCurrent(index);
        listNetworks(method, static_cast<int>(kMethods.size()));
        const QString now = QString::fromStdString(t.enlarge.method);
        const int known = static_cast<int>(kMethods.indexOf(now));
        method->setCurrentIndex(known >= 0 ? known : std::max(0, method->findData(now)));
        kind->setCurrent(static_cast<int>(kKinds.indexOf(QString::fromStdString(t.enlarge.kind))));
        kind->setVisible(now.startsWith("learned"));
        strength->setVisible(enlargesByNetwork(t));
        const VideoFacts& f = c.clip->facts().video;
        const Size shown = t.enlarge.size ? *t.enlarge.size
                                          : Size{static_cast<int>(std::lround(f.width * t.enlarge.scale / 2)) * 2,
                                                 static_cast<int>(std::lround(f.height * t.enlarge.scale / 2)) * 2};
        width->setText(QString::number(shown.w));
        height->setText(QString::number(shown.h));
        s->setOn(t.enlarge.on);
        s->setSentence(enlargeSentence(t, c, live_.pipeline()));
    });
}

// People's own networks: those in the models folder, the one on the ticket, and the way to another.
void TicketSheet::listNetworks(QComboBox* method, int shipped) {
    QStringList files;
    for (const auto& f : modelsInFolder()) files << QString::fromStdString(f.string());
    if (const ClipEntry* c = project_.currentClip())
        if (const QString now = QString::fromStdString(c->ticket.enlarge.method);
            now.endsWith(".onnx") && !files.contains(now))
            files << now;
    QStringList listed;
    for (int i = shipped; i + 1 < method->count(); ++i) listed << method->itemData(i).toString();
    if (listed == files && method->count() > shipped) return;
    while (method->count() > shipped) method->removeItem(method->count() - 1);
    for (const QString& f : files) method->addItem(tr("Yours: %1").arg(f.section('/', -1)), f);
    method->addItem(tr("A network of your own…"));
}

void TicketSheet::useNetwork(const QString& file) {
    const auto told = [this](const Error& e) {
        Q_EMIT project_.problem(QString::fromStdString(e.file), QString::fromStdString(e.reason),
                                QString::fromStdString(e.remedy));
    };
    const auto take = [=, this](const UserNetwork& user) {
        try {
            if (!user.card.known && user.network->inputChannels() > 1 && !askForCard(this, file, user.card)) return;
            edit([&](Ticket& t) { t.enlarge.on = true, t.enlarge.method = file.toStdString(); });
        } catch (const Error& e) {
            told(e);
        }
    };
    inBackground(Lane::Quick, [=, self = QPointer<QObject>(this)] { // a large file takes a while
        try {
            const UserNetwork user = openUserNetwork(file.toStdString());
            onInterface(self, [=] { take(user); });
        } catch (const Error& e) {
            onInterface(self, [=] { told(e); });
        }
    });
}

void TicketSheet::buildFinish() {
    StepBlock* s = addStep(tr("Finish"), "finish");
    addNumber(s, "finish.sharpen.amount", tr("Sharpen"), 0, 3, 0.05, 2, "", OF(finish.amount))
        ->setHelp(tr("Unsharp mask on brightness: steepens edges."),
                  tr("bright and dark lines beside edges, rough shadows."));
    addNumber(s, "finish.sharpen.radius", tr("Radius"), 0.3, 5, 0.1, 1, "px", OF(finish.radius))
        ->setHelp(tr("How wide an edge is taken to be, in delivered pixels."), tr("haloes."));
    addHeading(s, tr("By size of detail"));
    addNumber(s, "finish.detail.finest", tr("Finest"), 0, 3, 0.05, 2, "", OF(finish.detail.finest))
        ->setHelp(tr("Raises detail of about a pixel."), tr("grit and shimmering."));
    addNumber(s, "finish.detail.fine", tr("Fine"), 0, 3, 0.05, 2, "", OF(finish.detail.fine))
        ->setHelp(tr("Raises detail of about two pixels: lashes, cloth."), tr("hard, dry skin."));
    addNumber(s, "finish.detail.medium", tr("Medium"), 0, 3, 0.05, 2, "", OF(finish.detail.medium))
        ->setHelp(tr("Raises detail of about five pixels: features, leaves."), tr("lines beside edges."));
    addNumber(s, "finish.detail.coarse", tr("Coarse"), 0, 3, 0.05, 2, "", OF(finish.detail.coarse))
        ->setHelp(tr("Raises forms of about ten pixels: more depth."), tr("glowing outlines."));
    addNumber(s, "finish.detail.threshold", tr("Leave below"), 0, 20, 0.5, 1, "", OF(finish.detail.threshold))
        ->setHelp(tr("Detail fainter than so many steps is left alone, so that noise is not raised."),
                  tr("only the strongest edges change."));
    addHeading(s, tr("Kept in bounds"));
    addNumber(s, "finish.halo_limit", tr("Limit haloes"), 0, 100, 1, 0, "%", OF(finish.haloLimit))
        ->setHelp(tr("How much of the overshoot beside edges is cut off."), tr("sharpening loses its bite."));
    auto* shadows = new QCheckBox(tr("Spare the shadows"));
    shadows->setObjectName("finish.shadows");
    s->rows()->addWidget(shadows);
    connect(shadows, &QCheckBox::clicked, this, [this](bool on) { edit([&](Ticket& t) { t.finish.shadows = on; }); });
    addHeading(s, tr("Film grain"));
    addNumber(s, "finish.grain.amount", tr("Grain"), 0, 20, 0.25, 2, "", OF(finish.grain.amount))
        ->setHelp(
            tr("Grain that lives: new in every frame. It costs bits; see what the encode leaves of it under Encoded."),
            tr("the picture looks dirty, the file grows."));
    addNumber(s, "finish.grain.size", tr("Grain size"), 0.5, 4, 0.1, 1, "px", OF(finish.grain.size))
        ->setHelp(tr("Larger grain survives an encode better."), tr("blotches."));
    addNumber(s, "finish.grain.midtones", tr("In mid-tones"), 0, 1, 0.05, 2, "", OF(finish.grain.midtones))
        ->setHelp(tr("0: even in all tones. 1: in the middle tones only, as on film."), tr("flat black and white."));
    auto* left = addRemark(s, "finish.grain.left");
    connect(gains_, &GainModel::updated, left, [this, left] { remark(left, grainSentence(gains_->grainLeft())); });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry&) {
        shadows->setChecked(t.finish.shadows);
        s->setOn(t.finish.on);
        s->setSentence(finishSentence(t));
    });
}

} // namespace ulm::app
