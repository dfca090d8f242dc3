#pragma once

#include "core/inspect/marks.h"
#include "core/inspect/prints.h"
#include "core/inspect/things.h"

namespace ulm {

/// Where a picture's subject is: its middle and its extent, fractions [0, 1] of the upright picture.
struct SubjectPlace {
    float x = 0.5f, y = 0.5f, w = 0, h = 0;
};

/// A shot's subject, and what spoke for it: shares of the weight inside the subject's surroundings, which sum to one.
struct SubjectShot {
    std::int64_t first = 0; ///< frame
    double faces = 0, things = 0;
    Being being = Being::Thing; ///< what the things are, most of all
    double movement = 0, contrast = 0;
    double confidence = 0; ///< [0, 1]: how far its surroundings stand out from the rest
    double second = 0;     ///< [0, 1]: weight in the second's surroundings, to the first's
};

/// A second subject is worth following from this much of the first's weight on.
inline constexpr double kSecondSubject = 0.3;

/// What the eye would follow, one place a frame; none where the clip was not looked at whole.
struct Subject {
    std::vector<SubjectPlace> places;
    std::vector<SubjectPlace> seconds; ///< the next to follow, apart from the first; as many as places
    std::vector<SubjectShot> shots;
    /// Of the shot that holds this frame; null where there is none.
    const SubjectShot* shotOf(std::int64_t frame) const;
};

/// How pictures are shown: turned clockwise by 0, 90, 180 or 270 degrees, after left and right were exchanged.
struct Turning {
    int rotation = 0;
    bool mirrored = false;
    int width = 0, height = 0; ///< upright pixels
};

/// What networks saw on some frames.
struct SeenThings {
    std::vector<Mark> faces;
    std::vector<Thing> things;
};

/// The subject of every shot. Each cell of a print weighs what a face does, or a person, an animal or a thing
/// that moves, followed from where it was seen, what moves against its surroundings (after the whole picture's movement
/// is taken out), and how it stands out in brightness (centre against surround: Itti, Koch & Niebur, IEEE PAMI 1998);
/// the middle of the picture a little more than its borders. The place of the subject is the path of a window over all
/// frames of a shot at once that holds most of that weight for least movement (Viterbi, dynamic programming). The
/// second is found so in what the first leaves. prints: of every frame, as stored; seen: upright pixels; `cuts`: first
/// frames of shots; fps: frames a second.
Subject findSubject(const std::vector<Thumbprint>& prints, const std::vector<std::int64_t>& cuts,
                    const SeenThings& seen, const Turning& shown, double fps = 25);

/// Follows what lies in a box (of cells, as stored) on print `from` towards print `to` by block matching on mean
/// absolute difference, the template renewed slowly. Middles, one a print from `from` on; shorter where it was lost:
/// when the match is much worse than usual.
struct CellBox {
    float x = 0, y = 0; ///< middle, cells
    int w = 0, h = 0;   ///< odd
};
std::vector<CellBox> followCells(const std::vector<Thumbprint>& prints, std::int64_t from, std::int64_t to,
                                 CellBox box);

/// Between cells as stored and fractions of the upright picture.
SubjectPlace uprightPlace(const CellBox& stored, const Turning& shown);
CellBox storedCells(const SubjectPlace& upright, const Turning& shown);

} // namespace ulm
