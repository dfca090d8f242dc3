#pragma once

#include "core/engine/engine.h"
#include "core/pipeline/delivery.h"

#include <functional>
#include <map>
#include <string>
#include <vector>

namespace ulm {

/// The ways a treatment can go too far. Each has a score: 0 not at all, 100 the limit beyond which people see it.
struct OverdoneKind {
    const char* key;  ///< "haloes", "plastic", "painted", "crushed", "stairs", "text", "flicker"
    const char* name; ///< as people say it
    const char* method;
};
const std::vector<OverdoneKind>& overdoneKinds();

/// One place before and after: the same region of the delivered picture, source merely scaled and treated.
struct OverdonePlace {
    Picture before, after;
    std::int64_t frame = 0;        ///< of the source
    double scale = 1;              ///< delivered pixels per source pixel
    double noise = 0;              ///< sigma of the source's luma, 8-bit steps
    bool text = false;             ///< letters are known to be here
    Picture beforeNext, afterNext; ///< the next frame: before tells noise from texture, both tell flicker; empty planes
                                   ///< where it is not known
    double blocks = 0;             ///< the source's reading of blocks, tenths of an 8-bit step
};

/// A region of a delivery's frame: its pictures, and what was read of the clip. Letters and the next frame are left to
/// who asks. Throws Cancelled.
OverdonePlace overdonePlace(Engine&, const Delivery&, std::int64_t stage, const Rect& region, const CancelToken&);

struct Overdone {
    std::map<std::string, double> scores; ///< by key, [0, 200]
    std::map<std::string, FaultMap> maps; ///< of the kinds that lie somewhere: score by block
    std::string worst;                    ///< key of the highest score; empty where all are 0
    std::int64_t frame = 0;               ///< where the worst shows
    Rect box;                             ///< delivered pixels
    double gauge() const { return worst.empty() ? 0 : scores.at(worst); }
    /// Joins what was found elsewhere: of each kind the higher score stands.
    void join(const Overdone& other);
};

/// Errors: none; planes of before and after have the same area.
Overdone judgeOverdone(const OverdonePlace& place);

/// The strongest share of a ticket's treatments (scaledTicket()) whose gauge stays at or below `limit`, by bisection in
/// `steps`; judge() tells a ticket's gauge. 1 where the ticket is within the limit already, 0 where even an untreated
/// one is not.
double easeShare(const Ticket&, const Inspection&, double limit, int steps,
                 const std::function<double(const Ticket&)>& judge);

} // namespace ulm
