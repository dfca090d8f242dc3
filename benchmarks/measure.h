#pragma once

#include <functional>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace ulm::bench {

/// Wall seconds of one call.
double seconds(const std::function<void()>& work);
/// Processor seconds of one call, of all threads: an encoder uses several, a stage one.
double coreSeconds(const std::function<void()>& work);
/// p in [0, 1] of the values.
double percentile(std::vector<double> values, double p);
double median(const std::vector<double>& values);

/// What a finished child process used.
struct ChildUse {
    double wall = 0;
    double peakMb = 0; ///< largest resident size
    int code = 0;
    std::string out; ///< what it printed
};
ChildUse runChild(const std::vector<std::string>& arguments);

/// One row of the report.
struct Row {
    std::string what, how, value, reach;
    bool holds = true;
};
std::string fixedPoint(double v, int decimals);
/// Writes `folder`/bench.md and `folder`/bench.json. `keepOthers`: rows measured earlier and not now stay.
void writeReport(std::vector<Row> rows, const std::string& folder, bool keepOthers);

} // namespace ulm::bench
