// Long work reports how far it is and asks whether it should stop. One object is shared between the worker and whoever
// watches.
#pragma once
#include <atomic>

namespace vemtra {

struct Progress {
    std::atomic<float> fraction{0.f};  ///< 0..1
    std::atomic<bool> stop{
        false};  ///< set by the watcher; the worker returns soon after with an Error that says "stopped"
};

inline bool stopped(const Progress* p) {
    return p && p->stop.load(std::memory_order_relaxed);
}
inline void report(Progress* p, float fraction) {
    if (p) p->fraction.store(fraction, std::memory_order_relaxed);
}

}  // namespace vemtra
