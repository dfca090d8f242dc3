#pragma once

#include <QString>

namespace ulm::app {

/// Keeps a log in this folder, at most twice half a megabyte; where it cannot be written, none. Empty: none.
void openLog(const QString& folder);
/// A line of it; from any thread.
void logLine(const QString& what);
void logProblem(const QString& what);

/// What a report of an error should carry: its words, version, system, and the log's last lines.
QString errorDetails(const QString& words);

} // namespace ulm::app
