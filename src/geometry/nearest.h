// The place of a form that lies nearest to a point: for carrying what lies on one form over to another.
#pragma once
#include "geometry/geometry.h"

namespace vemtra::geometry {

class Nearest {
public:
    /// Over these instances, as they stand in the world. Keeps nothing of `geometry` but its shapes.
    Nearest(const Geometry& geometry, const std::vector<uint32_t>& instances);
    ~Nearest();
    Nearest(const Nearest&) = delete;
    Nearest& operator=(const Nearest&) = delete;

    struct Found {
        Place place;  ///< its instance is RTC_INVALID_GEOMETRY_ID where nothing lies within reach
        float distance = 0.f;
    };
    /// In the world; `normal` unit: faces that are turned away from it are passed over; of no length: none is. `but`:
    /// an instance that is passed over, too. From any thread.
    Found at(const V3f& position, const V3f& normal, float reach, uint32_t but = RTC_INVALID_GEOMETRY_ID) const;

private:
    struct Part {
        Instance instance;
        uint32_t number, twin;       ///< of the first of those that stand there, and of another; of none: the same
        std::vector<V3f> positions;  ///< in the world
        Box3f box;
    };
    struct Asked;
    void add(RTCScene scene, const Part& part) const;
    void ask(RTCScene scene, Asked& asked) const;

    std::vector<Part> parts_;
    RTCScene scene_ = nullptr;        ///< of all small parts
    std::vector<uint32_t> in_scene_;  ///< by the number of a geometry in it: which part
    /// Large ones stand alone: who asks from one of them, or for what faces a way, does not have to look at all of it.
    struct Large {
        uint32_t part;
        RTCScene scene;
    };
    std::vector<Large> large_;
};

}  // namespace vemtra::geometry
