#pragma once

#include "app/live/live.h"
#include "app/ticket/step_block.h"
#include "core/ticket/step.h"

#include <functional>

class QComboBox;

namespace ulm::app {

/// The rows of a step's controls, made from what the step says of its keys. What takes more than a slider, a row of
/// words or a tick (a size, a network's file, a crop) has a row of its own here as well.
class StepRows : public QObject {
    Q_OBJECT
public:
    StepRows(Project& project, Live& live, QWidget* parent);

    /// Adds the rows of one part to its step's block.
    void add(StepBlock* block, const StepPart& part);
    /// Brings all rows up to date with the ticket as it holds for the destination on the table; `done` has what the
    /// destination adds as well.
    void refresh(const Ticket& t, const Ticket& done, const ClipEntry& c);

signals:
    /// The next click on the picture is to say what is grey.
    void greyWanted();
    /// … and now what the crop is to follow.
    void subjectWanted();
    /// The clip is to have the light and colour of this file.
    void matchWanted(const QString& file);
    /// Its own are to be written to this file.
    void lookWanted(const QString& file);

private:
    QWidget* rowFor(StepBlock* block, const TicketKey& key);
    QWidget* slider(StepBlock* block, const TicketKey& key);
    QWidget* words(StepBlock* block, const TicketKey& key);
    QWidget* tick(StepBlock* block, const TicketKey& key);
    QWidget* sizeRow(StepBlock* block, const TicketKey& key);
    QWidget* methodRow(StepBlock* block, const TicketKey& key);
    QWidget* fileRow(StepBlock* block, const TicketKey& key);
    QWidget* textRow(StepBlock* block, const TicketKey& key);
    QWidget* pinsRow(StepBlock* block, const TicketKey& key);
    void addGreyPicker(StepBlock* block);
    void addCurve(StepBlock* block);
    void addTogether(StepBlock* block);
    void addCadences(StepBlock* block);
    void addDoubt(StepBlock* block);
    void addLooks(StepBlock* block);
    void addGroup(StepBlock* block, const StepPart& part, const TicketKey& first);
    void addCrop(StepBlock* block, const char* name, bool ofFrame);
    void listNetworks(QComboBox* method, int shipped, const QString& now);
    /// Puts a network's file on the ticket, after asking for what the file does not say.
    void useNetwork(const QString& file);
    /// Sets a key as `--set` does: its step comes on, and what it rules out goes.
    void set(const std::string& key, const std::string& value);

    Project& project_;
    Live& live_;
    QWidget* window_;
    std::vector<std::function<void(const Ticket&, const ClipEntry&)>> refreshers_;
    Ticket done_;
};

} // namespace ulm::app
