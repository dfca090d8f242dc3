// ulmwood-follow FOLDER…: crops real clips to 9:16 and writes docs/follow.md: how well the crop keeps what a person
// marked by hand, in the middle, by itself, and after one click on it. Ends with 1 where following keeps less than the
// middle does.
#include "benchmarks/measure.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/inspect/inspection.h"
#include "core/inspect/pursuit.h"
#include "core/ticket/frame_step.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <iostream>
#include <map>
#include <sstream>

using namespace ulm;
namespace fs = std::filesystem;
using bench::fixedPoint;

namespace {

struct Marked {
    std::int64_t frame;
    double left, top, right, bottom; // fractions of the picture
};
struct Scene {
    std::string name, what;
    std::vector<Marked> boxes; // marked by eye, to a hundredth
};

const std::vector<Scene> kScenes = {{"Megamind.avi",
                                     "the face of who is on, four shots (drawn people)",
                                     {{24, .29, .33, .56, .66},
                                      {49, .28, .28, .51, .61},
                                      {73, .33, .35, .56, .70},
                                      {98, .555, .11, .835, .57},
                                      {122, .52, .15, .82, .69},
                                      {147, .56, .17, .87, .71},
                                      {171, .29, .20, .52, .59},
                                      {196, .38, .24, .62, .72},
                                      {220, .355, .01, .79, .79},
                                      {245, .385, 0, .79, .67},
                                      {269, .415, .11, .795, .74}}},
                                    {"cockatoo.mp4",
                                     "a bird's head, up to filling the picture; camera by hand",
                                     {{0, .33, .04, .47, .36},
                                      {25, .35, 0, .62, .68},
                                      {51, .36, 0, .82, .73},
                                      {178, .31, 0, .62, .86},
                                      {203, .29, .02, .76, .85},
                                      {228, .47, .02, .94, .75},
                                      {254, .60, .03, .97, .55},
                                      {279, .37, .11, .65, .64}}},
                                    {"motion.mov",
                                     "a coin, pushed by a pen that is larger",
                                     {{0, .745, .36, .855, .50},
                                      {22, .737, .36, .845, .50},
                                      {44, .742, .35, .852, .47},
                                      {66, .464, .49, .584, .65},
                                      {88, .255, .59, .378, .76},
                                      {110, .45, .295, .554, .42},
                                      {131, .457, .30, .559, .43},
                                      {153, .472, .31, .577, .43},
                                      {175, .495, .32, .597, .45},
                                      {197, .472, .62, .597, .79},
                                      {219, .464, .62, .592, .79},
                                      {241, .43, .62, .56, .79}}},
                                    {"balle-jbart.mp4",
                                     "a ball of a thirtieth of the picture's width, beside an arm",
                                     {{0, .15, .62, .19, .67},
                                      {23, .306, .62, .343, .66},
                                      {46, .697, .605, .734, .65},
                                      {69, .594, .60, .631, .64},
                                      {92, .474, .585, .51, .63},
                                      {115, .594, .565, .631, .61},
                                      {139, .75, .56, .785, .60},
                                      {162, .623, .56, .657, .60},
                                      {185, .72, .57, .754, .61},
                                      {208, .729, .585, .763, .625},
                                      {231, .731, .605, .766, .645},
                                      {254, .763, .61, .797, .65}}},
                                    {"movie-hello.mp4",
                                     "a face of a fifteenth of the picture's width, in the corner of a filmed screen",
                                     {{0, .15, .16, .21, .33},
                                      {45, .15, .16, .21, .33},
                                      {90, .15, .19, .21, .35},
                                      {135, .15, .19, .21, .35},
                                      {180, .15, .17, .21, .34},
                                      {225, .15, .17, .21, .33}}},
                                    {"VID_20191220_170832.mp4",
                                     "a dog's face, lying; camera by hand",
                                     {{0, .28, .13, .55, .72},
                                      {8, .285, .13, .545, .72},
                                      {16, .285, .15, .547, .75},
                                      {24, .283, .15, .545, .75},
                                      {32, .28, .17, .545, .79},
                                      {40, .28, .17, .545, .79}}},
                                    {"movie.avi",
                                     "the face of somebody who talks, near, 160 pixels wide",
                                     {{0, .40, .03, .74, .76},
                                      {12, .39, .03, .72, .76},
                                      {24, .39, .03, .72, .76},
                                      {36, .385, .03, .715, .75},
                                      {48, .39, .03, .70, .74},
                                      {60, .405, .03, .735, .75}}},
                                    {"g1.avi",
                                     "somebody who rides a bicycle across, others at both sides",
                                     {{0, .02, .2, .25, .85},
                                      {3, .16, .2, .39, .88},
                                      {6, .29, .22, .51, .9},
                                      {9, .44, .22, .68, .92},
                                      {12, .57, .24, .78, .92},
                                      {15, .70, .3, .955, .92}}},
                                    {"Principe_inertie.avi",
                                     "a disc that was pushed, across",
                                     {{3, .13, .25, .28, .48},
                                      {8, .195, .25, .35, .48},
                                      {13, .32, .25, .48, .48},
                                      {18, .505, .25, .66, .48},
                                      {23, .695, .25, .85, .48},
                                      {27, .85, .24, 1, .48}}},
                                    {"Force_constante.avi",
                                     "a disc that is drawn, faster and faster",
                                     {{3, .08, .24, .25, .47},
                                      {8, .175, .24, .34, .47},
                                      {14, .35, .24, .505, .47},
                                      {19, .555, .24, .705, .47},
                                      {25, .85, .23, 1, .46}}},
                                    {"g2.avi",
                                     "somebody who rides a bicycle across",
                                     {{1, .24, .25, .58, .72},
                                      {4, .315, .23, .66, .72},
                                      {6, .375, .23, .715, .71},
                                      {9, .45, .23, .80, .71},
                                      {12, .535, .24, .875, .71},
                                      {14, .585, .26, .935, .71}}},
                                    {"balle1-vp9.avi",
                                     "a ball that was thrown, who threw it at the border",
                                     {{24, .33, .275, .37, .33},
                                      {73, .475, .205, .52, .265},
                                      {122, .625, .71, .675, .77},
                                      {172, .71, .67, .765, .745},
                                      {221, .775, .81, .83, .88},
                                      {270, .90, .86, .96, .94}}},
                                    {"homer.avi",
                                     "a drawn runner, a third of the picture wide and more",
                                     {{7, .705, .11, .975, .67},
                                      {21, .515, .07, .875, .80},
                                      {35, .28, .22, .70, .98},
                                      {50, .35, .11, .82, 1},
                                      {64, .26, .46, .685, 1},
                                      {78, .345, .38, .69, 1}}},
                                    {"Shepard_Calais_1906_FrenchGP.ogv.160p.ogv",
                                     "a car of an old film, nearer and nearer; the camera shakes",
                                     {{176, .135, .21, .32, .31},
                                      {194, .135, .16, .32, .29},
                                      {212, .17, .17, .35, .29},
                                      {230, .265, .145, .385, .30},
                                      {248, .29, .15, .445, .34},
                                      {266, .38, .13, .655, .43}}}};

struct Kept {
    int fitting = 0, inside = 0;
    double away = 0; // mean distance of middles, of the picture's width
};

Kept keptBy(const Scene& s, double window, const std::function<double(std::int64_t)>& leftAt) {
    Kept k;
    for (const Marked& m : s.boxes) {
        const double left = leftAt(m.frame);
        if (m.right - m.left <= window) {
            ++k.fitting;
            k.inside += m.left >= left - 0.01 && m.right <= left + window + 0.01; // as finely as it was marked
        }
        k.away += std::abs((m.left + m.right) / 2 - left - window / 2) / double(s.boxes.size());
    }
    return k;
}

// Mean third difference of the window's place, within shots; per frame, of the picture's width.
double jerkOf(const std::function<double(std::int64_t)>& leftAt, std::int64_t frames,
              const std::vector<std::int64_t>& cuts) {
    double sum = 0;
    for (std::int64_t n = 0; n + 3 < frames; ++n)
        if (std::ranges::none_of(cuts, [&](std::int64_t c) { return c > n && c <= n + 3; }))
            sum += std::abs(leftAt(n + 3) - 3 * leftAt(n + 2) + 3 * leftAt(n + 1) - leftAt(n));
    return sum / double(std::max<std::int64_t>(1, frames));
}

std::string told(const Kept& k) {
    return std::to_string(k.inside) + " of " + std::to_string(k.fitting) + ", " + fixedPoint(100 * k.away, 1) + " %";
}

struct Sum {
    int inside = 0, fitting = 0;
    double away = 0;
    void add(const Kept& k) { inside += k.inside, fitting += k.fitting, away += k.away; }
};

} // namespace

