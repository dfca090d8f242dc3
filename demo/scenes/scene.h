#pragma once

#include "demo/scenes/canvas.h"

#include <memory>

namespace ulm::demo {

/// A short scene with a known, pristine look at every instant.
class Scene {
public:
    virtual ~Scene() = default;
    virtual void draw(double seconds, Canvas& canvas) = 0;
};

/// Made for canvases of one size: what does not move is painted once. `seed` changes textures, not the composition.
std::unique_ptr<Scene> makeWheel(int w, int h, std::uint32_t seed);
std::unique_ptr<Scene> makeGlaze(int w, int h, std::uint32_t seed);
std::unique_ptr<Scene> makeShelf(int w, int h, std::uint32_t seed);
std::unique_ptr<Scene> makeKiln(int w, int h, std::uint32_t seed);
std::unique_ptr<Scene> makeHands(int w, int h, std::uint32_t seed);
std::unique_ptr<Scene> makeIdent(int w, int h, std::uint32_t seed);

} // namespace ulm::demo
