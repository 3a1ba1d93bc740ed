// Final fields beside the picture: a request is prepared once more with all rays, on a thread of its own, while the
// picture stands and goes on. Its loops come after those of the picture wherever both ask for a core.
#pragma once
#include <functional>
#include <thread>

#include "render/prepared.h"

namespace vemtra::render {

class Refining {
public:
    /// `done` is called from the refining thread when it ends, stopped or not.
    Refining(std::shared_ptr<Workshop> workshop, std::function<void()> done);
    ~Refining();  ///< stops, and waits until it has
    Refining(const Refining&) = delete;
    Refining& operator=(const Refining&) = delete;

    /// Begins on what `from` shows; `options` as those it was prepared with. Not while busy.
    void begin(std::shared_ptr<const Prepared> from, PrepareOptions options);
    /// What it is at is given up; it is busy until it has seen that. Fields that are ready stay in the workshop.
    void stop() { progress_.stop = true; }
    /// From begin() until its result is taken.
    bool busy() const { return thread_.joinable(); }
    bool ended() const { return ended_; }
    float fraction() const { return progress_.fraction.load(std::memory_order_relaxed); }
    /// What it began from; null while it is not busy.
    const std::shared_ptr<const Prepared>& from() const { return from_; }
    /// After it has ended: what it made; null where it was stopped, or out of memory.
    std::shared_ptr<const Prepared> take();

private:
    void run(const PrepareOptions& options);

    std::shared_ptr<Workshop> workshop_;
    std::function<void()> done_;
    std::shared_ptr<const Prepared> from_, made_;
    Progress progress_;
    std::atomic<bool> ended_{false};
    std::thread thread_;
};

/// Whether final fields of the one are those of the other, so that work on them is not lost.
bool reads_the_same_fields(const Prepared& a, const Prepared& b);

}  // namespace vemtra::render
