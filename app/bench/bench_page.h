#pragma once

#include "app/bench/live_model.h"

#include <QWidget>

namespace ulm::app {

class Player;
class TablePanel;
class ReelStrip;
class TicketSheet;

/// The main screen: shelf, ticket, viewing table, spots, reel strip, targets.
class BenchPage : public QWidget {
    Q_OBJECT
public:
    explicit BenchPage(Project& project, QWidget* parent = nullptr);
    LiveModel& live() { return *live_; }
    TablePanel& table() { return *table_; }
    ReelStrip& reel() { return *reel_; }
    TicketSheet& ticket() { return *ticket_; }
    Player& player() { return *player_; }
    /// Does what the key stands for; false where it stands for nothing here.
    bool handleKey(const QKeyEvent& e);

signals:
    void filesWanted();
    void runWanted();

protected:
    void keyPressEvent(QKeyEvent*) override;
    void keyReleaseEvent(QKeyEvent*) override;

private:
    void addSpot(const QPointF& delivered);
    void dragCrop(const QPointF& by, bool done);
    void markEnd(bool end);

    Project& project_;
    LiveModel* live_;
    Player* player_;
    TicketSheet* ticket_;
    TablePanel* table_;
    ReelStrip* reel_;
};

} // namespace ulm::app
