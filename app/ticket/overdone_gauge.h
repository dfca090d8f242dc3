#pragma once

#include "app/ticket/overdone_model.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace ulm::app {

/// The overdone meter at the foot of the ticket: a bar with its limit, the worst in words (a click goes there), and
/// "Ease it" where it is too much.
class OverdoneGauge : public QWidget {
    Q_OBJECT
public:
    OverdoneGauge(Project& project, Live& live, OverdoneModel& model, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void refresh();
    void goThere();

    Project& project_;
    Live& live_;
    OverdoneModel& model_;
    QLabel* words_;
    QPushButton* ease_;
};

} // namespace ulm::app
