// One budget for many.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace vemtra {

/// How much each may have at most, so that all together have no more than `all`: those that want less than that get
/// what they want, the others alike. SIZE_MAX where there is enough.
inline size_t largest_share(std::vector<size_t> wanted, size_t all) {
    std::sort(wanted.begin(), wanted.end());
    for (size_t k = 0; k < wanted.size(); ++k) {
        const size_t those_left = wanted.size() - k;
        if (wanted[k] > all / those_left) return all / those_left;
        all -= wanted[k];
    }
    return SIZE_MAX;
}

}  // namespace vemtra
