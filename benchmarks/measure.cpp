#include "benchmarks/measure.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_file.h"

#include <algorithm>
#include <chrono>
#include <ctime>
#include <filesystem>
#include <sstream>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace ulm::bench {

double seconds(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double coreSeconds(const std::function<void()>& work) {
    const std::clock_t from = std::clock();
    work();
    return double(std::clock() - from) / CLOCKS_PER_SEC;
}

double percentile(std::vector<double> v, double p) {
    if (v.empty()) return 0;
    std::ranges::sort(v);
    return v[std::min(v.size() - 1, static_cast<std::size_t>(p * double(v.size())))];
}

double median(const std::vector<double>& v) { return percentile(v, 0.5); }

ChildUse runChild(const std::vector<std::string>& arguments) {
    int pipes[2];
    if (::pipe(pipes) != 0) throw Error(Fault::Output, "", "no pipe", "");
    ChildUse use;
    use.wall = seconds([&] {
        const pid_t pid = ::fork();
        if (pid == 0) {
            ::dup2(pipes[1], 1);
            ::close(pipes[0]);
            std::vector<char*> argv;
            for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
            argv.push_back(nullptr);
            ::execv(argv[0], argv.data());
            ::_exit(127);
        }
        ::close(pipes[1]);
        char buffer[4096];
        for (ssize_t n; (n = ::read(pipes[0], buffer, sizeof buffer)) > 0;)
            use.out.append(buffer, static_cast<std::size_t>(n));
        ::close(pipes[0]);
        int status = 0;
        rusage u{};
        ::wait4(pid, &status, 0, &u);
        use.peakMb = double(u.ru_maxrss) / 1024;
        use.code = WIFEXITED(status) ? WEXITSTATUS(status) : 128;
    });
    return use;
}

std::string fixedPoint(double v, int decimals) {
    std::ostringstream s;
    s.precision(decimals);
    s << std::fixed << v;
    return s.str();
}

void writeReport(std::vector<Row> rows, const std::string& folder, bool keepOthers) {
    const std::string file = folder + "/bench.json";
    if (keepOthers && std::filesystem::exists(file)) {
        std::vector<Row> all;
        for (const auto& j : readJsonFile(file))
            all.push_back({j["what"], j["how"], j["value"], j["reach"], j["holds"]});
        for (const Row& r : rows)
            if (const auto old = std::ranges::find(all, r.what, &Row::what); old != all.end())
                *old = r;
            else
                all.push_back(r);
        rows = all;
    }
    std::string md = "# Measured\n\nWritten by `./dev bench`; ratios of runs side by side on one machine, so they hold "
                     "when its speed does not.\n\n"
                     "| what | measured as | result | reach | |\n|---|---|---|---|---|\n";
    nlohmann::json j = nlohmann::json::array();
    for (const Row& r : rows) {
        md += "| " + r.what + " | " + r.how + " | " + r.value + " | " + r.reach + " | " +
              (r.reach.empty() ? ""
               : r.holds       ? "holds"
                               : "falls short") +
              " |\n";
        j.push_back({{"what", r.what}, {"how", r.how}, {"value", r.value}, {"reach", r.reach}, {"holds", r.holds}});
    }
    writeFileWhole(folder + "/bench.md", md);
    writeFileWhole(file, j.dump(2) + "\n");
}

} // namespace ulm::bench
