// Finish: one's own mark on the finished picture, and fades from and to black over everything.
#include "core/ticket/mark_step.h"

#include "core/base/file_state.h"
#include "core/finish/mark_stage.h"
#include "core/media/png.h"
#include "core/picture/text.h"
#include "core/ticket/step.h"

#include <algorithm>
#include <cmath>
#include <list>
#include <mutex>
#include <opencv2/imgproc.hpp>

namespace ulm {
namespace {

using OwnMark = Ticket::Finish::Mark;

constexpr std::size_t kMostLetters = 120;
constexpr double kMargin = 0.04;  // of the picture's shorter side, from what the destination covers or the border
constexpr double kMostHigh = 0.5; // of the picture
constexpr double kSoftEnd = 0.2;  // seconds in which it comes and goes, where it does not stay throughout

struct KeptMark {
    std::string path;
    FileState state;
    std::shared_ptr<const Cover> cover;
};
std::mutex keptMutex;
std::list<KeptMark> keptMarks;

std::shared_ptr<const Cover> kept(const std::string& path) {
    const FileState now = FileState::of(path);
    std::lock_guard lock(keptMutex);
    for (const KeptMark& k : keptMarks)
        if (now.isThere() && k.path == path && k.state == now) return k.cover;
    return nullptr;
}

std::shared_ptr<const Cover> loaded(const std::string& path) {
    if (auto cover = kept(path)) return cover;
    const FileState state = FileState::of(path); // before reading: a later change is noticed
    auto cover = std::make_shared<const Cover>(readPng(path));
    std::lock_guard lock(keptMutex);
    keptMarks.push_front({path, state, cover});
    if (keptMarks.size() > 4) keptMarks.pop_back();
    return cover;
}

Cover scaled(const Cover& from, int w, int h) {
    Cover to{w, h, std::vector<float>(std::size_t(w) * std::size_t(h) * 4)};
    const cv::Mat source(from.h, from.w, CV_32FC4, const_cast<float*>(from.rgba.data()));
    cv::Mat out(h, w, CV_32FC4, to.rgba.data());
    cv::resize(source, out, {w, h}, 0, 0, w < from.w ? cv::INTER_AREA : cv::INTER_CUBIC);
    for (float& v : to.rgba) v = std::clamp(v, 0.f, 1.f);
    return to;
}

// White letters with a soft dark edge: they can be read on any picture.
Cover lettered(const std::string& text, int width, int mostHigh) {
    const TextMask probe = renderText(text, 100, true);
    if (std::ranges::none_of(probe.cover, [](float v) { return v > 0; })) return {};
    const double em = std::clamp(100.0 * width / probe.w, 6.0, mostHigh / 1.3);
    const TextMask letters = renderText(text, float(em), true);
    const int edge = std::max(2, int(std::ceil(em * 0.2)));
    cv::Mat mask = cv::Mat::zeros(letters.h + 2 * edge, letters.w + 2 * edge, CV_32F), soft;
    for (int y = 0; y < letters.h; ++y)
        std::copy_n(letters.cover.data() + std::size_t(y) * std::size_t(letters.w), letters.w,
                    mask.ptr<float>(y + edge) + edge);
    cv::GaussianBlur(mask, soft, {}, em * 0.07);
    Cover c{mask.cols, mask.rows, {}};
    c.rgba.reserve(std::size_t(c.w) * std::size_t(c.h) * 4);
    for (int y = 0; y < c.h; ++y)
        for (int x = 0; x < c.w; ++x) {
            const float m = mask.at<float>(y, x), shade = 0.6f * std::min(1.f, 1.6f * soft.at<float>(y, x));
            for (const float v : {m, m, m, m + (1 - m) * shade}) c.rgba.push_back(v);
        }
    return c;
}

int widthOf(double percent, Size picture) { return std::max(8, int(std::lround(picture.w * percent / 100))); }
int mostHighOf(Size picture) { return int(picture.h * kMostHigh); }

Cover fitted(const Cover& file, double percent, Size picture) {
    const double k = std::min(double(widthOf(percent, picture)) / file.w, double(mostHighOf(picture)) / file.h);
    return scaled(file, std::max(1, int(std::lround(file.w * k))), std::max(1, int(std::lround(file.h * k))));
}

// The letters of a line that the type does not have; blanks are no letters.
std::string lettersLacking(const std::string& text) {
    std::string lacking;
    for (std::size_t i = 0; i < text.size();) {
        std::size_t next = i + 1;
        while (next < text.size() && (text[next] & 0xC0) == 0x80) ++next;
        const std::string letter = text.substr(i, next - i);
        if (letter != " " && std::ranges::none_of(renderText(letter, 24, true).cover, [](float v) { return v > 0; }))
            lacking += letter;
        i = next;
    }
    return lacking;
}

std::shared_ptr<const Cover> drawn(const OwnMark& m, Size picture) {
    // Worked out again for every move of a slider otherwise.
    struct Drawn {
        std::string text;
        std::shared_ptr<const Cover> file, cover;
        double size;
        Size picture;
    };
    static std::list<Drawn> last;
    const auto file = m.file.empty() ? nullptr : loaded(m.file);
    const std::string text = file ? "" : m.text;
    {
        std::lock_guard lock(keptMutex);
        for (const Drawn& d : last)
            if (d.text == text && d.file == file && d.size == m.size && d.picture == picture) return d.cover;
    }
    const auto cover = std::make_shared<const Cover>(
        file ? fitted(*file, m.size, picture) : lettered(text, widthOf(m.size, picture), mostHighOf(picture)));
    std::lock_guard lock(keptMutex);
    last.push_front({text, file, cover, m.size, picture});
    if (last.size() > 4) last.pop_back();
    return cover;
}

// Of the free area, less a margin; even, as chroma is.
Point placed(const std::string& place, const Cover& c, const Rect& free, Size picture) {
    const double margin = kMargin * std::min(picture.w, picture.h);
    const auto along = [&](const char* low, const char* high, double from, double room, double size) {
        const bool first = place.find(low) != place.npos, last = place.find(high) != place.npos;
        return std::max(0.0, from + (first ? margin : last ? room - size - margin : (room - size) / 2));
    };
    return {2 * std::floor(along("left", "right", free.x, free.w, c.w) / 2),
            2 * std::floor(along("top", "bottom", free.y, free.h, c.h) / 2)};
}

// From and to in seconds of the movie; softly, unless it begins or ends with it.
double seenAt(const OwnMark& m, double seconds, double at) {
    const double from = m.from, to = m.to > 0 ? std::min(m.to, seconds) : seconds;
    const double in = from > 0 ? (at - from) / kSoftEnd : 1, out = to < seconds ? (to - at) / kSoftEnd : 1;
    return std::clamp(std::min(in, out), 0.0, 1.0);
}

bool isMarked(const Ticket& t) { return !t.finish.mark.text.empty() || !t.finish.mark.file.empty(); }

std::string textWrong(const std::string& text) {
    if (text.size() > kMostLetters) return "must not be longer than " + std::to_string(kMostLetters) + " bytes";
    return text.find_first_of("\n\r\t") == text.npos ? "" : "must be one line";
}

void mark(Building& b) {
    const OwnMark& m = b.ticket.finish.mark;
    if (!b.ticket.finish.on || !m.any()) return;
    const PictureFormat& f = b.picture->format();
    const Size picture{f.width, f.height};
    if (m.from >= b.showing.seconds || (m.to > 0 && m.to <= m.from)) {
        b.tell("its mark is never seen: it comes after the end, or goes before it comes");
        return;
    }
    const auto drawnOnce = drawn(m, picture);
    const Cover& cover = *drawnOnce;
    if (cover.w == 0) {
        b.tell("its mark cannot be drawn: the type that ships has none of its letters; use a picture of it");
        return;
    }
    if (const std::string lacking = m.file.empty() ? lettersLacking(m.text) : ""; !lacking.empty())
        b.tell("its mark is drawn without " + lacking + ": the type that ships has no such letters");
    const Rect free = b.freeArea.empty() ? f.frame() : b.freeArea;
    const Point at = placed(m.place, cover, free, picture);
    KeyMaker key("seen");
    key.add(std::int64_t(b.showing.key)).add(m.opacity).add(m.from).add(m.to);
    b.picture = marked(b.picture, cover, int(at.x), int(at.y),
                       {[m, showing = b.showing](std::int64_t stage) {
                            return m.opacity / 100 * seenAt(m, showing.seconds, showing.secondsAt(stage));
                        },
                        key});
}

// Outside the stretch nothing fades: there the clip is looked at, not the movie.
double fadeAt(const Ticket::Finish::Fade& f, double seconds, double at) {
    if (at < 0 || at >= seconds) return 1;
    const double in = f.in > 0 ? at / f.in : 1, out = f.out > 0 ? (seconds - at) / f.out : 1;
    return std::clamp(std::min(in, out), 0.0, 1.0);
}

} // namespace

bool markFileIsKept(const std::string& path) { return kept(path) != nullptr; }

void openMarkFile(const std::string& path) { loaded(path); }

StepPart markPart() {
    StepPart p;
    p.step = "finish";
    p.keys = {
        textKey("finish.mark.text", "WORDS", textWrong, OF_TICKET(finish.mark.text))
            .called("Words")
            .under("Own mark")
            .does("A line of text over the finished picture, white with a dark edge.")
            .actsIf([](const Ticket& t) { return t.finish.mark.file.empty(); }, "where finish.mark.file is not set"),
        fileKey("finish.mark.file", ".png", OF_TICKET(finish.mark.file))
            .called("Picture")
            .does("A PNG over the finished picture, its transparency kept."),
        choiceKey("finish.mark.place",
                  {{"top left", "↖"},
                   {"top", "↑"},
                   {"top right", "↗"},
                   {"left", "←"},
                   {"middle", "·"},
                   {"right", "→"},
                   {"bottom left", "↙"},
                   {"bottom", "↓"},
                   {"bottom right", "↘"}},
                  OF_TICKET(finish.mark.place))
            .called("Place")
            .does("Where it lies, clear of what the destination covers.")
            .actsIf(isMarked, "where there is a mark")
            .onlyWhereItActs(),
        numberKey("finish.mark.size", 2, 100, OF_TICKET(finish.mark.size))
            .called("Width", "%")
            .does("Of the picture's width.", "it takes the eye from the picture.")
            .actsIf(isMarked, "where there is a mark")
            .onlyWhereItActs(),
        numberKey("finish.mark.opacity", 0, 100, OF_TICKET(finish.mark.opacity))
            .called("Opacity", "%")
            .does("How much of what lies below it covers.")
            .actsIf(isMarked, "where there is a mark")
            .onlyWhereItActs(),
        numberKey("finish.mark.from", 0, 3600, OF_TICKET(finish.mark.from))
            .called("From", "s")
            .does("When it comes, in the delivered movie.")
            .slides(0, 60)
            .by(0.1, 1)
            .actsIf(isMarked, "where there is a mark")
            .onlyWhereItActs(),
        numberKey("finish.mark.to", 0, 3600, OF_TICKET(finish.mark.to))
            .called("Until", "s")
            .does("When it goes; 0: it stays to the end.")
            .atZero("the end")
            .slides(0, 60)
            .by(0.1, 1)
            .actsIf(isMarked, "where there is a mark")
            .onlyWhereItActs()};
    p.told = [](const StepView& v) -> std::string {
        const OwnMark& m = v.ticket.finish.mark;
        return v.ticket.finish.on && m.any() ? "own mark " + m.place : "";
    };
    p.build = mark;
    p.tones = true;
    return p;
}

StepPart fadePart() {
    StepPart p;
    p.step = "finish";
    p.keys = {numberKey("finish.fade.in", 0, 10, OF_TICKET(finish.fade.in))
                  .called("From black", "s")
                  .under("Fades")
                  .does("How long the movie takes to come out of black; its sound comes along.")
                  .slides(0, 3)
                  .by(0.1, 1),
              numberKey("finish.fade.out", 0, 10, OF_TICKET(finish.fade.out))
                  .called("To black", "s")
                  .does("How long it takes to go to black at its end; its sound goes along.")
                  .slides(0, 3)
                  .by(0.1, 1)};
    p.told = [](const StepView& v) -> std::string {
        const auto& f = v.ticket.finish.fade;
        if (!v.ticket.finish.on || (f.in <= 0 && f.out <= 0)) return "";
        return f.in > 0 && f.out > 0 ? "fades in and out" : f.in > 0 ? "fades in" : "fades out";
    };
    p.build = [](Building& b) {
        const auto& f = b.ticket.finish.fade;
        if (!b.ticket.finish.on || (f.in <= 0 && f.out <= 0)) return;
        KeyMaker key("faded");
        key.add(std::int64_t(b.showing.key)).add(f.in).add(f.out);
        b.picture = fadedToBlack(b.picture, {[f, showing = b.showing](std::int64_t stage) {
                                                 return fadeAt(f, showing.seconds, showing.secondsAt(stage));
                                             },
                                             key});
    };
    p.tones = true;
    return p;
}

} // namespace ulm
