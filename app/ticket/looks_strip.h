#pragma once

#include "app/live/live.h"
#include "core/finish/table_stage.h"

#include <QDateTime>
#include <QHash>
#include <QWidget>

class QHBoxLayout;
class QToolButton;

namespace ulm::app {

/// The looks at hand, on this very frame: none, the tables that were made for clips, and those of a folder of one's
/// own. A click puts one on the ticket. Shown while Finish is open.
class LooksStrip : public QWidget {
    Q_OBJECT
public:
    LooksStrip(Project& project, Live& live, QWidget* parent = nullptr);
    /// The files in the order of the strip, "" for none first.
    const QStringList& files() const { return files_; }
    bool fresh() const { return fresh_; }

protected:
    void showEvent(QShowEvent*) override;

private:
    void gather();
    void stale();
    void refresh();
    void choose(const QString& file);

    Project& project_;
    Live& live_;
    QHBoxLayout* row_;
    QStringList files_;
    std::vector<QToolButton*> buttons_; ///< one a file
    struct Table {
        qint64 size = 0;
        QDateTime written;
        LookTablePtr table;
    };
    LookTablePtr tableOf(const QString& file);
    QHash<QString, Table> tables_; ///< the worker's alone
    bool fresh_ = false;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{8}; // last: it ends before what it uses
};

} // namespace ulm::app
