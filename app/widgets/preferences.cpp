#include "app/widgets/preferences.h"
#include "core/model/arithmetic.h"

#include <QCoreApplication>
#include <QFormLayout>
#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <QSpinBox>
#include <QThreadPool>
#include <QVBoxLayout>
#include <algorithm>

namespace ulm::app {

namespace {

// "in 8 bits, 2.9 times as fast as in 32; …", measured on this processor.
QString arithmeticWords(const ArithmeticPlan& p) {
    const auto w = std::ranges::find(p.tried, p.chosen, &ArithmeticPlan::Way::precision);
    if (p.chosen == NetPrecision::F32 || w == p.tried.end())
        return p.tried.size() > 1 ? Preferences::tr("in 32 bits: here nothing shorter is both right and faster")
                                  : Preferences::tr("in 32 bits: this processor offers nothing shorter");
    return Preferences::tr("in %1 bits, %2 times as fast as in 32; no eye tells the results apart (alike to %3 dB)")
        .arg(p.chosen == NetPrecision::Int8 ? 8 : 16)
        .arg(w->speed, 0, 'f', 1)
        .arg(w->likeF32, 0, 'f', 0);
}

} // namespace

QString graphicsWords(const ArithmeticPlan& p) {
    if (!p.graphics) return Preferences::tr("none that OpenCL offers");
    const ArithmeticPlan::Graphics& g = *p.graphics;
    if (g.failed) return Preferences::tr("failed when it was used: networks run on the processor");
    const QString speed = Preferences::tr("%1 times as fast as the processor").arg(g.speed, 0, 'g', 2);
    if (g.used()) return Preferences::tr("runs the networks, %1").arg(speed);
    return g.speed > 1 ? Preferences::tr("computes wrongly here: not used")
                       : Preferences::tr("%1: not used").arg(speed);
}

QWidget* Preferences::arithmeticRow() {
    auto* both = new QWidget;
    auto* column = new QVBoxLayout(both);
    column->setContentsMargins(0, 0, 0, 0);
    auto* words = new QLabel;
    words->setObjectName("plan.arithmetic");
    auto* graphics = new QLabel;
    graphics->setObjectName("plan.graphics");
    for (QLabel* l : {words, graphics}) {
        l->setWordWrap(true);
        l->setMinimumHeight(2 * l->fontMetrics().lineSpacing()); // for what will be told, once measured
        column->addWidget(l);
    }
    const auto show = [words, graphics](const ArithmeticPlan& p) {
        words->setText(arithmeticWords(p));
        words->setToolTip(tr("Measured on this computer: %1. Measured again when the processor changes.")
                              .arg(QString::fromStdString(p.processor)));
        graphics->setText(tr("Graphics processor: %1").arg(graphicsWords(p)));
        graphics->setToolTip(p.graphics ? QString::fromStdString(p.graphics->name) : QString());
    };
    auto* again = new QPushButton(tr("Measure again"));
    again->setObjectName("plan.again");
    again->setToolTip(tr("After a new driver, or when other work was using the computer"));
    column->addWidget(again, 0, Qt::AlignLeft);
    // Measuring takes seconds, the more so with a graphics processor: not on the interface's thread.
    const auto measure = [words, again, show](auto plan) {
        again->setEnabled(false);
        words->setText(tr("being measured…"));
        QThreadPool::globalInstance()->start([button = QPointer(again), show, plan] {
            QMetaObject::invokeMethod(qApp, [button, show, found = plan()] {
                if (!button) return; // the dialog is gone
                show(found);
                button->setEnabled(true);
                button->window()->adjustSize();
            });
        });
    };
    connect(again, &QPushButton::clicked, again, [measure] { measure(measureArithmeticAgain); });
    measure([] { return arithmeticPlan(); });
    return both;
}

Preferences::Preferences(QWidget* parent) : QDialog(parent) {
    setObjectName("preferences");
    setWindowTitle(tr("Preferences"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(24, 20, 24, 18);
    all->setSpacing(14);
    auto* form = new QFormLayout;
    form->setHorizontalSpacing(18);
    const WorkPlan usual = usualPlan(), now = workPlan();
    const auto box = [&](const char* name, int least, int most, int value, const QString& unit) {
        auto* b = new QSpinBox;
        b->setObjectName(name);
        b->setRange(least, most);
        b->setValue(value);
        b->setSuffix(unit);
        b->setKeyboardTracking(false); // a number half typed is none yet
        return b;
    };
    cores_ = box("plan.cores", 1, std::max(usual.cores, now.cores), now.cores, "");
    const auto megabytes = [](std::int64_t bytes) { return static_cast<int>(bytes >> 20); };
    memory_ = box("plan.memory", 512, std::max(megabytes(usual.memory) / 3 * 4, 512), megabytes(now.memory), tr(" MB"));
    memory_->setSingleStep(256);
    form->addRow(tr("Processor cores"), cores_);
    form->addRow(tr("Memory, about"), memory_);
    form->addRow(tr("Networks compute"), arithmeticRow());
    all->addLayout(form);
    auto* told =
        new QLabel(tr("Fewer cores leave the computer free for other work; everything then takes longer. Renders "
                      "that need more memory than this are refused before they start."));
    told->setWordWrap(true);
    told->setMinimumWidth(360);
    all->addWidget(told);
    auto* row = new QHBoxLayout;
    auto* usualButton = new QPushButton(tr("As usual"));
    usualButton->setObjectName("plan.usual");
    usualButton->setToolTip(tr("All cores, three quarters of the memory"));
    auto* close = new QPushButton(tr("Close"));
    close->setObjectName("plan.close");
    row->addWidget(usualButton);
    row->addStretch();
    row->addWidget(close);
    all->addLayout(row);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(usualButton, &QPushButton::clicked, this, [this, usual, megabytes] {
        cores_->setValue(usual.cores);
        memory_->setValue(megabytes(usual.memory));
    });
    const auto tell = [this] { Q_EMIT planChanged({cores_->value(), std::int64_t(memory_->value()) << 20}); };
    connect(cores_, &QSpinBox::valueChanged, this, tell);
    connect(memory_, &QSpinBox::valueChanged, this, tell);
}

} // namespace ulm::app
