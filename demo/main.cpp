#include "core/base/error.h"
#include "core/base/files.h"
#include "demo/clips.h"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <iostream>
#include <string>
#include <vector>

// Raised whenever the clips would come out different.
static constexpr const char* kEdition = "4\n";

int main(int argc, char** argv) try {
    if (argc < 2 || argv[1][0] == '-') {
        std::cerr << "usage: make-demo FOLDER [--seed N] [CLIP…]\n"; // another seed: clips that networks learn on
        return 2;
    }
    std::uint32_t seed = 20;
    std::vector<std::string> names;
    for (int i = 2; i < argc; ++i)
        if (std::string(argv[i]) == "--seed" && i + 1 < argc)
            seed = static_cast<std::uint32_t>(std::stoul(argv[++i]));
        else
            names.push_back(argv[i]);
    const std::filesystem::path folder(argv[1]), stamp = folder / ".edition";
    if (argc == 2 && std::filesystem::exists(stamp) && ulm::readTextFile(stamp.string()) == kEdition) return 0;
    std::filesystem::create_directories(folder);
    const auto start = std::chrono::steady_clock::now();
    for (const auto& plan : ulm::demo::clipPlans()) {
        if (!names.empty() && std::ranges::find(names, plan.name) == names.end()) continue;
        ulm::demo::makeClip(plan, folder.string(), seed);
        std::cout << "made " << plan.name << ", "
                  << std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count() << " s so far\n"
                  << std::flush;
    }
    if (argc == 2) ulm::writeFileWhole(stamp.string(), kEdition);
    return 0;
} catch (const std::exception& e) {
    std::cerr << e.what() << "\n";
    return 5;
}
