#pragma once

#include "core/model/net_graph.h"

#include <span>

namespace ulm {

/// One step of a network on plain buffers (channels, rows, columns; no gaps), in plain loops: what the fast runner does
/// not do itself, and the truth it is tested against. in: the node's inputs in order, constants left out; out: room for
/// `size`. Nothing overlaps.
void runPlain(const NetNode& node, std::span<const float* const> in, std::span<const NetSize> inSizes, float* out,
              const NetSize& size);

/// The sum of two values with channels side by side (rows × columns × block²), each pixel's block² channels, in rows,
/// becoming block × block pixels of `out`: what most enlarging networks end with, in one go.
void shuffledSum(const float* a, const float* b, const NetSize& size, int block, float* out);

/// The whole network in plain loops. in: graph.inputChannels × rows × columns. Returns the result; its size by
/// sizesFor().
std::vector<float> runPlain(const NetGraph& graph, std::span<const float> in, int rows, int columns,
                            const std::string& file);

} // namespace ulm
