#include "core/deliver/size_plan.h"

#include "core/codec/video_codec.h"
#include "core/ticket/made_with.h"
#include "core/ticket/sound_step.h"

#include <algorithm>
#include <cmath>

namespace ulm {
namespace {

// How far a forecast may lie below what comes: of the delivery itself, as docs/bench.md measures it, and of one with
// filters in the networks' place, and a rough one.
constexpr double kForecastError = 0.08, kStandInError = 0.20, kRoughError = 0.40;
// By quality alone where that leaves more of the budget free than a forecast is wrong by.
constexpr double kRoomToSpare = 0.10;
// x264's second pass lands within a per cent or two of the bitrate it is given: a first try this far below the budget
// is mostly under it, and within the 97.5 % that is asked.
constexpr double kAimed = 0.985;
// A bitrate is taken as it is where even its second pass's error leaves it under the budget.
constexpr double kBitrateSlack = 0.97;

// MP4's index: the size (4) and time offset (8, less where neighbours share it) of each picture; beside sound the
// chunks (4) of either alternate with each picture; each of the sound's fifty or so packets a second has a size (4).
// Boxes and parameter sets: as measured on files of 25 to 250 frames (1.0 KB, and 0.5 KB a track of sound).
constexpr double kHeader = 1100, kSoundHeader = 540, kPerPicture = 12, kChunks = 8, kSoundPacket = 4,
                 kSoundPackets = 50;

double soundTracks(const Delivery& d) {
    return double(std::ranges::count_if(
        d.facts.audio, [&](const AudioFacts& a) { return soundPlan(d.ticket, a).way != SoundWay::Dropped; }));
}

bool byBitrate(const Ticket::Deliver& d) { return d.rate == "variable" || d.rate == "constant"; }

bool bitrateFits(const Delivery& d, const SizePlan& p) {
    return !p.limit || d.ticket.deliver.bitrate * 125 * d.seconds() < p.budget * kBitrateSlack;
}

SizePlan measured(const Delivery& d) {
    SizePlan p;
    p.limit = d.sizeLimit();
    p.sound = soundBytes(d);
    p.container = containerBytes(d);
    p.budget = p.limit ? double(p.limit) - p.sound - p.container : 0;
    return p;
}

// The constant rate factor at which the pictures take so many bytes.
double crfAt(const Forecast& f, double bytes, double best, double floor) {
    double crf = best;
    while (crf < floor && f.bytesAt(crf) > bytes) crf += 0.25;
    return crf;
}

} // namespace

double containerBytes(const Delivery& d) {
    return kHeader + double(madeWith(d.ticket).size()) + kPerPicture * double(d.frames()) +
           soundTracks(d) * (kSoundHeader + kChunks * double(d.frames()) + kSoundPacket * kSoundPackets * d.seconds());
}

double soundBytes(const Delivery& d) {
    double bits = 0;
    for (const AudioFacts& a : d.facts.audio) {
        const SoundPlan plan = soundPlan(d.ticket, a);
        if (plan.way == SoundWay::Copied) bits += a.bitrate > 0 ? double(a.bitrate) : encodedSoundBits(2);
        if (plan.way == SoundWay::Encoded) bits += encodedSoundBits(plan.channels);
    }
    return bits / 8 * d.seconds();
}

double bestCrf(const Delivery& d) {
    const auto& t = d.ticket.deliver;
    return videoCodec(t.codec).crfFor(t.rate == "quality" ? t.quality : "best");
}

bool needsForecast(const Delivery& d) {
    const SizePlan p = measured(d);
    return p.limit && !(byBitrate(d.ticket.deliver) && bitrateFits(d, p));
}

SizePlan planSize(const Delivery& d, const Forecast* forecast) {
    SizePlan p = measured(d);
    const Ticket::Deliver& t = d.ticket.deliver;
    const double rest = p.sound + p.container, best = bestCrf(d), floor = videoCodec(t.codec).floor;
    p.crf = best;
    if (forecast) p.least = forecast->bytesAt(floor) + rest, p.rough = forecast->rough;
    if (byBitrate(t) && bitrateFits(d, p)) {
        p.way = SizePlan::Way::Bitrate;
        p.bitrate = t.bitrate * 1000;
        p.twoPass = t.rate == "variable" && t.twoPass;
        p.expected = p.bitrate / 8 * d.seconds() + rest;
        return p;
    }
    if (!p.limit) {
        p.way = SizePlan::Way::Quality;
        if (forecast) p.expected = forecast->bytesAt(best) + rest;
        return p;
    }
    p.bitrate = p.budget * kAimed * 8 / d.seconds();
    if (!forecast) {
        if (p.budget <= 0) p.way = SizePlan::Way::CannotFit;
        return p;
    }
    const double error = forecast->rough ? kRoughError : forecast->standIn ? kStandInError : kForecastError;
    p.expected = std::min(forecast->bytesAt(best) + rest, double(p.limit));
    if (p.budget <= 0 || forecast->bytesAt(floor) * (1 - error) > p.budget) {
        p.way = SizePlan::Way::CannotFit;
        p.expected = p.least;
    } else if (forecast->bytesAt(best) < p.budget * (1 - kRoomToSpare)) {
        p.way = SizePlan::Way::Quality;
    } else {
        p.way = SizePlan::Way::Fit;
        p.crf = crfAt(*forecast, p.budget, best, floor);
        p.expected = p.budget * kAimed + rest;
    }
    return p;
}

} // namespace ulm
