// Rows that Enlarge alone has: a size, typed or named, and who enlarges, people's own networks among them.
#include "app/tasks/background.h"
#include "app/ticket/gain_model.h"
#include "app/ticket/network_card.h"
#include "app/ticket/step_rows.h"
#include "app/widgets/theme.h"
#include "core/model/model_folder.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>
#include <cmath>

namespace ulm::app {
namespace {

constexpr Size kNamed[] = {{1280, 720}, {1920, 1080}, {2560, 1440}, {3840, 2160}, {7680, 4320},
                           {720, 1280}, {1080, 1920}, {1080, 1080}, {1080, 1350}};

int even(double x) { return std::clamp(static_cast<int>(std::lround(x / 2)) * 2, 2, 8192); }

std::string asKey(Size s) { return std::to_string(s.w) + "x" + std::to_string(s.h); }

QWidget* labelled(const QString& name, QHBoxLayout*& row) {
    auto* w = new QWidget;
    row = new QHBoxLayout(w);
    row->setContentsMargins(0, 2, 0, 2);
    auto* label = new QLabel(name);
    label->setFixedWidth(96);
    row->addWidget(label);
    return w;
}

} // namespace

QWidget* StepRows::sizeRow(StepBlock* block, const TicketKey& k) {
    QHBoxLayout* row = nullptr;
    QWidget* all = labelled(QString::fromStdString(k.name), row);
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
    for (const Size& s : kNamed)
        menu->addAction(QString::fromStdString(sizeText(s)), this, [this, s] { set("enlarge.size", asKey(s)); });
    named->setMenu(menu);
    row->addWidget(width);
    row->addWidget(new QLabel("×"));
    row->addWidget(height);
    row->addWidget(named);
    row->addStretch();
    block->rows()->addWidget(all);
    // Aspect is locked: typing one side sets the other.
    const auto typed = [this, width, height](bool byWidth) {
        const ClipEntry* c = project_.currentClip();
        const int v = (byWidth ? width : height)->text().toInt();
        if (!c || !c->clip || v < 2) return;
        const VideoFacts& f = c->clip->facts().video;
        const double a = double(f.width) / f.height;
        set("enlarge.size", asKey(byWidth ? Size{even(v), even(v / a)} : Size{even(v * a), even(v)}));
    };
    connect(width, &QLineEdit::editingFinished, this, [=] {
        if (width->isModified()) typed(true);
    });
    connect(height, &QLineEdit::editingFinished, this, [=] {
        if (height->isModified()) typed(false);
    });
    refreshers_.push_back([=](const Ticket& t, const ClipEntry& c) {
        const VideoFacts& f = c.clip->facts().video;
        const Size shown =
            t.enlarge.size ? *t.enlarge.size : Size{even(f.width * t.enlarge.scale), even(f.height * t.enlarge.scale)};
        width->setText(QString::number(shown.w));
        height->setText(QString::number(shown.h));
    });
    return all;
}

QWidget* StepRows::methodRow(StepBlock* block, const TicketKey& k) {
    QHBoxLayout* row = nullptr;
    QWidget* all = labelled(QString::fromStdString(k.name), row);
    auto* method = new QComboBox;
    method->setObjectName(QString::fromStdString(k.path));
    method->setToolTip(QString::fromStdString(k.meaning));
    method->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon); // the sheet's width is set
    method->setMinimumContentsLength(14);
    for (const auto& c : k.choices) method->addItem(QString::fromStdString(c.word));
    row->addWidget(method, 1);
    block->rows()->addWidget(all);
    const int shipped = static_cast<int>(k.choices.size());
    connect(method, &QComboBox::activated, this, [this, method, shipped, &k](int i) {
        if (i < shipped) return set(k.path, k.choices[static_cast<std::size_t>(i)].value);
        QString file = method->itemData(i).toString();
        if (file.isEmpty())
            file =
                QFileDialog::getOpenFileName(window_, tr("Choose a network"),
                                             QString::fromStdString(modelFolder().string()), tr("Networks (*.onnx)"));
        if (!file.isEmpty()) useNetwork(file);
        if (const ClipEntry* c = project_.currentClip()) refresh(project_.shownTicket(), done_, *c);
    });
    refreshers_.push_back([=, this, &k](const Ticket& t, const ClipEntry&) {
        const QString now = QString::fromStdString(t.enlarge.method);
        listNetworks(method, shipped, now);
        const auto known = std::ranges::find(k.choices, t.enlarge.method, &TicketKey::Choice::value);
        method->setCurrentIndex(known != k.choices.end() ? static_cast<int>(known - k.choices.begin())
                                                         : std::max(0, method->findData(now)));
    });
    return all;
}

// People's own networks: those in the models folder, the one on the ticket, and the way to another.
void StepRows::listNetworks(QComboBox* method, int shipped, const QString& now) {
    QStringList files;
    for (const auto& f : modelsInFolder()) files << QString::fromStdString(f.string());
    if (now.endsWith(".onnx") && !files.contains(now)) files << now;
    QStringList listed;
    for (int i = shipped; i + 1 < method->count(); ++i) listed << method->itemData(i).toString();
    if (listed == files && method->count() > shipped) return;
    while (method->count() > shipped) method->removeItem(method->count() - 1);
    for (const QString& f : files) method->addItem(tr("Yours: %1").arg(f.section('/', -1)), f);
    method->addItem(tr("A network of your own…"));
}

void StepRows::useNetwork(const QString& file) {
    const auto take = [=, this](const UserNetwork& user) {
        try {
            if (!user.card.known && user.network->inputChannels() > 1 && !askForCard(window_, file, user.card)) return;
            set("enlarge.method", file.toStdString());
        } catch (const Error& e) {
            project_.tell(e);
        }
    };
    inBackground(Lane::Quick, [=, this, self = QPointer<QObject>(this)] { // a large file takes a while
        try {
            const UserNetwork user = openUserNetwork(file.toStdString());
            onInterface(self, [=] { take(user); });
        } catch (const Error& e) {
            onInterface(self, [=, this] { project_.tell(e); });
        }
    });
}

} // namespace ulm::app
