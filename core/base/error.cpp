#include "core/base/error.h"

#include <filesystem>
#include <new>

namespace ulm {
namespace {

// Libraries' messages come with file names, lines and lists of arguments: the first line says enough.
std::string firstLine(const std::string& text) {
    const auto start = text.find_first_not_of(" \n\t");
    if (start == std::string::npos) return "no reason given";
    return text.substr(start, std::min<std::size_t>(text.find('\n', start) - start, 160));
}

} // namespace

void throwAsError(const std::string& file) {
    try {
        throw;
    } catch (const Cancelled&) {
        throw;
    } catch (const Error& e) {
        if (!e.file.empty()) throw;
        throw Error(e.fault, file, e.reason, e.remedy);
    } catch (const std::bad_alloc&) {
        throw Error(Fault::Output, file, "there is not enough memory for this",
                    "Choose a smaller size, or close other programs.");
    } catch (const std::filesystem::filesystem_error& e) {
        throw Error(Fault::Output, e.path1().empty() ? file : e.path1().string(),
                    "the file system refused (" + e.code().message() + ")",
                    "Check that the disk is connected and has room, and that you may write there.");
    } catch (const std::exception& e) {
        throw Error(Fault::Output, file, "something went wrong that should not (" + firstLine(e.what()) + ")",
                    "Try once more. If it happens again, report it with these words.");
    } catch (...) {
        throw Error(Fault::Output, file, "something went wrong that should not",
                    "Try once more. If it happens again, report it with these words.");
    }
}

} // namespace ulm
