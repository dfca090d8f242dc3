#pragma once

namespace ulm {

struct BetweenField;

/// Exchanges the layers of single places, which changes nothing there, so that each layer goes on smoothly from place
/// to place, and gives layers that do not count at a place the path of a neighbour where they do. Between places a path
/// is mixed of those around it: where a layer leapt from one thing's path to another's, what lies half way would be
/// shown.
void orderLayers(BetweenField& field);

} // namespace ulm
