#include "cli/commands.h"
#include "core/media/clip.h"
#include "core/target/target.h"

#include <iostream>

namespace ulm::cli {
namespace {

nlohmann::json toJson(const std::string& file, const Target& t, const std::vector<LimitCheck>& limits) {
    nlohmann::json j = {
        {"file", file}, {"target", t.name}, {"holds", allHold(limits)}, {"limits", nlohmann::json::array()}};
    for (const auto& l : limits)
        j["limits"].push_back({{"limit", l.limit}, {"allowed", l.allowed}, {"value", l.value}, {"holds", l.holds}});
    return j;
}

} // namespace

void addCheck(CLI::App& app, Action& action) {
    auto* c =
        app.add_subcommand("check", "Whether a file keeps a target's limits, one by one; exit 4 where it does not");
    c->footer("Example:\n  ulmwood-cli check out.mp4 --target vertical-1080");
    struct Options {
        std::string file, target;
        bool json = false;
    };
    auto o = std::make_shared<Options>();
    c->add_option("FILE", o->file, "Clip")->required();
    c->add_option("--target", o->target, "Target's name, or a card's file")->required()->type_name("NAME");
    c->add_flag("--json", o->json, "One JSON object");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            const Target t = findTarget(loadTargets(targetFolders()), o->target);
            const auto limits = checkLimits(t, deliveredFile(Clip::openVideo(o->file, s.cancel)->facts()));
            if (o->json)
                s.out << toJson(o->file, t, limits).dump(2) << "\n";
            else
                for (const auto& l : limits)
                    s.out << (l.holds ? "holds  " : "BREAKS ") << l.limit << ": " << l.value << " (allowed "
                          << l.allowed << ")\n";
            return allHold(limits) ? 0 : static_cast<int>(Fault::CannotFit);
        };
    });
}

void addTargets(CLI::App& app, Action& action) {
    auto* c = app.add_subcommand("targets", "The destinations that are known");
    c->footer("Cards of your own: JSON files in ~/.local/share/ulmwood/targets, or folders named in ULMWOOD_TARGETS "
              "(docs/targets.md).");
    auto json = std::make_shared<bool>(false);
    c->add_flag("--json", *json, "One JSON object");
    c->callback([=, &action] {
        action = [=](Surroundings& s) {
            std::vector<std::string> problems;
            const auto all = loadTargets(targetFolders(), &problems);
            if (*json) {
                nlohmann::json j = nlohmann::json::array();
                for (const auto& t : all) j.push_back(ulm::toJson(t));
                s.out << nlohmann::json{{"targets", j}}.dump(2) << "\n";
            } else
                for (const auto& t : all) {
                    s.out << t.name << "  " << t.title << "\n";
                    if (const std::string limits = limitsText(t); !limits.empty()) s.out << "    " << limits << "\n";
                }
            for (const auto& p : problems) s.err << "note: " << p << "\n";
            return 0;
        };
    });
}

} // namespace ulm::cli
