#pragma once

#include "cli/commands.h"
#include "tests/support/clips.h"

#include <nlohmann/json.hpp>
#include <sstream>

namespace ulm::test {

/// What came of a command line, run in this process.
struct Outcome {
    int code;
    std::string out, err;
    nlohmann::json parsed() const { return nlohmann::json::parse(out); }
    bool said(const std::string& words) const { return err.find(words) != std::string::npos; }
};

inline Outcome ulmwood(const std::vector<std::string>& arguments, bool terminal = false) {
    std::ostringstream out, err;
    cli::Surroundings s{out, err, {}, terminal};
    const int code = cli::run(arguments, s);
    return {code, out.str(), err.str()};
}

inline ClipRecipe withSound(int frames = 50) {
    ClipRecipe r;
    r.frames = frames;
    r.sound = true;
    r.width = 160;
    r.height = 96;
    return r;
}

} // namespace ulm::test
