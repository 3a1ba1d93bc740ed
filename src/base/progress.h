// Long work reports how far it is and asks whether it should stop. One object is shared between the worker and whoever
// watches.
#pragma once
#include <atomic>
#include <chrono>

namespace vemtra {

struct Progress {
    std::atomic<float> fraction{0.f};  ///< 0..1
    std::atomic<bool> stop{
        false};  ///< set by the watcher; the worker returns soon after with an Error that says "stopped"
    /// The same from that time on, in ticks of the steady clock; 0: never.
    std::atomic<std::chrono::steady_clock::rep> stop_at{0};
    bool is_late() const {
        const auto at = stop_at.load(std::memory_order_relaxed);
        return at != 0 && std::chrono::steady_clock::now().time_since_epoch().count() >= at;
    }
};

inline bool stopped(const Progress* p) {
    return p && (p->stop.load(std::memory_order_relaxed) || p->is_late());
}
inline void report(Progress* p, float fraction) {
    if (p) p->fraction.store(fraction, std::memory_order_relaxed);
}

}  // namespace vemtra
