// For builds with thread checks. Debian's TBB is not built with them: what its tasks wrote would seem to be read
// without order by those who wait for them. Its waits are wrapped here, so that the order that they make is seen.
#include <dlfcn.h>
#include <oneapi/tbb/task_group.h>

extern "C" void __tsan_acquire(void*);

namespace tbb::detail::r1 {
namespace {

template <class Function>
Function* real(const char* name) {
    return reinterpret_cast<Function*>(dlsym(RTLD_NEXT, name));
}

// Every task takes itself off this count, last of all: whoever takes it over sees what they all did.
void takeOver(d1::wait_context& w) { __tsan_acquire(reinterpret_cast<char*>(&w) + sizeof(std::uint64_t)); }

} // namespace

void wait(d1::wait_context& w, d1::task_group_context& c) {
    static auto* const theirs = real<void(d1::wait_context&, d1::task_group_context&)>(
        "_ZN3tbb6detail2r14waitERNS0_2d112wait_contextERNS2_18task_group_contextE");
    theirs(w, c);
    takeOver(w);
}

void execute_and_wait(d1::task& t, d1::task_group_context& c, d1::wait_context& w, d1::task_group_context& wc) {
    static auto* const theirs =
        real<void(d1::task&, d1::task_group_context&, d1::wait_context&, d1::task_group_context&)>(
            "_ZN3tbb6detail2r116execute_and_waitERNS0_2d14taskERNS2_18task_group_contextERNS2_12wait_contextES6_");
    theirs(t, c, w, wc);
    takeOver(w);
}

} // namespace tbb::detail::r1
