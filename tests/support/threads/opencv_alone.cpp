// For builds with thread checks. OpenCV is not built with them: whatever lies on a stack where its own loops had lain
// would seem to be written without order. It works alone there; what it does is the same.
#include <dlfcn.h>
#include <opencv2/core/utility.hpp>

namespace cv {
void setNumThreads(int) {} // stands in front of the library's own: plans of cores do not reach it
} // namespace cv

namespace {
const bool alone = [] {
    if (auto* const theirs = reinterpret_cast<void (*)(int)>(dlsym(RTLD_NEXT, "_ZN2cv13setNumThreadsEi"))) theirs(1);
    return true;
}();
} // namespace
