#pragma once

#include <QFont>
#include <QStringList>

namespace ulm::app {

/// `text` in lines of at most this width, as many as fit into this height, broken between words; where it goes on after
/// them the last one ends in an ellipsis. At least one line.
QStringList fittedLines(const QString& text, const QFont& font, int width, int height);

} // namespace ulm::app
