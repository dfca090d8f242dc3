#pragma once

#include "core/inspect/marks.h"

#include <optional>

namespace ulm {

enum class Being { Person, Animal, Thing };

/// Somebody or something that a crop may follow.
struct Thing {
    Mark mark;
    Being being = Being::Thing;
    struct Place {
        float x = 0.5f, y = 0.5f; ///< of the box
    };
    std::optional<Place> head; ///< of an animal that is wider than a third of the picture; none: not found
};

/// People, animals and things of 80 kinds (COCO's: Lin et al., ECCV 2014), whole ones and those that are partly in
/// sight, from about a twentieth of the picture's sides: a published network of centres and borders (after Zhou, Wang
/// & Krähenbühl, "Objects as points", 2019; models/things) run by OpenCV on the shrunk picture. Surest first.
std::vector<Thing> findThings(const Picture&, std::int64_t frame);

} // namespace ulm