int main(int argc, char** argv) try {
    std::map<std::string, std::string> files;
    for (int i = 1; i < argc; ++i)
        for (const auto& e : fs::recursive_directory_iterator(argv[i]))
            if (e.is_regular_file()) files.try_emplace(e.path().filename().string(), e.path().string());
    std::ostringstream out;
    out << "# What a crop that follows keeps of real clips\n\nWritten by `./dev validate`: movies of Debian packages "
           "(packaging/takes-packages.txt), cropped to 9:16. What a creator would\nkeep was marked by hand on some "
           "frames. Each column tells on how many of them, of those where it fits, it lies wholly\nin the crop, and "
           "how far its "
           "middle lies from the crop's on average, of the picture's width. *Clicked on*: on the first\nframe marked, "
           "and again on the next one where it is out of sight. Calm: third differences of the path "
           "against\na "
           "window that goes by the subject's place in each frame.\n\n| clip | marked | in the middle | followed | "
           "clicked on | clicks | calm |\n|---|---|---|---|---|---|---|\n";
    Sum middle, followed, clicked;
    for (const Scene& s : kScenes) {
        const auto file = files.find(s.name);
        if (file == files.end()) throw Error(Fault::Input, s.name, "it is not in these folders", "Run ./dev validate.");
        const ClipPtr clip = Clip::openVideo(file->second);
        const VideoFacts& v = clip->facts().video;
        const Inspection found = inspectClip(clip, {});
        Ticket t;
        t.frame.on = true, t.frame.follow = "subject";
        const Pose pose = poseOf(Size{v.width, v.height}, PoseWish{});
        const FramingPlan plan = framingOf(t, v);
        const double window = plan.srcW / pose.width;
        const auto leftOf = [&](const Ticket& ticket) {
            const FollowedPathPtr path = followedPath(ticket, found, plan, pose, v.fps, clip->frameCount(),
                                                      [&](double at) { return clip->frameAt(at); });
            return [=](std::int64_t n) { return (1 - window) * double(path->places[std::size_t(n)].x); };
        };
        const auto byItself = leftOf(t);
        // A person clicks, looks, and clicks again where what was meant is not in sight any more.
        int clicks = 0;
        for (const Marked& m : s.boxes) {
            if (clicks > 0) {
                const double left = leftOf(t)(m.frame), middle = (m.left + m.right) / 2;
                if (middle > left && middle < left + window) continue;
            }
            const auto past = std::ranges::upper_bound(found.cuts, m.frame);
            const std::int64_t end = past == found.cuts.end() ? clip->frameCount() : *past,
                               first = past == found.cuts.begin() ? 0 : *std::prev(past);
            const float side = 0.2f * float(std::min(v.width, v.height)); // as a click on the table has it
            const Pursuit p = pursue(clip, m.frame,
                                     {float(m.left + m.right) / 2, float(m.top + m.bottom) / 2, side / float(v.width),
                                      side / float(v.height)},
                                     first, end, {});
            pinPursuit(t, p, [&](std::int64_t n) { return clip->secondsAt(n); });
            ++clicks;
        }
        const auto byClick = leftOf(t);
        const auto still = [&](std::int64_t) { return (1 - window) / 2; };
        const auto each = [&](std::int64_t n) {
            return std::clamp(double(found.subject.places[std::size_t(n)].x) - window / 2, 0.0, 1 - window);
        };
        const Kept a = keptBy(s, window, still), b = keptBy(s, window, byItself), c = keptBy(s, window, byClick);
        middle.add(a), followed.add(b), clicked.add(c);
        const double restless = jerkOf(each, clip->frameCount(), found.cuts);
        out << "| " << s.name << " | " << s.what << " | " << told(a) << " | " << told(b) << " | " << told(c) << " | "
            << clicks << " | "
            << (restless > 0 ? fixedPoint(jerkOf(byItself, clip->frameCount(), found.cuts) / restless, 3) + "×" : "–")
            << " |\n";
    }
    const auto all = [&](const Sum& s) {
        return std::to_string(s.inside) + " of " + std::to_string(s.fitting) + ", " +
               fixedPoint(100 * s.away / double(kScenes.size()), 1) + " %";
    };
    out << "| all | | " << all(middle) << " | " << all(followed) << " | " << all(clicked) << " | | |\n";
    std::cout << out.str();
    writeFileWhole("docs/follow.md", out.str());
    return followed.inside >= middle.inside && clicked.inside >= followed.inside ? 0 : 1;
} catch (const Error& e) {
    std::cerr << e.what() << "\n";
    return 1;
}
