// What heights have that the displaced form cannot follow goes to the shading normal: where they were computed more
// coarsely than the picture tells, and where they vary within what one point of it sees.
#pragma once
#include "render/materials.h"
#include "render/relief.h"
#include "render/workshop.h"

namespace vemtra::render {

class FineRelief {
public:
    /// `rest`: the form before heights moved it, ready for evaluation. `moved`: its instances after that. `spacing`:
    /// per instance, between computed heights, metres in the world; 0: none were computed. Where a form is new to the
    /// workshop, it is measured whether its heights are finer; `at_once`: it is taken that they are not.
    FineRelief(std::shared_ptr<const Prepared> rest, std::vector<std::shared_ptr<const BuildUpRelief>> reliefs,
               const std::vector<geometry::Instance>& moved, const std::vector<float>& spacing, Workshop& workshop,
               bool at_once);

    /// Places on a face, by threes: where a point is, and steps from it along two of the face's sides.
    struct Probe {
        size_t point;
        std::array<geometry::SurfacePoint, 6> at;
    };
    /// Of each thread.
    struct Work {
        PointArrays arrays;
        program::Workspace workspace;
        std::array<float, nodes::max_batch> heights;
        std::vector<size_t> picks;
        std::vector<Probe> probes;
    };
    /// Whether it can do anything for any point.
    bool any() const;
    /// Turns the normals of the first n points. Where the form's heights are no finer than those computed: of points
    /// whose footprint is narrower than the spacing, towards the slope over that footprint, wholly from half the
    /// spacing on. Where they are finer: to the slope at the point, so that the mean over many looks is what is seen
    /// from near by; but what is steeper than one and a half beyond the slope around it is taken as a step, which is
    /// hardly ever met. Their place, width and normals are set.
    void refine(std::vector<MaterialPoint>& points, size_t n, Work& work) const;

private:
    struct Of {
        float spacing = 0.f;     ///< metres; 0: nothing is done
        float least_step = 0.f;  ///< metres: nearer places differ by rounding alone
        bool coarse = false;     ///< the picture tells more
        bool thick = false;      ///< some layer has an edge of its own
        Workshop::FinerHeights finer;
    };
    bool by_footprint(const MaterialPoint& point) const;
    bool wholly(const MaterialPoint& point) const { return of_[point.at.instance].finer.any; }
    /// Calls turn(probe, heights) for each pick with the heights at so many places: three by steps(point, of)[0], seen
    /// by that width, and three by [1].
    template <class Steps, class Turn>
    void probe(const std::vector<MaterialPoint>& points, Work& work, int places, const Lips* lips, Steps&& steps,
               Turn&& turn) const;
    void towards_footprint(MaterialPoint& point, const Probe& probe, const float* heights) const;
    void towards_place(MaterialPoint& point, const Probe& probe, const float* heights) const;
    Workshop::FinerHeights measured(uint32_t instance, const geometry::Shape& moved, Work& work) const;

    std::shared_ptr<const Prepared> rest_;
    std::vector<std::shared_ptr<const BuildUpRelief>> reliefs_;
    std::vector<Of> of_;
};

}  // namespace vemtra::render
