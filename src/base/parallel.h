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

namespace vemtra {

/// Calls body(first, last) over [0, count) in pieces of at least `grain`.
template <class Body> void parallel_ranges(size_t count, size_t grain, const Body& body) {
    tbb::parallel_for(tbb::blocked_range<size_t>(0, count, grain),
                      [&](const tbb::blocked_range<size_t>& r) { body(r.begin(), r.end()); });
}

/// For threads that compute while a window is open: they never take the processor from a thread that wakes up, so that
/// the window's thread, which sleeps most of the time, gets a core at once when it asks for one; but they keep their
/// share of it beside other busy programs (SCHED_BATCH; docs/decisions/0018).
inline void yield_to_window() {
    sched_param none{};
    sched_setscheduler(pid_t(gettid()), SCHED_BATCH, &none);
    setpriority(PRIO_PROCESS, id_t(gettid()), 1);
}

}  // namespace vemtra
