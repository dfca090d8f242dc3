// A graphics processor's driver that prints: on a test machine, OpenCL's device for the processor, whose compiler does.
#include "core/base/files.h"
#include "tests/cli/fixture.h"

#include <catch2/catch.hpp>
#include <cstdio>
#include <nlohmann/json.hpp>

using namespace ulm;

TEST_CASE("what a graphics driver prints does not get among answers") {
    test::TempFolder folder;
    test::writeClip(folder / "a.mp4", test::ClipRecipe{});
    const std::string command = "env XDG_DATA_HOME=" + folder.path() +
                                " OPENCV_OPENCL_DEVICE=:CPU: OPENCV_DNN_OPENCL_ALLOW_ALL_DEVICES=1"
                                " OPENCV_OPENCL_CACHE_ENABLE=0 " ULMWOOD_CLI " inspect --json " +
                                (folder / "a.mp4") + " 2>" + (folder / "said");
    FILE* pipe = ::popen(command.c_str(), "r");
    REQUIRE(pipe);
    std::string out;
    for (char part[4096]; const std::size_t n = std::fread(part, 1, sizeof part, pipe);) out.append(part, n);
    CHECK(::pclose(pipe) == 0);
    CHECK(nlohmann::json::accept(out));
    CHECK(readTextFile(folder / "said").find("OpenCL") != std::string::npos); // it did print
    CHECK_FALSE(nlohmann::json::parse(readTextFile(folder / "ulmwood/processor.json"))["graphics"]["name"] == "");
}
