#pragma once

#include "app/bench/live_model.h"
#include "app/widgets/quantity_slider.h"
#include "app/widgets/switch.h"

#include <QScrollArea>

class QLabel;
class QVBoxLayout;

namespace ulm::app {

/// One step of the ticket: number, name, switch, a sentence that says what will happen, and its controls, opened in
/// place by a click.
class StepBlock : public QWidget {
    Q_OBJECT
public:
    StepBlock(int number, const QString& name, const QString& key, QWidget* parent = nullptr);
    void setOn(bool on);
    void setSentence(const QString& text);
    void setOpen(bool open);
    bool isOpen() const { return open_; }
    QWidget* controls() { return controls_; }
    QVBoxLayout* rows() { return rows_; }

signals:
    void switched(bool on);
    void opened(bool open);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    int number_;
    QLabel *name_, *sentence_;
    Switch* switch_;
    QWidget* controls_;
    QVBoxLayout* rows_;
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

class AdviceBlock;

/// The sheet of paper at the left of the Bench.
class TicketSheet : public QWidget {
    Q_OBJECT
public:
    TicketSheet(Project& project, LiveModel& live, QWidget* parent = nullptr);
    StepBlock* step(const QString& key) { return steps_.at(key); }
    /// Writes what was found in the current clip, as CSV where the name ends so, else as JSON.
    void saveFindings(const QString& path);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    StepBlock* addStep(const QString& name, const QString& key);
    void buildClean();
    void buildEnlarge();
    void buildMotion();
    void buildFrame();
    void buildFinish();
    void buildSound();
    void buildDeliver();
    void refresh();
    void showMenu();
    template <class F>
    void edit(F change, const QString& stroke = {});

    Project& project_;
    LiveModel& live_;
    QLabel *title_, *facts_, *advice_;
    AdviceBlock* block_;
    QVBoxLayout* column_;
    std::map<QString, StepBlock*> steps_;
    std::vector<std::function<void(const Ticket&, const ClipEntry&)>> refreshers_;
};

} // namespace ulm::app
