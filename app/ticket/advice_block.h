#pragma once

#include "app/live/live.h"

#include <QWidget>

class QVBoxLayout;

namespace ulm::app {

/// What was found, worst first, and what would help: each advice with what it risks, one click to put it on the ticket,
/// and a second choice. Each finding leads to the place where it is worst.
class AdviceBlock : public QWidget {
    Q_OBJECT
public:
    AdviceBlock(Project& project, Live& live, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent*) override;
    void showEvent(QShowEvent*) override;

private:
    void refresh();
    void addAdvice(const Advice& advice, int number, bool done);
    void addFinding(const Finding& finding, int number);
    void put(const std::map<std::string, std::string>& set);

    Project& project_;
    Live& live_;
    QVBoxLayout* rows_;
    QString shown_; ///< what the rows were made from
};

} // namespace ulm::app
