// Sorting on all cores. Elements that are neither less than each other must be the
// same in every respect, so that the outcome does not depend on how it was reached.
#pragma once
#include <algorithm>
#include <vector>

#include "base/parallel.h"
#if !defined(__SANITIZE_THREAD__)
#include <tbb/parallel_sort.h>
#endif

namespace vemtra {

template <class T, class Less = std::less<T>> void sort_in_parallel(std::vector<T>& all, Less less = {}) {
#if defined(__SANITIZE_THREAD__)
    std::sort(all.begin(), all.end(), less);
#else
    tbb::parallel_sort(all.begin(), all.end(), less);
#endif
}

}  // namespace vemtra
