// Along the surface of a scene: what programs that look around are given (nodes::SurfaceLookup). Forms are walked as
// they are before heights move them, as patterns lie on that form.
#pragma once
#include "geometry/relief.h"
#include "render/prepared.h"

namespace vemtra::render {

class SurfaceWalks final : public nodes::SurfaceLookup {
public:
    /// On the instances of `forms` for which `wanted` says so; `of` has the same ones, and its sets of UVs.
    SurfaceWalks(const Prepared& of, const geometry::Geometry& forms, Workshop& workshop,
                 const std::vector<char>& wanted);
    void beside(const nodes::PointBatch& from, const float* along, const float* across, float* const* rows,
                uint32_t* face, float* const* sets) const override;
    size_t bytes() const;

private:
    struct Form {
        std::shared_ptr<const geometry::Shape> shape;
        std::shared_ptr<const geometry::Welds> welds;  ///< null: it is not walked
    };
    std::vector<Form> forms_;  ///< per instance
    // As in Prepared.
    std::vector<int> uv_set_of_;
    std::vector<std::shared_ptr<const geometry::Charts>> charts_of_;
    std::vector<V2f> chart_tile_;
};

}  // namespace vemtra::render
