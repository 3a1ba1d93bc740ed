// What can be measured on the visible surface: the coverage and colour that each layer really has there, the values
// that really arrive from each node, and small pictures of every node's output on the asset.
#pragma once
#include <array>

#include "base/progress.h"
#include "base/result.h"
#include "render/visible_points.h"

namespace vemtra::review {

struct LayerMeasure {
    float coverage = 0.f;  ///< share of the build-up's visible surface, 0..1
    V3f color{0.f};        ///< average base colour where it shows, linear
};

struct Histogram {
    static constexpr int bins = 128;
    std::array<float, bins> share{};  ///< of the points, over [low, high]
    float low = 0.f, high = 1.f;      ///< the axis: always holds 0 and 1, wider where values go beyond
    float smallest = 0.f, largest = 0.f;
    size_t points = 0;
    /// The values below which these shares of the points lie, to a bin, within smallest and largest.
    V2f between(float lower, float upper) const;
};

struct NodeMeasure {
    Histogram values;  ///< luminance of the output at the visible points
    int width = 0, height = 0;
    std::vector<V3f> picture;  ///< the output on the asset; negative where there is nothing
};

struct Measured {
    std::string build_up;
    std::vector<LayerMeasure> layers;          ///< base first
    std::map<std::string, NodeMeasure> nodes;  ///< by id
    std::map<std::string, Histogram> gates;    ///< by layer id: the coverage that the gate lets through
    std::vector<Error> faults;                 ///< values from networks that no surface can have; one per slot and kind
    size_t points = 0;                         ///< visible points of the build-up
};

inline constexpr int thumbnail_width = 78, thumbnail_height = 48;

Histogram histogram(const std::vector<float>& values);

/// How large what wears a build-up is to masks whose lengths follow it (worn edges, drips): its size in metres, but not
/// more than eight times what a compact form of as much volume to its surface would measure. A tower of thin beams is
/// worn at its edges as its beams would be, not as a block of its height. Where the surface is open (its volume says
/// nothing) its size alone counts; 1 where nothing wears it.
float mask_size(const render::Prepared& prepared, int build_up);

inline constexpr float measuring_width = 240.f;  ///< of the grid of measuring points, over the picture
/// The points at which all of this is measured: a few ten thousand, as the scene's camera sees them.
std::vector<render::VisiblePoint> measuring_points(const render::Prepared& prepared);
/// Layers, gates and faults of one build-up.
Measured measure_layers(const render::Prepared& prepared, const std::string& build_up,
                        const std::vector<render::VisiblePoint>& points, const Progress* stop = nullptr);
/// Adds what the nodes of `out.build_up` give.
void measure_nodes(const render::Prepared& prepared, const std::vector<render::VisiblePoint>& points, Measured& out,
                   const Progress* stop = nullptr);
/// All of it for one build-up; some ten milliseconds for a few layers. Where it is stopped, what it has by then.
Measured measure(const render::Prepared& prepared, const std::string& build_up, const Progress* stop = nullptr);

}  // namespace vemtra::review
