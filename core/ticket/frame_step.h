#pragma once

#include "core/framing/follow.h"
#include "core/framing/pose.h"
#include "core/picture/resample.h"
#include "core/ticket/step.h"

namespace ulm {

struct Pursuit;

/// A part of the clip: "LEFT,TOP,WIDTHxHEIGHT" in displayed pixels. What is wrong with such a text, or nothing;
/// partFrom() reads one that is right; empty: all of the clip.
std::string partWrong(const std::string& text);
Rect partFrom(const std::string& text);
std::string partText(const Rect&);

/// How the ticket has the clip held, before it is framed; steadying, which goes by what was found in it, left out.
Pose poseOf(const Ticket&, const VideoFacts&);

/// How the ticket frames a clip of this displayed size, on the picture that its pose holds. Errors: Fault::Usage.
FramingPlan framingOf(const Ticket&, const VideoFacts&);

/// The share of the picture held that the plan's window shows, (0, 1].
double keptShare(const FramingPlan&, const Pose&);

/// `in`, the clip or an enlarged form of it, held by the pose and brought to the delivered shape, 4:2:0; `source`, on
/// the same clock, gives the blurred fill.
StagePtr framed(StagePtr in, StagePtr source, const FramingPath&, const Pose&, Kernel);

/// A place of the crop's middle that a person set: seconds of the clip, fractions [0, 1] of its picture.
struct FramePin {
    double seconds = 0, x = 0.5, y = 0.5;
};
/// "0.4:0.25,0.5 2:0.7,0.5": in order of time, at most 1000; empty: none. What is wrong with such a text, or nothing;
/// pinsFrom() reads one that is right.
std::string pinsWrong(const std::string& text);
std::vector<FramePin> pinsFrom(const std::string& text);
std::string pinsText(const std::vector<FramePin>&);

/// The crop goes by the subject, whether one is known or not.
bool followsSubject(const Ticket&);
/// … and the lower place of a split by a second one.
bool followsTwo(const Ticket&);
/// The path of the crop (of a split its upper place, or its `lower` one) on every frame of the clip; null where it does
/// not move, or the subject is not known. `frames`:
/// the clip's; `frameAt` finds the frame on show at a time; `wanted`: where in the window the subject is to be,
/// fractions of it.
FollowedPathPtr followedPath(const Ticket&, const Inspection&, const FramingPlan&, const Pose&, double fps,
                             std::int64_t frames, const std::function<std::int64_t(double seconds)>& frameAt,
                             Point wanted = {0.5, 0.5}, bool lower = false);
/// The plan with its window where the path has it at this instant, in frames of the clip; `held`: the pose's size.
FramingPlan planAt(const FramingPlan&, const FollowedPath&, Size held, double instant);

/// What dragging the crop sets at an instant of the clip: x and y, or, where the crop follows, a pin; one that is
/// nearer than a twentieth of a second is replaced. x, y: where the crop, or a split's lower place (then `plan` is that
/// place's), sits in what is left over, [0, 1].
void placeCrop(Ticket&, const FramingPlan&, const Pose&, double seconds, double x, double y, bool lower = false);

/// Pins along a pursuit, as few as keep within 1.5 % of the picture of it, in place of those that it runs past; the
/// crop follows from then on. `secondsAt`: of a frame of the clip.
void pinPursuit(Ticket&, const Pursuit&, const std::function<double(std::int64_t)>& secondsAt);

} // namespace ulm
