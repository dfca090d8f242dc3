#include "app/targets/own_card.h"

#include "app/widgets/theme.h"
#include "core/codec/video_codec.h"

#include <QCheckBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <algorithm>

namespace ulm::app {
namespace {

// 60, not 60.00.
class Figure : public QDoubleSpinBox {
public:
    using QDoubleSpinBox::QDoubleSpinBox;
    QString textFromValue(double v) const override { return locale().toString(v, 'g', 10); }
};

// 0 stands for no limit.
template <class Box>
Box* limit(const char* object, double most, double value, const QString& unit, const QString& none) {
    auto* b = new Box;
    b->setObjectName(object);
    b->setRange(0, static_cast<decltype(b->value())>(most));
    b->setValue(static_cast<decltype(b->value())>(value));
    b->setSuffix(unit);
    b->setSpecialValueText(none);
    b->setMinimumWidth(104);
    return b;
}

// As a card may say it, and as files do.
bool isCalled(const std::string& name, const VideoCodec& c) {
    return name == c.name || (&c == &kH265 && name == "hevc");
}
bool takes(const Target& t, const VideoCodec& c) {
    return std::ranges::any_of(t.codecs, [&](const std::string& n) { return isCalled(n, c); });
}

QHBoxLayout* beside(std::initializer_list<QWidget*> all) {
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    for (QWidget* w : all) row->addWidget(w);
    row->addStretch();
    return row;
}

} // namespace

OwnCard::OwnCard(const Target& from, std::function<QString(const Target&)> save, QWidget* parent)
    : QDialog(parent), from_(from), save_(std::move(save)) {
    const bool fresh = from.file.empty();
    setObjectName("ownCard");
    setWindowTitle(fresh ? tr("A destination of your own") : tr("Change a destination"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(24, 20, 24, 18);
    all->setSpacing(14);
    auto* form = new QFormLayout;
    form->setHorizontalSpacing(18);
    title_ = new QLineEdit(fresh ? QString() : QString::fromStdString(from.title));
    title_->setObjectName("own.title");
    title_->setMaxLength(60);
    title_->setPlaceholderText(tr("what you call it"));
    const QString any = tr("any"), none = tr("no limit");
    width_ = limit<QSpinBox>("own.width", 8192, from.size ? from.size->w : 0, "", any);
    height_ = limit<QSpinBox>("own.height", 8192, from.size ? from.size->h : 0, "", any);
    megabytes_ = limit<Figure>("own.mb", 1e6, from.maxMb, tr(" MB"), none);
    rate_ = limit<Figure>("own.fps", 1000, from.maxFps, tr(" a second"), none);
    seconds_ = limit<Figure>("own.seconds", 1e6, from.maxSeconds, tr(" s"), none);
    for (QDoubleSpinBox* b : {megabytes_, seconds_}) b->setDecimals(1);
    h264_ = new QCheckBox(QString::fromStdString(kH264.title));
    h264_->setObjectName("own.h264");
    h264_->setChecked(takes(from, kH264));
    h265_ = new QCheckBox(QString::fromStdString(kH265.title));
    h265_->setObjectName("own.h265");
    h265_->setChecked(takes(from, kH265));
    hdr_ = new QCheckBox(tr("HDR as it is"));
    hdr_->setObjectName("own.hdr");
    hdr_->setToolTip(tr("Others get standard range"));
    hdr_->setChecked(from.hdr);
    form->addRow(tr("Name"), title_);
    form->addRow(tr("Picture"), beside({width_, new QLabel("×"), height_}));
    form->addRow(tr("File, at most"), beside({megabytes_}));
    form->addRow(tr("Frames, at most"), beside({rate_}));
    form->addRow(tr("Length, at most"), beside({seconds_}));
    form->addRow(tr("Takes"), beside({h264_, h265_, hdr_}));
    auto* borders = new QGridLayout;
    borders->setHorizontalSpacing(10);
    borders->setVerticalSpacing(6);
    const auto border = [&](const char* object, const QString& name, double value, int place) {
        auto* b = limit<Figure>(object, 45, value, " %", tr("nothing"));
        b->setDecimals(0);
        borders->addWidget(new QLabel(name), place / 2, place % 2 * 2);
        borders->addWidget(b, place / 2, place % 2 * 2 + 1);
        return b;
    };
    top_ = border("own.top", tr("above"), from.covered.top, 0);
    bottom_ = border("own.bottom", tr("below"), from.covered.bottom, 1);
    left_ = border("own.left", tr("left"), from.covered.left, 2);
    right_ = border("own.right", tr("right"), from.covered.right, 3);
    form->addRow(tr("Covered by its\nown buttons"), borders);
    all->addLayout(form);
    told_ = new QLabel;
    told_->setObjectName("own.told");
    told_->setWordWrap(true);
    told_->setMinimumWidth(400);
    told_->setMinimumHeight(2 * told_->fontMetrics().lineSpacing());
    told_->setAlignment(Qt::AlignTop);
    all->addWidget(told_);
    auto* row = new QHBoxLayout;
    if (!fresh) {
        auto* remove = new QPushButton(tr("Remove it"));
        remove->setObjectName("own.remove");
        remove->setAutoDefault(false);
        remove->setToolTip(tr("Its card goes to the trash"));
        connect(remove, &QPushButton::clicked, this, [this] {
            removed_ = true;
            accept();
        });
        row->addWidget(remove);
    }
    row->addStretch();
    auto* leave = new QPushButton(tr("Cancel"));
    leave->setObjectName("own.cancel");
    leave->setAutoDefault(false);
    done_ = new QPushButton(fresh ? tr("Make it") : tr("Change it"));
    done_->setObjectName("own.save");
    done_->setDefault(true);
    done_->setProperty("main", true);
    row->addWidget(leave);
    row->addWidget(done_);
    all->addLayout(row);
    connect(leave, &QPushButton::clicked, this, &QDialog::reject);
    connect(done_, &QPushButton::clicked, this, &OwnCard::tryToSave);
    connect(title_, &QLineEdit::textChanged, this, &OwnCard::refresh);
    for (QSpinBox* b : {width_, height_}) connect(b, &QSpinBox::valueChanged, this, &OwnCard::refresh);
    for (QDoubleSpinBox* b : {megabytes_, rate_, seconds_, top_, bottom_, left_, right_})
        connect(b, &QDoubleSpinBox::valueChanged, this, &OwnCard::refresh);
    for (QCheckBox* b : {h264_, h265_, hdr_}) connect(b, &QCheckBox::toggled, this, &OwnCard::refresh);
    refresh();
}

Target OwnCard::card() const {
    Target t = from_;
    t.title = title_->text().simplified().toStdString();
    t.size = width_->value() > 0 ? std::optional(Size{width_->value(), height_->value()}) : std::nullopt;
    t.maxMb = megabytes_->value(), t.maxFps = rate_->value(), t.maxSeconds = seconds_->value();
    t.covered = {top_->value(), bottom_->value(), left_->value(), right_->value()};
    t.hdr = hdr_->isChecked();
    for (const auto& [box, codec] : {std::pair(h264_, &kH264), {h265_, &kH265}}) {
        std::erase_if(t.codecs, [&, c = codec](const std::string& n) { return isCalled(n, *c); });
        if (box->isChecked()) t.codecs.push_back(codec->name);
    }
    return t;
}

void OwnCard::refresh() {
    const Target t = card();
    QString wrong;
    if (t.title.empty())
        wrong = tr("Give it a name.");
    else if ((width_->value() > 0) != (height_->value() > 0))
        wrong = tr("Give the picture both width and height, or neither.");
    else if (t.size && (t.size->w < 16 || t.size->h < 16))
        wrong = tr("A picture has at least 16 pixels each way.");
    done_->setEnabled(wrong.isEmpty());
    const std::string limits = limitsText(t);
    told_->setText(!wrong.isEmpty() ? wrong
                   : limits.empty() ? tr("It takes anything.")
                                    : QString::fromStdString(limits));
    told_->setStyleSheet("color:" + (wrong.isEmpty() ? Theme::now().faint : Theme::now().ink).name());
}

void OwnCard::tryToSave() {
    const QString wrong = save_(card());
    if (wrong.isEmpty()) return accept();
    told_->setText(wrong);
    told_->setStyleSheet("color:" + Theme::now().emberInk.name());
}

} // namespace ulm::app
