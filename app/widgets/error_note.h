#pragma once

#include <QWidget>

class QLabel;

class QPushButton;
namespace ulm::app {

/// A strip across the top that tells what went wrong, with which file, and what to do next. Stays until closed; of
/// several errors the first five are shown, a line each, and the others queue behind them.
class ErrorNote : public QWidget {
    Q_OBJECT
public:
    explicit ErrorNote(QWidget* parent = nullptr);
    void tell(const QString& file, const QString& reason, const QString& remedy);
    QString text() const;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void showWaiting();
    QStringList waiting_;
    QLabel* label_;
    QPushButton *copy_, *close_;
};

} // namespace ulm::app
