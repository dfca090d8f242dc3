#include "core/target/own_target.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"
#include "tests/support/clips.h"

#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>

using namespace ulm;

namespace {

// A home of the test's own.
class OwnHome {
public:
    OwnHome() {
        if (const char* was = std::getenv("XDG_DATA_HOME")) was_ = was;
        setenv("XDG_DATA_HOME", folder_.path().c_str(), 1);
    }
    ~OwnHome() { was_.empty() ? unsetenv("XDG_DATA_HOME") : setenv("XDG_DATA_HOME", was_.c_str(), 1); }
    std::string cards() const { return folder_ / "ulmwood/targets"; }

private:
    test::TempFolder folder_;
    std::string was_;
};

} // namespace

TEST_CASE("a destination of one's own gets a name of its title that is free, and comes back as it was made") {
    const OwnHome home;
    Target t;
    t.title = "  ../Club & Site, №1!";
    t.size = Size{720, 1280};
    t.maxMb = 12.5;
    t.covered = {5, 20, 0, 10};
    const Target made = saveOwnTarget(t, loadTargets({}));
    CHECK(made.name == "club-site-1");
    CHECK(made.file == home.cards() + "/club-site-1.json");
    std::vector<Target> all = loadTargets(targetFolders());
    const Target found = findTarget(all, "club-site-1");
    CHECK(toJson(found) == toJson(made));
    CHECK(isOwn(found));
    Target handedOut = found;
    handedOut.file = home.cards() + "/../club-site-1.json";
    CHECK_FALSE(isOwn(handedOut));
    CHECK_FALSE(isOwn(findTarget(all, "vertical-1080"))); // one that ships
    CHECK(found.title == t.title);
    CHECK(found.covered.right == 10);
    CHECK(saveOwnTarget(t, all).name == "club-site-1-2"); // nothing is overwritten
    t.title = "Vertical 1080";
    CHECK(saveOwnTarget(t, all).name == "vertical-1080-2"); // nor is one that ships hidden
    t.title = "映画";
    CHECK(saveOwnTarget(t, all).name == "mine");
}

TEST_CASE("a changed destination keeps what its maker wrote beside; one that is out of range is not written") {
    const OwnHome home;
    Target t;
    t.title = "Attic";
    t.maxMb = 3, t.maxFps = 25;
    t = saveOwnTarget(t, {});
    auto card = readJsonFile(t.file);
    card["note"] = "ask Mara", card["max_lines"] = 720;
    writeFileWhole(t.file, card.dump());
    t = targetFromJson(card, t.file);
    t.maxMb = 0, t.maxFps = 50;
    t = saveOwnTarget(t, {});
    CHECK(t.maxLines == 720);
    card = readJsonFile(t.file);
    CHECK(card["note"] == "ask Mara");
    CHECK(card["max_fps"] == 50);
    CHECK_FALSE(card.contains("max_mb"));
    Target wrong = t;
    wrong.covered.top = 80;
    CHECK_THROWS_AS(saveOwnTarget(wrong, {}), Error);
    CHECK(readJsonFile(t.file) == card);
    wrong = t;
    wrong.title.clear();
    CHECK_THROWS_AS(saveOwnTarget(wrong, {}), Error);
}
