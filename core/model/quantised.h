#pragma once

#include "core/model/net_graph.h"

#include <optional>
#include <vector>

namespace ulm {

/// How 8-bit codes stand for the numbers of one value between layers: number = scale · (code - zero), codes 0 … 255.
struct QuantisedValue {
    float scale = 1;
    int zero = 0;
};

/// A graph made ready for 8-bit convolutions.
struct QuantisedGraph {
    NetGraph graph; ///< same results as the one it was made from, channels evened out
    std::vector<std::optional<QuantisedValue>> values; ///< by value; none: stays in floats
};

/// Reads the note "ulmwood.activations" (per activated convolution, in order, each channel's least and greatest value
/// on pictures it was trained on: "l,h l,h …; l,h …"), and evens out the channels of each value between two
/// convolutions, so that one scale serves all: what leaves a channel is divided by its own reach, and what reads it
/// multiplied (Nagel et al., "Data-free quantization through weight equalization and bias correction", 2019). None
/// where the note is missing, or where the graph is no plain run of convolutions and leaky rectifiers.
std::optional<QuantisedGraph> quantised(const NetGraph&);

/// The notes' text for a network between two: each channel's reach in either.
std::string widerActivations(const std::string& first, const std::string& second);

} // namespace ulm
