#pragma once

#include <stdexcept>
#include <string>

namespace ulm {

/// Whose fault an error is; the values are the exit codes of the command line contract.
enum class Fault {
    Usage = 2,      ///< the caller asked for something that does not exist or is out of range
    Input = 3,      ///< a media, ticket or target file cannot be read
    CannotFit = 4,  ///< no acceptable quality fits the limit
    Output = 5,     ///< the result cannot be written
    Cancelled = 130 ///< the person stopped it
};

/// Every failure that a person may see: which file, why, and what to do next.
class Error : public std::runtime_error {
public:
    Error(Fault fault, std::string file, std::string reason, std::string remedy)
        : std::runtime_error((file.empty() ? reason : file + ": " + reason) + (remedy.empty() ? "" : "\n  " + remedy)),
          fault(fault), file(std::move(file)), reason(std::move(reason)), remedy(std::move(remedy)) {}

    Fault fault;
    std::string file;   ///< path or name as the person gave it; empty where no file is concerned
    std::string reason; ///< one plain sentence, no final stop
    std::string remedy; ///< what to do next; may be empty
};

/// Thrown out of any computation whose CancelToken was set.
class Cancelled : public Error {
public:
    Cancelled() : Error(Fault::Cancelled, "", "cancelled", "") {}
};

/// Call while an exception is handled: throws it on as an Error. What a library, memory or the file system threw gets
/// words; an Error that names no file gets `file`; Cancelled goes on as it is.
[[noreturn]] void throwAsError(const std::string& file);

/// What `work()` returns. Every exception leaves as an Error about `file`, or as Cancelled.
template <class Work>
auto guarded(const std::string& file, Work&& work) {
    try {
        return work();
    } catch (...) {
        throwAsError(file);
    }
}

} // namespace ulm
