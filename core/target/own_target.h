#pragma once

#include "core/target/target.h"

namespace ulm {

/// It lies in the person's own folder: the others ship, or were handed out by someone else, and are only read.
bool isOwn(const Target&);

/// Writes a person's own card: over `t.file` where that is set, whose keys that are not known stay; else as a new one
/// in the person's folder, with a name made from its title that none of `all` has. Returned as it is read from there.
/// Errors: Fault::Usage for a card without a title; Fault::Input for limits out of range; Fault::Output where the
/// folder or the file cannot be written.
Target saveOwnTarget(Target t, const std::vector<Target>& all);

} // namespace ulm
