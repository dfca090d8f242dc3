#include "core/codec/video_codec.h"
#include "core/framing/pose.h"
#include "core/pipeline/delivery.h"
#include "core/ticket/motion_step.h"
#include "core/ticket/sound_step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

using Told = std::vector<Addition>;

void tellTooLong(const Delivery& d, Told& all) {
    const double most = d.target ? d.target->maxSeconds : 0;
    if (most <= 0 || d.seconds() <= most + kLengthSlack) return;
    const std::string told = d.target->title + " takes at most " + shortNumber(most, 2) + " s; this lasts " +
                             shortNumber(d.seconds(), 1) + " s";
    // The clip's frames that are over by then; a stretch ends before the first that begins at its end.
    const Clip& clip = d.reader->clip();
    const double fits = std::floor((most + kLengthSlack) * d.fps()) / d.fps();
    const std::int64_t past = clip.frameAt(d.clock.clipSeconds(fits) + 1e-6);
    const double from = d.ticket.stretch.on ? d.ticket.stretch.from : 0;
    const double to = past > 0 ? (clip.secondsAt(past - 1) + clip.secondsAt(past)) / 2 : 0;
    if ((d.ticket.motion.on && d.ticket.motion.reverse) || to <= from)
        all.push_back({"deliver", told + ": mark a stretch on the reel", "", {}});
    else
        all.push_back(
            {"deliver",
             told,
             "Keep its first " + shortNumber(most, 2) + " s",
             {"stretch.on=true", "stretch.from=" + shortNumber(from, 3), "stretch.to=" + shortNumber(to, 3)}});
}

void tellDropped(const Delivery& d, Told& all) {
    if (const auto n = d.facts.subtitles.size())
        all.push_back({"deliver",
                       n == 1 ? "its subtitle track is not carried over"
                              : "its " + std::to_string(n) + " subtitle tracks are not carried over",
                       "",
                       {}});
    if (d.facts.video.alpha)
        all.push_back({"deliver", "its transparency is dropped: the picture is delivered as it is stored", "", {}});
}

void tellHdr(const Delivery& d, Told& all) {
    const VideoFacts& v = d.facts.video;
    if (!v.hdr() || standardises(d.ticket, v)) return;
    const std::vector<std::string> standard = {"finish.on=true", "finish.hdr=standard"};
    all.push_back({"finish",
                   std::string("its HDR colours stay as they are") +
                       (v.mastering.any() ? ", with what it says of its mastering" : "") +
                       (d.ticket.deliver.codec == kH264.name
                            ? "; few screens show HDR of H.264: H.265 is what they expect (Deliver)"
                            : ""),
                   "Bring it to standard range", standard});
    if (d.toned != d.before)
        all.push_back({"finish",
                       "its light and colour are set as if it were no HDR clip: bring it to standard range (Finish, "
                       "HDR)",
                       "",
                       {}});
}

void tellFields(const Delivery& d, Told& all) {
    const VideoFacts& v = d.facts.video;
    const Ticket& t = d.ticket;
    const Inspection& found = *d.found;
    const bool woven = found.pulldown.any() || found.fieldOrder != "progressive" || (v.interlaced && !found.complete);
    if (woven && !deinterlaces(t, found, v) && !undoesPulldown(t, found, v)) {
        if (!v.upright())
            all.push_back({"motion", "it is interlaced and turned: both fields stay woven into one picture", "", {}});
        else
            all.push_back({"motion",
                           "it is interlaced: both fields stay woven into one picture; Motion makes whole pictures of "
                           "them",
                           "Make them",
                           {"motion.on=true", "motion.deinterlace=auto"}});
    }
    if (!t.motion.on || !found.complete) return;
    if (t.motion.deinterlace == "fields" && !deinterlaces(t, found, v))
        all.push_back({"motion", "no fields were found in it: its frames are kept", "", {}});
    if (t.motion.deinterlace == "film" && found.pulldown.woven.empty())
        all.push_back({"motion",
                       found.runs.size() > 1
                           ? "it is too long to look at every frame: no pulldown is looked for, its frames are kept"
                           : "no pulldown was found in it: its frames are kept",
                       "",
                       {}});
}

// Frames shown twice because none is made in between.
void tellHeld(const Delivery& d, Told& all) {
    const Ticket::Motion& m = d.ticket.motion;
    const VideoFacts& v = d.facts.video;
    if (d.clock.untouched() || m.method != "hold") return;
    double slowest = m.speed / 100; // of the slowest place; halts repeat a frame anyway, and are asked for
    for (const SpeedAt& r : rampsFrom(m.ramps)) slowest = std::min(slowest, r.speed * m.speed / 100);
    const double filmed = v.fps * slowest *
                          (takesFields(d.ticket, *d.found, v)      ? 2
                           : undoesPulldown(d.ticket, *d.found, v) ? 0.8
                                                                   : 1);
    if (d.fps() > filmed * 1.001)
        all.push_back({"motion",
                       shortNumber(d.fps(), 2) + " frames a second are more than its " + shortNumber(filmed, 2) +
                           ": some are shown twice",
                       "",
                       {}});
}

