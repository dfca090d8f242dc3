#pragma once

#include "app/project/project.h"

#include <QScrollArea>
#include <QWidget>

class QHBoxLayout;
class QLineEdit;
class QMenu;
class QToolButton;

namespace ulm::app {

class FactsSheet;

/// One clip on the shelf: picture, name, what was found, whether it fits. Click chooses it; Ctrl+click marks it, so
/// that several are treated at once.
class ClipCard : public QWidget {
    Q_OBJECT
public:
    ClipCard(int index, Project& project, QWidget* parent = nullptr);
    int index() const { return index_; }
    QString told() const; ///< its length, and the worst that was found
    bool marked() const { return marked_; }
    void setMarked(bool on) { marked_ = on, update(); }

signals:
    void markToggled();
    void menuWanted(const QPoint& global);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

private:
    int index_;
    Project& project_;
    bool marked_ = false;
};

/// The row of clips at the top of the Bench, sorted and filtered as wanted.
class ClipShelf : public QWidget {
    Q_OBJECT
public:
    enum class Order { AsAdded, Name, Worst, Longest, Largest };
    enum class Only { All, Found, Blocky, Noisy, Soft, Repeats, Over };
    explicit ClipShelf(Project& project, QWidget* parent = nullptr);
    void setOrder(Order order);
    void setOnly(Only only);
    /// All clips as a table under the cards.
    void showFacts(bool on);
    /// Places of the shown clips in the project, in the order shown.
    std::vector<int> shown() const;

signals:
    void filesWanted();
    void runsWanted(const std::vector<int>& clips); ///< places in the project

private:
    void refresh();
    void openMenu();
    void cardMenu(ClipCard* card, const QPoint& at);
    std::vector<int> marked() const;
    void markAll(bool on);
    void addCommands(QMenu& menu, const std::vector<int>& clips);
    void addRemoval(QMenu& menu, const std::vector<int>& clips);
    void addReturn(QMenu& menu); ///< of what was taken off last
    void putAdvice(const std::vector<int>& clips);
    bool passes(const ClipEntry&) const;
    Project& project_;
    QWidget* row_;
    QHBoxLayout* cards_;
    QScrollArea* scroll_;
    QToolButton* menu_;
    FactsSheet* facts_ = nullptr; ///< under the cards, while it is asked for
    Order order_ = Order::AsAdded;
    Only only_ = Only::All;
    QStringList paths_; ///< of the cards that stand there
    int current_ = -1;
};

} // namespace ulm::app
