#pragma once

#include "app/project/project.h"

namespace ulm::app {

/// Takes a dropped file that is no clip: a ticket or a look for the clip on the Bench, a destination's card to be
/// watched. False where it is none of these. Errors: those of reading it; Fault::Usage where there is no clip yet, and
/// for networks, which are chosen in their step.
/// `along`: all that was dropped with it: a ticket beside its clip is left to that, which takes it when it is opened.
bool takeDropped(Project&, const QString& path, const QStringList& along);

} // namespace ulm::app
