#pragma once

#include "core/model/dnn_runner.h"

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
};

/// "f32", "bf16", "int8".
const char* nameOf(NetPrecision);

/// Times and compares every way that the processor offers: a tenth of a second. Uses the calling thread.
ArithmeticPlan measureArithmetic();

/// The plan in force: when first asked for, it is read from the file that keepArithmetic() named, or measured.
ArithmeticPlan arithmeticPlan();

/// From now on the plan in force is the one kept in `file`, where that was measured on this processor; else one is
/// measured when it is first asked for, and kept there (where that can be written). For networks that are opened
/// afterwards.
void keepArithmetic(const std::string& file);

/// The file it is kept in: beside the session and people's own targets.
std::string arithmeticFile();

} // namespace ulm
