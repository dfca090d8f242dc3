#include "core/base/error.h"
#include "core/base/files.h"
#include "demo/clips.h"

#include <chrono>
#include <filesystem>
#include <iostream>

// Raised whenever the clips would come out different.
static constexpr const char* kEdition = "4\n";

int main(int argc, char** argv) try {
    if (argc < 2) {
        std::cerr << "usage: make-demo FOLDER [CLIP…]\n";
        return 2;
    }
    const std::filesystem::path folder(argv[1]), stamp = folder / ".edition";
    if (argc == 2 && std::filesystem::exists(stamp) && ulm::readTextFile(stamp.string()) == kEdition) return 0;
    std::filesystem::create_directories(folder);
    const auto start = std::chrono::steady_clock::now();
    for (const auto& plan : ulm::demo::clipPlans()) {
        bool wanted = argc == 2;
        for (int i = 2; i < argc; ++i) wanted |= plan.name == argv[i];
        if (!wanted) continue;
        ulm::demo::makeClip(plan, folder.string(), 20);
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
