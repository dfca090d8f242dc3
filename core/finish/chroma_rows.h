#pragma once

namespace ulm {

/// a + part · (b - a), sample by sample.
void mixRows(const float* a, const float* b, float part, float* to, int count);
/// weight[0] · a + weight[1] · b + weight[2] · c, sample by sample.
void blendRows(const float* a, const float* b, const float* c, const float weight[3], float* to, int count);
/// Pairs of samples between those of a row: of pair k the first one lies `evenPart` of the way from even[k] to
/// even[k + 1], the other likewise.
void widenRow(const float* even, float evenPart, const float* odd, float oddPart, float* to, int pairs);
/// Every second sample, weighed with those beside it: to[k] = weight · (from[2k - 1], from[2k], from[2k + 1]).
void halveRow(const float* from, const float weight[3], float* to, int count);

} // namespace ulm
