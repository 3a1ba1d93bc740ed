// How long an edit's first picture may take: to render, so that it comes soon, and as a whole before something newer
// puts it aside. Hands that move without rest ask for a new picture every few milliseconds: were each to put the last
// one aside, none would ever be seen.
#pragma once
#include <algorithm>
#include <chrono>
#include <optional>

#include "render/prepared.h"

namespace vemtra::render {

class Patience {
public:
    using Time = std::chrono::steady_clock::time_point;
    static constexpr double least = .15, most = 1.5;  // seconds
    static constexpr double soon = .034, least_rendering = .010, most_late = .032;

    /// Work on a first picture begins. One that was in work before was put aside: this one gets twice the time.
    void begin(Time now) {
        if (began_) seconds_ = std::min(most, 2. * seconds_);
        began_ = now;
    }
    /// It can be seen: from now on anything newer comes first. The next ones may take half as long again.
    void end(Time now) {
        if (began_) seconds_ = std::clamp(1.5 * std::chrono::duration<double>(now - *began_).count(), least, most);
        began_ = std::nullopt;
    }
    /// Seconds left to render a first picture that is to be seen `soon` after its edit was taken up: what has passed
    /// since and what showing the ones before took is taken off. Where much has passed already a quarter of that again
    /// makes it little later, and may make it finer; up to `most_late`.
    double to_render(Time now) const {
        const double passed = began_ ? std::chrono::duration<double>(now - *began_).count() : 0.;
        return std::max(std::clamp(.25 * passed, least_rendering, most_late), soon - passed - showing_);
    }
    /// What it took from a first picture's last sample to its handing over, in seconds.
    void shown_in(double seconds) { showing_ = .5 * showing_ + .5 * std::min(seconds, soon); }

    /// Until then what is newer waits; nothing: it does not.
    std::optional<Time> until() const {
        if (!began_) return std::nullopt;
        return *began_ + std::chrono::duration_cast<Time::duration>(std::chrono::duration<double>(seconds_));
    }

private:
    std::optional<Time> began_;
    double seconds_ = least;
    double showing_ = .01;
};

/// How finely heights are computed while a hand drags them: as finely as the time allows, by what they took before.
class QuickHeights {
public:
    static constexpr size_t least = most_quick_points / 16, most = most_quick_points;  // points of each part
    static constexpr double seconds = .07;  // that preparing with them is to take

    size_t points() const { return points_; }
    /// A picture with heights computed for it so finely was prepared in so many seconds. In steps of two, so that what
    /// was computed serves again; finer ones only where they would surely do. Where fewer are hardly faster (each face
    /// has some) they stay as they were.
    void took(double prepared_in) {
        if (before_.points && prepared_in > .8 * before_.took) {
            points_ = before_.points;
            fewer_help_ = false;
        } else if (prepared_in <= 1.3 * seconds) {
            fewer_help_ = true;
        }
        before_ = {};
        if (prepared_in > 1.3 * seconds && fewer_help_ && points_ > least) before_ = {points_, prepared_in};
        for (; prepared_in > 1.3 * seconds && fewer_help_ && points_ > least; prepared_in *= .5) points_ /= 2;
        if (prepared_in < .35 * seconds && points_ < most) points_ *= 2;
    }

private:
    struct Before {
        size_t points = 0;  ///< 0: they were not made fewer
        double took = 0;
    };
    size_t points_ = most;
    Before before_;
    bool fewer_help_ = true;
};

}  // namespace vemtra::render
