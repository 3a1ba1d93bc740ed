// Parallel loops over oneTBB. Results must not depend on how the range is cut: that is what makes pictures the same at
// any number of threads. Between machines less is promised: the same program on the same kind of processor gives the
// same pixels. The AVX2 and AVX-512 builds of the kernels give equal numbers (tested), but the ray library chooses its
// own code by the processor, and the mathematics library may differ with the system; both differ in last bits, which
// can turn single paths another way.
#pragma once
#include <sched.h>
#include <sys/resource.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <unistd.h>

#include <cstddef>
#if defined(__SANITIZE_THREAD__)
#include <algorithm>
#include <atomic>
#include <thread>
#include <vector>
#endif

namespace vemtra {

/// Calls body(first, last) over [0, count) in pieces of at least `grain`.
#if defined(__SANITIZE_THREAD__)
// The thread sanitizer does not see how the library, which is built without it, hands work over: in that build the
// pieces are taken by threads that it does see.
template <class Body> void parallel_ranges(size_t count, size_t grain, const Body& body) {
    constexpr size_t threads = 3;
    const size_t piece = std::max(std::max<size_t>(1, grain), count / (4 * threads));
    std::atomic<size_t> next{0};
    auto take = [&] {
        for (size_t first; (first = next.fetch_add(piece)) < count;) body(first, std::min(count, first + piece));
    };
    std::vector<std::thread> others;
    for (size_t i = 1; i < threads && i * piece < count; ++i) others.emplace_back(take);
    take();
    for (std::thread& t : others) t.join();
}
#else
template <class Body> void parallel_ranges(size_t count, size_t grain, const Body& body) {
    tbb::parallel_for(tbb::blocked_range<size_t>(0, count, grain),
                      [&](const tbb::blocked_range<size_t>& r) { body(r.begin(), r.end()); });
}
#endif

/// For threads that compute while a window is open: they never take the processor from a thread that wakes up, so that
/// the window's thread, which sleeps most of the time, gets a core at once when it asks for one; but they keep their
/// share of it beside other busy programs (SCHED_BATCH; docs/decisions/0018).
inline void yield_to_window() {
    sched_param none{};
    sched_setscheduler(pid_t(gettid()), SCHED_BATCH, &none);
    setpriority(PRIO_PROCESS, id_t(gettid()), 1);
}

}  // namespace vemtra
