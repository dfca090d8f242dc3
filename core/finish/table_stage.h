#pragma once

#include "core/engine/stage.h"

#include <string>

namespace ulm {

class LookTable;
using LookTablePtr = std::shared_ptr<const LookTable>;

/// Reads a look-up table, a .cube file of one or three dimensions; one that was read and has not changed is kept. Not
/// over 64 MB. Errors: Fault::Input naming the file: not there, not a table.
LookTablePtr loadLookTable(const std::string& path);
/// The same, without keeping it or asking for what is kept: for looking at many.
LookTablePtr readLookTable(const std::string& path);
/// It was read and has not changed: loadLookTable() answers at once.
bool lookTableIsKept(const std::string& path);

/// R'G'B' through a look-up table, tetrahedral between the entries of three dimensions; what else a file may hold is
/// OpenColorIO's. strength, [0,
/// 1]: how much of what it changes is kept.
StagePtr throughTable(StagePtr input, const LookTablePtr& table, double strength);

} // namespace ulm
