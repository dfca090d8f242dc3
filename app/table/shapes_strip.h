#pragma once

#include "app/live/live.h"

#include <QWidget>

namespace ulm::app {

/// The playhead's frame in every ticked shape, side by side: what each destination shows of the clip. A click puts that
/// one on the table. Untreated, so that it is there at once.
class ShapesStrip : public QWidget {
    Q_OBJECT
public:
    ShapesStrip(Project& project, Live& live, QWidget* parent = nullptr);
    /// By hand; without that it shows itself where two or more different shapes are ticked.
    void setWanted(bool on);
    bool wanted() const { return wanted_.value_or(shapes_ > 1); }
    /// Where a destination's picture lies ("": the ticket alone); empty where it has none.
    QRect boxOf(const std::string& target) const;
    const QImage& pictureOf(const std::string& target) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void showEvent(QShowEvent*) override;

private:
    struct Shape {
        std::string target;
        QString title;
        DeliveryPtr delivery;
        QImage picture;
        QString of;              ///< clip and framing that the picture shows
        std::int64_t frame = -1; ///< of the clip that it shows
    };
    void gather();
    void refresh();

    Project& project_;
    Live& live_;
    std::vector<Shape> all_;
    std::size_t shapes_ = 0; ///< how many of them differ
    std::optional<bool> wanted_;
    std::uint64_t round_ = 0;
    QTimer later_;
    LatestWorker worker_{8}; // last: it ends before what it uses
};

} // namespace ulm::app
