#pragma once

#include "core/model/model_folder.h"

#include <QString>

class QWidget;

namespace ulm::app {

/// Asks for what a network's file does not say, and keeps the answers beside it. False where the person steps back.
/// Errors: Fault::Output where the card cannot be written.
bool askForCard(QWidget* parent, const QString& file, NetworkCard card);

} // namespace ulm::app
