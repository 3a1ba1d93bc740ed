// The next click in the picture that somebody waits for: a colour, or a place on the asset.
#pragma once
#include <functional>

#include "base/vec.h"
#include "geometry/geometry.h"

namespace vemtra::app {

class Workbench;

struct SurfaceSpot {
    std::string part;
    V3f position, normal;  ///< in the part's own space; the normal is of unit length
    V3f position_world, normal_world;
    geometry::Place at;  ///< of the geometry of the picture that was clicked in
};

class Picking {
public:
    explicit Picking(Workbench& bench) : bench_(bench) {}

    void pick_color(std::function<void(V3f)> use);
    bool picking() const { return bool(color_); }
    void picked(V3f linear);
    /// The next click on the asset gives its place to `use`; empty: no more.
    void pick_place(std::function<void(const SurfaceSpot&)> use);
    bool placing() const { return bool(place_); }
    void placed(const SurfaceSpot& spot);

private:
    Workbench& bench_;
    std::function<void(V3f)> color_;
    std::function<void(const SurfaceSpot&)> place_;
};

}  // namespace vemtra::app
