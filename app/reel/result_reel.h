#pragma once

#include "app/live/live.h"

#include <list>

namespace ulm::app {

/// Pictures of the result, rendered in the background so that it can be played: nearest to the playhead first, inside
/// the stretch. They are kept by the result they belong to, so that a change which does not affect it, or its undo,
/// finds them again; the longest unused go first once the budget is full.
class ResultReel : public QObject {
    Q_OBJECT
public:
    static constexpr int kLongestSide = 720; ///< of a kept picture
    ResultReel(Project& project, Live& live, QObject* parent = nullptr);

    /// Delivered frame `index`; null where it is not rendered yet.
    QImage picture(std::size_t index) const;
    /// The delivered frame on show `seconds` into the movie; −1 outside it.
    std::int64_t indexAt(double movie) const;
    /// Between the movie's seconds and the clip's.
    double clipSeconds(double movie) const;
    double movieSeconds(double clip) const;
    /// Share of the frames that are rendered, and which of them.
    double share() const;
    /// The result runs as the clip does: its sound fits.
    bool asFilmed() const;
    const std::map<std::size_t, QImage>* rendered() const;

signals:
    void changed();

private:
    struct Kept {
        Key key;
        std::map<std::size_t, QImage> pictures;
    };
    void start();
    void keep(Key key, std::size_t index, const QImage& image);

    Project& project_;
    Live& live_;
    std::list<Kept> kept_; ///< newest use first
    QTimer later_;
    LatestWorker worker_{10};
};

} // namespace ulm::app
