#pragma once

#include "app/bench/live_model.h"

#include <QWidget>

namespace ulm::app {

/// The clip over time: thumbnails, the motion trace with cuts and repeated frames, the playhead, the marked stretch.
/// Click or drag the thumbnails to move the playhead; drag in the trace to mark a stretch; drag its ends to change it.
class ReelStrip : public QWidget {
    Q_OBJECT
public:
    ReelStrip(Project& project, LiveModel& live, QWidget* parent = nullptr);
    ~ReelStrip() override;
    int xOfFrame(std::int64_t frame) const;
    std::int64_t frameAtX(int x) const;
    /// Marks frames [a, b] as the stretch; clears it where b < a.
    void markStretch(std::int64_t a, std::int64_t b, bool done);
    void clearStretch();
    int traceTop() const { return 46; }

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void loadThumbnails();
    std::pair<std::int64_t, std::int64_t> stretchFrames() const;

    Project& project_;
    LiveModel& live_;
    QString shown_; ///< path whose thumbnails these are
    std::vector<QImage> thumbnails_;
    std::uint64_t round_ = 0;
    enum class Drag { None, Playhead, Mark } drag_ = Drag::None;
    std::int64_t anchor_ = 0;
    LatestWorker worker_;
};

} // namespace ulm::app
