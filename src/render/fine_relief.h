// What heights have that the displaced form cannot follow: where they were computed more coarsely than the picture
// tells, the rest of their slope goes to the shading normal.
#pragma once
#include "render/materials.h"
#include "render/relief.h"

namespace vemtra::render {

class FineRelief {
public:
    /// `rest`: the form before heights moved it, ready for evaluation. `spacing`: per instance, between computed
    /// heights, metres in the world; 0: it is as fine as the picture.
    FineRelief(std::shared_ptr<const Prepared> rest, std::vector<std::shared_ptr<const BuildUpRelief>> reliefs,
               std::vector<float> spacing);

    /// Three places on the face: where a point is, and a step from it along two of the face's sides.
    struct Probe {
        size_t point;
        geometry::SurfacePoint at[3];
    };
    /// Of each thread.
    struct Work {
        PointArrays arrays;
        program::Workspace workspace;
        std::array<float, nodes::max_batch> heights;
        std::vector<size_t> picks;
        std::vector<Probe> probes;
    };
    /// Turns the normals of those of the first n points whose footprint is narrower than the spacing: towards the slope
    /// of the height over that footprint, wholly from half the spacing on. Their place, width and normals are set.
    void refine(std::vector<MaterialPoint>& points, size_t n, Work& work) const;

private:
    bool wants(const MaterialPoint& point) const;
    void turn(MaterialPoint& point, const Probe& probe, const float* heights) const;

    std::shared_ptr<const Prepared> rest_;
    std::vector<std::shared_ptr<const BuildUpRelief>> reliefs_;
    std::vector<float> spacing_;
};

}  // namespace vemtra::render
