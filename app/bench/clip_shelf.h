#pragma once

#include "app/project/project.h"

#include <QScrollArea>
#include <QWidget>

class QHBoxLayout;

namespace ulm::app {

/// One clip on the shelf: picture, name, what was found.
class ClipCard : public QWidget {
    Q_OBJECT
public:
    ClipCard(int index, Project& project, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    int index_;
    Project& project_;
};

/// The row of clips at the top of the Bench.
class ClipShelf : public QWidget {
    Q_OBJECT
public:
    explicit ClipShelf(Project& project, QWidget* parent = nullptr);

signals:
    void filesWanted();

private:
    void refresh();
    Project& project_;
    QWidget* row_;
    QHBoxLayout* cards_;
    QScrollArea* scroll_;
    QStringList paths_; ///< of the cards that stand there
    int shown_ = -1;
};

} // namespace ulm::app
