#pragma once

#include "core/engine/stage.h"
#include "core/picture/hdr_data.h"

#include <array>

namespace ulm {

/// What is taken for the brightest of an HDR clip that does not tell it, and what becomes white: the reference white of
/// ITU-R BT.2408. cd/m².
inline constexpr double kHdrPeak = 1000, kHdrWhite = 203;
/// What R, G and B of BT.2020, of Rec. 709 have of luminance, and linear light of the first to that of the second
/// (ITU-R BT.2087, inverse).
inline constexpr double kHdrLuminance[3] = {0.2627, 0.6780, 0.0593}, kLuminance709[3] = {0.2126, 0.7152, 0.0722};
inline constexpr double kHdrTo709[3][3] = {
    {1.6605, -0.5876, -0.0728}, {-0.1246, 1.1329, -0.0083}, {-0.0182, -0.1006, 1.1187}};
/// The brightest of a clip, cd/m², kHdrWhite … 10000: of its pictures, or of its mastering screen, where it tells them.
/// HLG has no light of its own: it is shown as on a display of kHdrPeak.
double hdrPeak(const HdrData& told, int transfer);

/// Light of a PQ signal in [0, 1], cd/m² (SMPTE ST 2084), and back.
double pqLight(double signal);
double pqSignal(double light);
/// Light of an HLG signal in [0, 1], of the scene, 0 … 1 (ITU-R BT.2100).
double hlgLinear(double signal);
/// Light of R, G and B on a display of kHdrPeak for HLG signals (ITU-R BT.2100, system gamma 1.2).
std::array<double, 3> hlgLight(const std::array<double, 3>& signal);
/// The roll-off of ITU-R BT.2390 (EETF, 5.4.1), from `peak` to kHdrWhite: light in cd/m² to light.
double rolledOff(double light, double peak = kHdrPeak);

/// R'G'B' of BT.2020 as PQ (transfer 16) or HLG (18) to R'G'B' of Rec. 709 on BT.1886, in double precision: light,
/// rolled off by the largest of R, G, B so that hues stay, into the primaries of Rec. 709; what those cannot show is
/// paled at the same luminance until they can. The stage's reference.
std::array<double, 3> standardRange(const std::array<double, 3>& signal, int transfer, double peak = kHdrPeak);

/// An HDR clip (PQ or HLG) brought to standard range, from the peak that it tells; 8 bit, BT.709. Within 1/2 step of 10
/// bit of standardRange(), within one and a half where a channel goes to black.
StagePtr toStandardRange(StagePtr input, const HdrData& told = {});

} // namespace ulm
