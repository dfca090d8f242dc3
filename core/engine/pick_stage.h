#pragma once

#include "core/engine/stage.h"

#include <functional>

namespace ulm {

/// A stage on a clock of its own: its frame n shows frame `pick(n)` of `input`, in [0, input->frames()); `frames`, > 0,
/// come out. `clock` is the identity of `pick`, for the key.
StagePtr pickFrames(StagePtr input, std::int64_t frames, Key clock, std::function<std::int64_t(std::int64_t)> pick);

} // namespace ulm
