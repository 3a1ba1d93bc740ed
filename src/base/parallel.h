// Parallel loops over oneTBB. Results must not depend on how the range is cut: that is what makes pictures the same on any machine.
#pragma once
#include <sys/resource.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <unistd.h>

#include <cstddef>

namespace vemtra {

/// Calls body(first, last) over [0, count) in pieces of at least `grain`.
template <class Body>
void parallel_ranges(size_t count, size_t grain, const Body& body) {
    tbb::parallel_for(tbb::blocked_range<size_t>(0, count, grain),
                      [&](const tbb::blocked_range<size_t>& r) { body(r.begin(), r.end()); });
}

/// The calling thread yields to whoever else wants the processor, the window's thread above all. For threads that compute in the background.
inline void yield_to_window() { setpriority(PRIO_PROCESS, id_t(gettid()), 19); }

}  // namespace vemtra
