#pragma once

#include "app/live/live.h"
#include "core/judge/trial.h"

#include <QImage>

namespace ulm::app {

/// A candidate on one spot.
struct TrialCell {
    QImage picture;
    TrialMeasure measure;
    bool fresh = false;
};

/// How columns are put in order.
enum class RankBy { Error, Faults, Texture, Edge, Picks };

/// Candidate tickets on the current clip's spots: computes the grid, ranks it, counts picks made without knowing which
/// is which, and adopts one.
class TrialsModel : public QObject {
    Q_OBJECT
public:
    TrialsModel(Project& project, Live& live, QObject* parent = nullptr);

    void tryAdvice();
    void tryRamp(const std::string& key);
    void stop();
    const std::vector<Candidate>& candidates() const { return candidates_; }
    /// Spots that the grid was made for, and their untreated pictures.
    const std::vector<Spot>& spots() const { return spots_; }
    const QImage& before(std::size_t spot) const { return before_[spot]; }
    const TrialCell& cell(std::size_t candidate, std::size_t spot) const {
        return cells_[candidate * spots_.size() + spot];
    }
    double share() const; ///< of cells that are computed
    /// Mean over spots; meaningless until the column is complete.
    TrialMeasure mean(std::size_t candidate) const;
    bool complete(std::size_t candidate) const;

    void setRankBy(RankBy by);
    RankBy rankBy() const { return rankBy_; }
    /// Candidates in the order in which their columns stand.
    const std::vector<std::size_t>& order() const { return order_; }

    /// Blind: columns in an order of chance, without names or figures.
    void setBlind(bool on);
    bool blind() const { return blind_; }
    void pick(std::size_t candidate);
    int picks(std::size_t candidate) const { return picks_[candidate]; }
    int allPicks() const;

    void adopt(std::size_t candidate);
    /// A candidate's whole frame at the playhead: answered by wholeFrame().
    void askWholeFrame(std::size_t candidate);
    /// The grid with names and values, as one picture.
    QImage sheet() const;

signals:
    void changed();
    void wholeFrame(std::size_t candidate, const QImage& picture);

private:
    void run(std::vector<Candidate> candidates);
    void arrange();

    Project& project_;
    Live& live_;
    QString of_; ///< path of the clip that the grid belongs to
    std::vector<Candidate> candidates_;
    std::vector<Spot> spots_;
    std::vector<QImage> before_;
    std::vector<TrialCell> cells_;
    std::vector<std::size_t> order_;
    std::vector<int> picks_;
    RankBy rankBy_ = RankBy::Error;
    bool blind_ = false;
    std::uint64_t round_ = 0;
    LatestWorker worker_, wholeWorker_;
};

} // namespace ulm::app
