#pragma once

#include "app/live/live.h"

#include <QWidget>
#include <functional>

namespace ulm::app {

class Player;
class TablePanel;
class ReelStrip;
class TicketSheet;
class ClipShelf;
class OverdoneModel;
class ResultReel;
class ScopesView;
class SpotsColumn;
class TargetBar;

/// The main screen: shelf, ticket, viewing table, spots, reel strip, targets.
class BenchPage : public QWidget {
    Q_OBJECT
public:
    explicit BenchPage(Project& project, QWidget* parent = nullptr);
    ~BenchPage() override;
    OverdoneModel& overdone() { return *overdone_; }
    Live& live() { return *live_; }
    TablePanel& table() { return *table_; }
    ReelStrip& reel() { return *reel_; }
    TicketSheet& ticket() { return *ticket_; }
    Player& player() { return *player_; }
    ResultReel& results() { return *results_; }
    /// Nothing but the viewing table and the reel strip.
    void setFullTable(bool full);
    /// Does what the key stands for; false where it stands for nothing here.
    bool handleKey(const QKeyEvent& e);

signals:
    void filesWanted();
    void runWanted();
    void runsWanted(const std::vector<int>& clips); ///< places in the project
    void fullTableChanged(bool full);

protected:
    void keyPressEvent(QKeyEvent*) override;
    void keyReleaseEvent(QKeyEvent*) override;

private:
    void addSpot(const QPointF& delivered);
    /// The next click on the table says the place that `then` is done with.
    void askForPlace(const QString& words, void (BenchPage::*then)(const QPointF& delivered));
    void makeGrey(const QPointF& delivered);
    void matchTo(const QString& file);
    void saveLook(const QString& file);
    void followFrom(const QPointF& delivered);
    void stopFollowing();
    void dragCrop(const QPointF& by, const QPointF& from, bool done);
    void markEnd(bool end, bool anew = false);
    void toggleResult();
    bool handleAltKey(int key);
    void takeAdvice();

    Project& project_;
    Live* live_;
    OverdoneModel* overdone_;
    ResultReel* results_;
    Player* player_;
    ClipShelf* shelf_;
    ScopesView* scopes_ = nullptr;
    SpotsColumn* spots_;
    TargetBar* targets_;
    bool fullTable_ = false;
    CancelToken following_;                        ///< of what was clicked on
    std::function<void(const QPointF&)> placeFor_; ///< what a place that was asked for is for
    QString lastFault_ = "blocking";               ///< what V brings back
    TicketSheet* ticket_;
    TablePanel* table_;
    ReelStrip* reel_;
};

} // namespace ulm::app
