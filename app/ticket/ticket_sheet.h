#pragma once

#include "app/live/live.h"
#include "app/ticket/step_block.h"
#include "core/ticket/step.h"

#include <QScrollArea>
#include <map>

class QLabel;
class QToolButton;
class QVBoxLayout;

namespace ulm::app {

class AdviceBlock;
class GainModel;
class OverdoneModel;
class StepRows;

/// The sheet of paper at the left of the Bench.
class TicketSheet : public QWidget {
    Q_OBJECT
public:
    TicketSheet(Project& project, Live& live, OverdoneModel& overdone, QWidget* parent = nullptr);
    StepBlock* step(const QString& key) { return steps_.at(key); }
    /// Writes what was found in the current clip, as CSV where the name ends so, else as JSON.
    void saveFindings(const QString& path);
    /// Puts all advice for the clip on its ticket; false where there is none, or none yet.
    bool takeAdvice();
    /// Asks for a file to save the clip's ticket in.
    void saveTicketAs();

signals:
    /// The next click on the picture is to say what is grey; what the crop is to follow.
    void greyWanted();
    void subjectWanted();
    void matchWanted(const QString& file);
    void lookWanted(const QString& file);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void addStep(const StepHead& head);
    void addRemarks();
    void findClip(); ///< asks where a lost one is now
    /// What the destination on the table added to a step.
    std::map<std::string, std::vector<Addition>> told() const; ///< what is to be said, by step
    void refreshSteps(const ClipEntry& c);
    void refresh();
    void showMenu();
    Project& project_;
    Live& live_;
    GainModel* gains_;
    QLabel *title_, *facts_, *advice_;
    QToolButton* more_;
    AdviceBlock* block_;
    StepRows* rows_;
    QVBoxLayout* column_;
    std::map<QString, StepBlock*> steps_;
};

} // namespace ulm::app
