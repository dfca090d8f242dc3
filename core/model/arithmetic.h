#pragma once

#include "core/model/network.h"

#include <optional>

#include <string>
#include <vector>

namespace ulm {

/// How networks that ship compute on this processor.
struct ArithmeticPlan {
    /// One way, tried on a test picture by the general network.
    struct Way {
        NetPrecision precision = NetPrecision::F32;
        double speed = 1;   ///< times as fast as f32
        double likeF32 = 0; ///< PSNR of its result against f32's, dB; 99 for f32
        bool right() const;
    };
    std::string processor; ///< what it was measured on
    std::vector<Way> tried;
    NetPrecision chosen = NetPrecision::F32; ///< the fastest that is right

    /// The graphics processor, where there is one: tried like the others.
    struct Graphics {
        std::string name;
        double speed = 0;    ///< times as fast as the whole processor (all cores) as chosen above
        double likeF32 = 0;  ///< dB
        bool failed = false; ///< when it was tried, or since: it is left alone
        bool used() const;   ///< right, and faster
    };
    std::optional<Graphics> graphics;
    bool usesGraphics() const { return graphics && graphics->used(); }
    Arithmetic arithmetic() const { return {chosen, usesGraphics()}; }
};

/// "f32", "bf16", "int8".
const char* nameOf(NetPrecision);

/// Times and compares every way that the processor offers: a tenth of a second; and the graphics processor where there
/// is one, which may take some seconds to prepare. Uses the calling thread.
ArithmeticPlan measureArithmetic();

/// Measures anew, for people who changed something; networks opened from now on follow it.
ArithmeticPlan measureArithmeticAgain();

/// The graphics processor failed: from now on, and when the program is started again, it is left alone (until it is
/// measured anew, or another driver is found).
void graphicsFailed();
bool graphicsHasFailed();

/// The plan in force: when first asked for, it is read from the file that keepArithmetic() named, or measured.
ArithmeticPlan arithmeticPlan();

/// From now on the plan in force is the one kept in `file`, where that was measured on this processor; else one is
/// measured when it is first asked for, and kept there (where that can be written). For networks that are opened
/// afterwards.
void keepArithmetic(const std::string& file);

/// The file it is kept in: beside the session and people's own targets.
std::string arithmeticFile();

} // namespace ulm
