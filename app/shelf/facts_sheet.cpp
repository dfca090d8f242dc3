#include "app/shelf/facts_sheet.h"

#include "app/widgets/theme.h"
#include "app/words/sentences.h"

#include <QHeaderView>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QVBoxLayout>

namespace ulm::app {
namespace {

constexpr int kClip = 0, kCodec = 6, kKind = 16; // columns of words; all others are figures

// Sorts by the number it stands for, not by its digits.
class Figure : public QTableWidgetItem {
public:
    Figure(const QString& text, double value) : QTableWidgetItem(text), value_(value) {
        setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        setFont(figures(8.5));
    }
    bool operator<(const QTableWidgetItem& o) const override { return value_ < static_cast<const Figure&>(o).value_; }

private:
    double value_;
};

} // namespace

FactsSheet::FactsSheet(Project& project, QWidget* parent) : QWidget(parent), project_(project) {
    setObjectName("factsSheet");
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 6);
    table_ = new QTableWidget;
    table_->setObjectName("factsTable");
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setShowGrid(false);
    table_->setAlternatingRowColors(true);
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setStretchLastSection(true);
    const Theme& t = Theme::now();
    table_->setStyleSheet(
        QString("QTableWidget{background:%1;alternate-background-color:%2;color:%3;border:1px solid %4}"
                "QTableWidget::item:selected{background:%5;color:%3} "
                "QHeaderView::section{background:%6;color:%3;border:none;padding:5px}")
            .arg(t.paper.name(), t.paperOpen.name(), t.ink.name(), t.line.name(), t.line.name(), t.chrome.name()));
    all->addWidget(table_);
    fill();
    connect(table_, &QTableWidget::currentCellChanged, this, [this](int row) {
        if (row >= 0) project_.setCurrent(table_->item(row, 0)->data(Qt::UserRole).toInt());
    });
    connect(&project_, &Project::currentChanged, this, [this] { markCurrent(); });
    connect(&project_, &Project::inspectionChanged, this, [this] { fill(); });
    connect(&project_, &Project::shelfChanged, this, [this] { fill(); });
}

void FactsSheet::markCurrent() {
    const QSignalBlocker quiet(table_);
    for (int row = 0; row < table_->rowCount(); ++row)
        if (table_->item(row, 0)->data(Qt::UserRole).toInt() == project_.current() && row != table_->currentRow())
            table_->setCurrentCell(row, 0); // scrolls there
}

void FactsSheet::fill() {
    const QSignalBlocker quiet(table_);
    table_->setSortingEnabled(false);
    table_->clearContents(); // a clip that cannot be read says nothing
    const QStringList heads = {tr("Clip"),    tr("Size"),   tr("fps"),     tr("Seconds"), tr("MB"),      tr("Mb/s"),
                               tr("Codec"),   tr("Blocks"), tr("Noise"),   tr("Edge px"), tr("Ringing"), tr("Stairs %"),
                               tr("Banding"), tr("Lines"),  tr("Repeats"), tr("LUFS"),    tr("Kind")};
    table_->setColumnCount(static_cast<int>(heads.size()));
    table_->setHorizontalHeaderLabels(heads);
    for (int column = 0; column < heads.size(); ++column) { // as what stands below
        const bool word = column == kClip || column == kCodec || column == kKind;
        table_->horizontalHeaderItem(column)->setTextAlignment((word ? Qt::AlignLeft : Qt::AlignRight) |
                                                               Qt::AlignVCenter);
    }
    table_->setRowCount(project_.count());
    for (int row = 0; row < project_.count(); ++row) {
        const ClipEntry& c = project_.at(row);
        auto* name = new QTableWidgetItem(c.name());
        name->setData(Qt::UserRole, row);
        table_->setItem(row, 0, name);
        int column = 1;
        const auto figure = [&](double v, int decimals, bool known = true) {
            table_->setItem(row, column++,
                            new Figure(known ? QString::number(v, 'f', decimals) : QString("–"), known ? v : -1e9));
        };
        const auto word = [&](const QString& s) { table_->setItem(row, column++, new QTableWidgetItem(s)); };
        if (!c.clip) continue;
        const MediaFacts& f = c.clip->facts();
        table_->setItem(row, column++,
                        new Figure(QString("%1×%2").arg(f.video.width).arg(f.video.height),
                                   double(f.video.width) * f.video.height));
        figure(f.video.fps, 2);
        figure(f.duration, 1);
        figure(double(f.bytes) / 1e6, 2);
        figure(double(f.bytes) * 8e-6 / std::max(0.01, f.duration), 2);
        word(codecName(f.video.codec));
        const Inspection* i = c.found();
        const Readings r = i ? i->readings : Readings{};
        figure(r.blocking, 0, i);
        figure(r.noise, 1, i);
        figure(r.softness, 1, i && r.softness > 0);
        figure(r.ringing, 1, i);
        figure(r.stairs, 0, i);
        figure(r.banding, 0, i);
        figure(i ? i->detailLines(f.video.height) : 0, 0, i && r.detail > 0);
        figure(i ? double(i->duplicates.size()) : 0, 0, i);
        figure(i ? i->sound.loudness : 0, 1, i && i->sound.any);
        word(i ? QString::fromStdString(i->kind) + (i->dark ? tr(", dark") : QString()) : QString());
    }
    table_->resizeColumnsToContents();
    setFixedHeight(std::min(260, 44 + table_->rowCount() * table_->verticalHeader()->defaultSectionSize()));
    table_->setSortingEnabled(true);
    markCurrent();
}

} // namespace ulm::app
