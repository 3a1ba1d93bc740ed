// How the process keeps its memory.
#pragma once

namespace vemtra {

/// For a process that lives for hours and starts threads for every picture: few pools for small blocks, and large ones
/// straight from the system and back to it. Without it what is in use stays the same, but the holes between grow
/// (measured by ./run soak; glibc's mallopt). To be called before anything large is asked for.
void keep_memory_compact();

}  // namespace vemtra
