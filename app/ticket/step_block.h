#pragma once

#include "app/widgets/fold_group.h"
#include "app/widgets/quantity_slider.h"
#include "app/widgets/switch.h"

#include <QWidget>
#include <vector>

class QCheckBox;
class QLabel;
class QVBoxLayout;

namespace ulm::app {

/// One step of the ticket: number, name, switch, a sentence that says what will happen, and its controls, opened in
/// place by a click.
class StepBlock : public QWidget {
    Q_OBJECT
public:
    StepBlock(int number, const QString& name, const QString& key, QWidget* parent = nullptr);
    /// on: as the ticket has it; done: it is done all the same, for the destination asks it.
    void setOn(bool on, bool done);
    /// Without a switch, for what is always done.
    void setAlwaysOn();
    void setSentence(const QString& text);
    /// What the destination on the table adds to this step, a line each, rich text; a link's address is its number.
    void setAdditions(const QStringList& lines);
    /// Whether its values hold for `destination` alone; an empty name: no destination is on the table.
    void setOnly(const QString& destination, bool only);
    void setOpen(bool open);
    bool isOpen() const { return open_; }
    QWidget* controls() { return controls_; }
    QVBoxLayout* rows() { return rows_; }
    /// Rows added from here on belong to a group that folds.
    FoldGroup* addGroup(const QString& heading, const QString& object);

signals:
    void switched(bool on);
    void opened(bool open);
    void offerTaken(int number);
    void onlyWanted(bool only);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void showOnly();

    int number_;
    QLabel *name_, *sentence_, *additions_;
    QCheckBox* only_;
    QString destination_;
    Switch* switch_;
    QWidget* controls_;
    QVBoxLayout *rows_, *all_; ///< where rows go now; of all controls
    bool open_ = false;
};

/// A row of mutually exclusive words.
class ChoiceRow : public QWidget {
    Q_OBJECT
public:
    ChoiceRow(const QString& name, const QStringList& words, QWidget* parent = nullptr);
    void setCurrent(int index);

signals:
    void chosen(int index);

private:
    std::vector<QWidget*> buttons_;
};

/// Rows of a step's controls; `object` names the widget by its ticket key.
QuantitySlider* addSlider(StepBlock* step, const char* object, const QString& name, double least, double most,
                          double by, int decimals, const QString& unit);
/// A line of small words that say what was measured; hidden until remark() gives it some.
QLabel* addRemark(StepBlock* step, const char* object);
void remark(QLabel* line, const QString& text);

} // namespace ulm::app
