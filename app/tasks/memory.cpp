#include "app/tasks/memory.h"

#include "core/picture/opencv_memory.h"

#include <chrono>
#include <malloc.h>
#include <thread>

namespace ulm::app {

void keepMemoryTight() {
    recycleMatrices();
    mallopt(M_ARENA_MAX, 4);
    mallopt(M_MMAP_THRESHOLD, 1 << 20); // what is as large as a plane goes back at once
    std::thread([] {
        for (;;) {
            std::this_thread::sleep_for(std::chrono::seconds(5));
            malloc_trim(0);
        }
    }).detach();
}

} // namespace ulm::app
