#include "core/ticket/sound_step.h"

#include "core/media/av.h"
#include "core/ticket/motion_step.h"
#include "core/ticket/step.h"

#include <algorithm>

namespace ulm {
namespace {

bool mp4Carries(AVCodecID codec) {
    switch (codec) {
    case AV_CODEC_ID_AAC:
    case AV_CODEC_ID_MP3:
    case AV_CODEC_ID_AC3:
    case AV_CODEC_ID_EAC3:
    case AV_CODEC_ID_ALAC: return true;
    default: return false;
    }
}

bool stretched(const Ticket& t) { return changesTime(t); }

bool fades(const Ticket& t) { return t.finish.on && (t.finish.fade.in > 0 || t.finish.fade.out > 0); }

bool joined(const Ticket& t) { return !t.stretch.without.empty(); }

// Nothing that runs backwards or halts has a sound that goes with it.
bool silenced(const Ticket& t) { return t.motion.on && (t.motion.reverse || !t.motion.freezes.empty()); }

bool wanted(const Ticket& t) { return t.sound.on && t.sound.mode != "drop"; }

} // namespace

SoundPlan soundPlan(const Ticket& t, const AudioFacts& a) {
    const AVCodecDescriptor* codec = avcodec_descriptor_get_by_name(a.codec.c_str());
    if (!wanted(t) || silenced(t) || !codec) return {};
    if (t.sound.mode == "keep" && !a.changes && !stretched(t) && !fades(t) && !joined(t) && mp4Carries(codec->id))
        return {SoundWay::Copied};
    if (!avcodec_find_decoder(codec->id)) return {};
    return {SoundWay::Encoded, a.changes ? 2 : std::clamp(a.channels, 1, 2)};
}

int encodedSoundBits(int channels) { return channels == 1 ? 96000 : 192000; }

std::vector<std::string> soundRemarks(const Ticket& t, const MediaFacts& facts) {
    std::vector<std::string> all;
    const auto tell = [&](const std::string& what) {
        if (std::ranges::find(all, what) == all.end()) all.push_back(what);
    };
    if (wanted(t) && silenced(t) && !facts.audio.empty())
        tell(t.motion.reverse ? "it runs backwards: its sound is left out" : "it halts: its sound is left out");
    else
        for (const AudioFacts& a : facts.audio) {
            const SoundWay way = soundPlan(t, a).way;
            if (wanted(t) && way == SoundWay::Dropped)
                tell("its sound in " + a.codec + " cannot be read and is left out");
            if (way != SoundWay::Encoded) continue;
            if (t.sound.mode == "keep")
                tell(stretched(t) ? "its sound is made as fast as the pictures, at its own pitch, and encoded as AAC"
                     : fades(t)   ? "its sound fades with the picture and is encoded as AAC"
                     : joined(t)  ? "its sound is joined as the pictures are, and encoded as AAC"
                     : a.changes  ? "its sound changes its rate or channels on the way: it is encoded as AAC"
                                  : "MP4 does not carry " + a.codec + " sound: it is encoded as AAC");
            if (a.channels > 2)
                tell("its sound of " + std::to_string(a.channels) + " channels is mixed down to stereo");
        }
    return all;
}

StepPart soundPart() {
    StepPart p;
    p.step = "sound";
    p.keys = {switchKey("sound.on", OF_TICKET(sound.on)).does("Off: the sound is left out."),
              choiceKey("sound.mode", {{"keep", "Keep"}, {"aac", "As AAC"}, {"drop", "Drop"}}, OF_TICKET(sound.mode))
                  .called("Sound")
                  .does("Keep: untouched where the container can carry it. As AAC: encoded anew. Drop: left out.")};
    p.told = [](const StepView& v) -> std::string {
        if (v.facts.audio.empty()) return "The clip has none.";
        if (!v.ticket.sound.on || v.ticket.sound.mode == "drop") return "Left out.";
        if (silenced(v.ticket)) return "Left out: the movie runs backwards or halts.";
        if (stretched(v.ticket)) return "As fast as the pictures at its own pitch, encoded as AAC.";
        return v.ticket.sound.mode == "aac" ? "Encoded as AAC." : "Kept untouched where MP4 can carry it.";
    };
    return p;
}

} // namespace ulm
