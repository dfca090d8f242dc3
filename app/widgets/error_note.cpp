#include "app/widgets/error_note.h"

#include "app/project/log.h"
#include "app/widgets/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>

namespace ulm::app {
namespace {

constexpr qsizetype kShown = 5; // at once

} // namespace

ErrorNote::ErrorNote(QWidget* parent) : QWidget(parent) {
    setObjectName("errorNote");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(40, 8, 14, 8);
    label_ = new QLabel;
    label_->setObjectName("errorText");
    label_->setWordWrap(true);
    label_->setTextFormat(Qt::PlainText);
    row->addWidget(label_, 1);
    copy_ = new QPushButton(tr("Copy details"));
    copy_->setObjectName("copyError");
    copy_->setToolTip(tr("These words, version and system, and the last lines of the log"));
    connect(copy_, &QPushButton::clicked, this, [this] {
        QApplication::clipboard()->setText(errorDetails(text()));
        copy_->setText(tr("Copied"));
    });
    row->addWidget(copy_, 0, Qt::AlignTop);
    close_ = new QPushButton(tr("Close"));
    close_->setObjectName("closeError");
    connect(close_, &QPushButton::clicked, this, [this] {
        waiting_.remove(0, std::min<qsizetype>(kShown, waiting_.size()));
        showWaiting();
    });
    row->addWidget(close_, 0, Qt::AlignTop);
    hide();
}

void ErrorNote::tell(const QString& file, const QString& reason, const QString& remedy) {
    QString r = reason;
    if (!r.isEmpty()) r[0] = r[0].toUpper();
    QString text = (file.isEmpty() ? "" : QFileInfo(file).fileName() + ": ") + r;
    if (!text.endsWith('.')) text += ".";
    if (!remedy.isEmpty()) text += "\n" + remedy;
    logProblem((file.isEmpty() ? "" : file + ": ") + reason + (remedy.isEmpty() ? "" : " / " + remedy));
    if (waiting_.contains(text)) return;
    waiting_ << text;
    showWaiting();
}

QString ErrorNote::text() const {
    if (waiting_.size() < 2) return waiting_.join("");
    QStringList lines; // one each, so that several are read at a glance
    for (const QString& w : waiting_.first(std::min<qsizetype>(kShown, waiting_.size())))
        lines << QString(w).replace('\n', ' ');
    return lines.join('\n');
}

void ErrorNote::showWaiting() {
    setVisible(!waiting_.isEmpty());
    label_->setText(text());
    copy_->setText(tr("Copy details"));
    close_->setText(waiting_.size() > kShown ? tr("Next (%1 more)").arg(waiting_.size() - kShown) : tr("Close"));
}

void ErrorNote::paintEvent(QPaintEvent*) {
    const Theme& t = Theme::now();
    QPainter p(this);
    p.fillRect(rect(), t.paperOpen);
    p.fillRect(QRect(0, 0, 6, height()), t.ember);
    p.setPen(t.emberInk);
    p.setFont(words(12));
    p.drawText(QRect(12, 8, 20, 20), Qt::AlignCenter, "▲");
    p.setPen(t.line);
    p.drawLine(0, height() - 1, width(), height() - 1);
}

} // namespace ulm::app
