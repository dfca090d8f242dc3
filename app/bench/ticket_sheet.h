#pragma once

#include "app/bench/live_model.h"
#include "app/bench/step_block.h"

#include <QScrollArea>
#include <functional>

class QLabel;
class QComboBox;
class QVBoxLayout;

namespace ulm::app {

class AdviceBlock;
class CropMap;
class GainModel;
class OverdoneModel;

/// The sheet of paper at the left of the Bench.
class TicketSheet : public QWidget {
    Q_OBJECT
public:
    TicketSheet(Project& project, LiveModel& live, OverdoneModel& overdone, QWidget* parent = nullptr);
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
    void listNetworks(QComboBox* method, int shipped);
    /// Puts a network's file on the ticket, after asking for what the file does not say.
    void useNetwork(const QString& file);
    void refresh();
    void showMenu();
    /// The crop's map in a step; moving it puts the place on the ticket.
    CropMap* addCrop(StepBlock* s, const char* name, const std::function<void(Ticket&, const QPointF&)>& put);
    void edit(const std::function<void(Ticket&)>& change, const QString& stroke = {});
    /// A slider of the ticket's number `member`; moving it switches the step on.
    QuantitySlider* addNumber(StepBlock* s, const char* key, const QString& name, double least, double most,
                              double step, int decimals, const QString& unit,
                              const std::function<double&(Ticket&)>& member);
    /// A slider of a quantity that can follow the clip's reading.
    QuantitySlider* addQuantity(StepBlock* s, const char* key, const QString& name, double most, double step,
                                int decimals, const std::function<Quantity&(Ticket&)>& member,
                                const std::function<double(const ClipEntry&)>& reading);

    Project& project_;
    LiveModel& live_;
    GainModel* gains_;
    QLabel *title_, *facts_, *advice_;
    AdviceBlock* block_;
    QVBoxLayout* column_;
    std::map<QString, StepBlock*> steps_;
    std::vector<std::function<void(const Ticket&, const ClipEntry&)>> refreshers_;
};

} // namespace ulm::app
