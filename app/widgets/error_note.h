#pragma once

#include <QWidget>

class QLabel;

class QPushButton;
namespace ulm::app {

/// A strip across the top that tells what went wrong, with which file, and what to do next. Stays until closed; further
/// errors queue behind it.
class ErrorNote : public QWidget {
    Q_OBJECT
public:
    explicit ErrorNote(QWidget* parent = nullptr);
    void tell(const QString& file, const QString& reason, const QString& remedy);
    QString text() const;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    void showFirst();
    QStringList waiting_;
    QLabel* label_;
    QPushButton *copy_, *close_;
};

} // namespace ulm::app
