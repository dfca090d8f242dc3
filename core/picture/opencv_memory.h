#pragma once

namespace ulm {

/// From now on OpenCV's larger matrices, its own temporary ones too, take their memory where planes do (BufferPool).
/// Fields of movement are made of some fifty of them a picture: a sixth of the time went into new pages. Call once,
/// before threads start.
void recycleMatrices();

} // namespace ulm