void tellUnknown(const Delivery& d, Told& all) {
    const Ticket& t = d.ticket;
    const Inspection& found = *d.found;
    if (t.motion.on && t.motion.duplicates == "remove" && !found.duplicates.empty() && !found.repeats.of)
        all.push_back(
            {"motion", "its repeated frames come in no steady pattern: they are replaced, not taken out", "", {}});
    if (!found.complete) return;
    if (t.motion.on && t.motion.duplicates != "keep" && found.runs.size() > 1)
        all.push_back(
            {"motion", "it is too long to look at every frame: repeats are known in parts of it only", "", {}});
    if (t.motion.on && t.motion.stabilise > 0 && found.camera.empty())
        all.push_back({"motion", "it is too long to look at every frame: its shake stays as it is", "", {}});
    if (followsSubject(t) && found.subject.places.empty())
        all.push_back(
            {"frame", "it is too long to look for its subject in every frame: the crop stays where it is set", "", {}});
}

void tellOutside(const Delivery& d, Told& all) {
    const Ticket& t = d.ticket;
    const Pose& pose = d.pose();
    if (t.frame.on && !partFrom(t.frame.part).empty() && pose.size() == pose.clip)
        all.push_back({"frame",
                       "the part " + t.frame.part + " lies outside its " + sizeText(pose.clip) + ": all of it is used",
                       "",
                       {}});
    if (!t.motion.on) return;
    for (const FreezeAt& f : freezesFrom(t.motion.freezes))
        if (const double at = d.clock.movieSeconds(f.seconds); at < -1e-6 || at >= d.seconds())
            all.push_back(
                {"motion", "its halt at " + shortNumber(f.seconds, 2) + " s lies outside what is delivered", "", {}});
}

// Faces and letters that come to lie under what the destination covers.
void tellCovered(const Delivery& d, Told& all) {
    if (!d.target || !d.target->covered.any()) return;
    const Rect whole{0, 0, d.size().w, d.size().h}, free = d.target->freeOf(d.size());
    const auto tell = [&](const std::vector<Mark>& marks, const char* what) {
        constexpr double kMuch = 0.3;
        for (const Mark& m : marks) {
            const std::int64_t stage = d.clock.stageOf(m.frame);
            if (stage < d.clock.first() || stage >= d.clock.first() + d.frames()) continue;
            const auto [a, b] = d.deliveredBox(stage, m.box);
            const Rect box{int(a.x), int(a.y), int(b.x - a.x), int(b.y - a.y)};
            const auto seen = double(box.intersected(whole).pixels()), clear = double(box.intersected(free).pixels());
            if (seen < 0.5 * double(box.pixels()) || seen - clear < kMuch * seen) continue;
            all.push_back({"frame",
                           std::string(what) + " comes to lie under what " + d.target->title + " covers, at " +
                               shortNumber(d.clock.movieOf(stage), 1) + " s",
                           "",
                           {}});
            return;
        }
    };
    tell(d.found->faces, "a face");
    tell(d.found->text, "writing");
}

// What of the part that is asked for is left out.
void tellLeftOut(const Delivery& d, Told& all) {
    const std::vector<LeftOut> asked = leftOutFrom(d.ticket.stretch.without);
    if (asked.empty()) return;
    const Clip& clip = d.reader->clip();
    const double end = clip.secondsAt(clip.frameCount()), from = d.ticket.stretch.on ? d.ticket.stretch.from : 0,
                 to = d.ticket.stretch.on ? std::min(d.ticket.stretch.to, end) : end;
    double gone = 0;
    int parts = 0;
    for (const LeftOut& p : asked)
        if (const double here = std::min(p.to, to) - std::max(p.from, from); here > 0) gone += here, ++parts;
    if (!parts) return all.push_back({"deliver", "the parts to leave out lie outside what is delivered", "", {}});
    all.push_back({"deliver",
                   (parts == 1 ? "one part is" : std::to_string(parts) + " parts are") + " left out, " +
                       shortNumber(gone, 2) + " s of it" +
                       (d.facts.video.variableRate && !d.clock.untouched()
                            ? "; what remains runs at an even " + shortNumber(d.fps(), 2) + " frames a second"
                            : ""),
                   "",
                   {}});
}

} // namespace

std::vector<Addition> Delivery::told() const {
    Told all = additions;
    tellTooLong(*this, all);
    tellDropped(*this, all);
    tellHdr(*this, all);
    tellFields(*this, all);
    tellHeld(*this, all);
    tellUnknown(*this, all);
    tellOutside(*this, all);
    tellLeftOut(*this, all);
    tellCovered(*this, all);
    for (const std::string& what : soundRemarks(ticket, facts)) all.push_back({"sound", what, "", {}});
    return all;
}

std::vector<std::string> Delivery::remarks() const {
    std::vector<std::string> all;
    for (const Addition& a : told()) all.push_back(a.told);
    if (!note.empty()) all.insert(all.begin() + static_cast<std::ptrdiff_t>(additions.size()), note);
    return all;
}

} // namespace ulm
