#pragma once

#include "core/target/target.h"

#include <QDialog>
#include <functional>

class QCheckBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace ulm::app {

/// A destination of one's own, made or changed: its name and its limits. It stays open until what is wrong is mended.
class OwnCard : public QDialog {
    Q_OBJECT
public:
    /// `from`: the card to change; one without a file is the start for a new one. `save` returns what went wrong, or
    /// nothing.
    OwnCard(const Target& from, std::function<QString(const Target&)> save, QWidget* parent = nullptr);
    Target card() const; ///< as it is filled in
    bool isRemoved() const { return removed_; }

private:
    void refresh();
    void tryToSave();
    Target from_;
    std::function<QString(const Target&)> save_;
    QLineEdit* title_;
    QSpinBox *width_, *height_;
    QDoubleSpinBox *megabytes_, *rate_, *seconds_;
    QDoubleSpinBox *top_, *bottom_, *left_, *right_;
    QCheckBox *h264_, *h265_, *hdr_;
    QLabel* told_;
    QPushButton* done_;
    bool removed_ = false;
};

} // namespace ulm::app
