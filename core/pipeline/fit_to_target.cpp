#include "core/codec/video_codec.h"
#include "core/pipeline/delivery.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace ulm {

Ticket fitToTarget(const Ticket& asked, const Target& target, const MediaFacts& facts,
                   std::vector<Addition>* additions) {
    // A step that is off and that a limit switches on does what the limit asks, and nothing else that lies in it.
    Ticket t = ticketFor(asked, target.name);
    if (!t.frame.on) t.frame.part = "", t.frame.turn = "0", t.frame.mirror = false, t.frame.straighten = 0;
    const auto tell = [&](const char* step, const std::string& what) {
        if (additions) additions->push_back({step, target.title + " " + what, "", {}});
    };
    if (const double fps = t.motion.on && t.motion.fps > 0 ? t.motion.fps : facts.video.fps;
        target.maxFps > 0 && fps > target.maxFps * 1.0005) {
        // A limit alone makes nothing up: frames are left out, unless the ticket asks for movement of its own.
        const bool makes = t.motion.on && t.motion.method != "hold";
        if (!t.motion.on) t.motion = {.on = true, .method = "hold"};
        t.motion.fps = target.maxFps;
        tell("motion", "takes at most " + shortNumber(target.maxFps, 2) +
                           " frames a second: " + (makes ? "made at that rate" : "some are left out"));
    }
    if (facts.video.hdr() && !target.hdr && !standardises(t, facts.video)) {
        if (!t.finish.on) t.finish = {.on = true};
        t.finish.hdr = "standard";
        tell("finish", "takes no HDR: brought to standard range");
    }
    const auto& codecs = target.codecs;
    const auto taken = [&](const VideoCodec& c) {
        return std::ranges::find(codecs, avcodec_get_name(c.id)) != codecs.end();
    };
    if (!codecs.empty() && !taken(videoCodec(t.deliver.codec)))
        for (const VideoCodec& c : videoCodecs())
            if (taken(c)) {
                t.deliver.codec = c.name;
                t.deliver.container = c.containers.front();
                tell("deliver", "does not take the ticket's codec: encoded as " + c.title);
                break;
            }
    if (facts.video.hdr() && target.hdr && !standardises(t, facts.video) && t.deliver.codec == kH264.name &&
        std::ranges::find(codecs, avcodec_get_name(kH265.id)) != codecs.end()) {
        t.deliver.codec = kH265.name;
        t.deliver.container = kH265.containers.front();
        tell("deliver", "takes HDR: encoded as " + kH265.title + ", as screens that show it expect");
    }
    if (target.maxMb > 0) tell("deliver", "takes at most " + shortNumber(target.maxMb, 2) + " MB");
    FramingPlan plan = framingOf(t, facts.video);
    const auto deliver = [&](Size s) {
        if (!t.frame
                 .on) { // where and how it is filled holds; turning, cutting and coming closer stay off with the step
            Ticket::Frame only;
            only.fill = t.frame.fill == "split" ? "crop" : t.frame.fill;
            only.x = t.frame.x, only.y = t.frame.y;
            only.follow = t.frame.follow, only.pins = t.frame.pins;
            t.frame = only;
        }
        t.frame.on = true;
        t.frame.size = s;
        const int g = std::gcd(s.w, s.h);
        t.frame.aspect = {s.w / g, s.h / g};
    };
    // How the asked shape is filled, and what that costs.
    const auto filled = [&] {
        plan = framingOf(t, facts.video);
        if (t.frame.fill == "pad") return std::string("black beside the picture");
        if (t.frame.fill == "blur") return std::string("a blurred copy around the picture");
        if (t.frame.fill == "split") return std::string("two places of the picture, one above the other");
        const long stays = std::lround(100 * keptShare(plan, poseOf(t, facts.video)));
        return stays >= 100 ? std::string("all of the picture stays") : "crop, " + std::to_string(stays) + " % stays";
    };
    // A crop that the destination alone asks for sits in the middle, wherever the subject is.
    const auto offerToFollow = [&] {
        if (!additions || t.frame.fill != "crop" || t.frame.follow != "place" ||
            keptShare(plan, poseOf(t, facts.video)) > 0.9)
            return;
        additions->back().offer = "Follow the subject";
        additions->back().set = {"frame.follow=subject"};
        // Where Frame is off it stays so: what other destinations take whole is not cropped for this one.
        if (!ticketFor(asked, target.name).frame.on) additions->back().set.push_back("frame.on=false");
    };
    if (target.size) {
        if (plan.width != target.size->w || plan.height != target.size->h) {
            deliver(*target.size);
            tell("frame", "asks " + sizeText(*target.size) + ": " + filled());
            offerToFollow();
        }
        return t;
    }
    if (!target.aspects.empty()) {
        Target shape;
        shape.aspects = target.aspects;
        if (!allHold(checkLimits(shape, {plan.width, plan.height, 0, 0, 0, "", "", true}))) {
            t.frame.on = true;
            t.frame.size.reset();
            t.frame.aspect = target.aspects.front();
            std::string shapes;
            for (const Size& a : target.aspects) shapes += (shapes.empty() ? "" : " or ") + aspectText(a);
            tell("frame", "asks " + shapes + ": " + filled());
            offerToFollow();
        }
    }
    double scale = 1;
    std::string limit;
    const auto within = [&](int most, int value, const char* what) {
        if (!most || double(most) / value >= scale) return;
        scale = double(most) / value;
        limit = std::to_string(most) + what;
    };
    within(target.maxWidth, plan.width, " pixels across");
    within(target.maxHeight, plan.height, " pixels down");
    within(target.maxLines, std::min(plan.width, plan.height), " lines");
    if (scale < 1) {
        const Size s{std::max(2, static_cast<int>(plan.width * scale + 0.01) / 2 * 2),
                     std::max(2, static_cast<int>(plan.height * scale + 0.01) / 2 * 2)};
        if (t.frame.on)
            deliver(s);
        else {
            t.enlarge.on = true;
            t.enlarge.size = s;
        }
        tell(t.frame.on ? "frame" : "enlarge", "takes at most " + limit + ": made " + sizeText(s));
    }
    return t;
}

bool needsInspection(const Ticket& t, const std::optional<Target>& target, const MediaFacts& facts) {
    return needsReadings(target ? fitToTarget(t, *target, facts) : t);
}

} // namespace ulm
