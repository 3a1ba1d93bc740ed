// Where something else touches a part: another part lies against it or stands in it, or the ground is there.
#pragma once
#include <memory>
#include <mutex>
#include <vector>

#include "geometry/geometry.h"

namespace vemtra::geometry {

class Nearest;

class Touching {
public:
    /// `ground`: the level of the lowest place of all; else the instances that are named, where none is all of them.
    /// What is no farther off than `gap` touches; metres, above 0. `geometry` stays as long as this is asked.
    Touching(const Geometry& geometry, bool ground, const std::vector<char>& named, float gap);
    ~Touching();
    /// Whether another part lies within the gap of a place, or has it inside: what stands straight out of the surface
    /// there is met from behind first. From any thread.
    bool at(const Place& place) const;
    /// Equal ones touch the same part alike, in any run.
    uint64_t content() const { return content_; }

private:
    const Geometry& geometry_;
    float gap_, low_;
    std::vector<char> others_;  ///< per instance; empty: the ground
    std::vector<uint32_t> all_;
    mutable std::once_flag once_;
    mutable std::unique_ptr<const Nearest> nearest_;  ///< made when it is first asked: what is kept asks for none
    uint64_t content_;
};

}  // namespace vemtra::geometry
