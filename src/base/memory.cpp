#include "base/memory.h"

#include <malloc.h>

namespace vemtra {

void keep_memory_compact() {
    constexpr int pools = 4;
    constexpr int large = 4 << 20;  // bytes; pictures, fields and meshes are larger
    ::mallopt(M_ARENA_MAX, pools);
    ::mallopt(M_MMAP_THRESHOLD, large);
    ::mallopt(M_TRIM_THRESHOLD, 2 * large);
}

}  // namespace vemtra
