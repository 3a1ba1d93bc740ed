#include "render/surface_walks.h"

#include "geometry/surface_walk.h"

namespace vemtra::render {

SurfaceWalks::SurfaceWalks(const Prepared& of, const geometry::Geometry& forms, Workshop& workshop,
                           const std::vector<char>& wanted)
    : uv_set_of_(of.uv_set_of), charts_of_(of.charts_of), chart_tile_(of.chart_tile) {
    const auto& instances = forms.instances();
    for (size_t i = 0; i < instances.size(); ++i)
        forms_.push_back({instances[i].shape, wanted[i] ? workshop.welds(instances[i].shape) : nullptr});
}

void SurfaceWalks::beside(const nodes::PointBatch& from, const float* along, const float* across, float* const* rows,
                          uint32_t* face, float* const* sets) const {
    using namespace nodes;
    const size_t set_count = forms_.empty() ? 0 : uv_set_of_.size() / forms_.size();
    for (int i = 0; i < from.n; ++i) {
        const uint32_t instance = from.instance[i];
        const Form& form = forms_[instance];
        geometry::FacePlace at{from.face[i], from.rows[row_bary][i], from.rows[row_bary + 1][i]};
        const V3f normal(from.rows[row_normal][i], from.rows[row_normal + 1][i], from.rows[row_normal + 2][i]);
        if (!form.welds || at.face >= form.shape->faces()) {
            for (int r = 0; r < rows_walked; ++r) rows[r][i] = from.rows[r][i];
            face[i] = at.face;
            for (size_t s = 0; s < set_count && sets[2 * s]; ++s)
                for (size_t a = 0; a < 2; ++a) sets[2 * s + a][i] = from.uv_sets[6 * s + a][i];
            continue;
        }
        const geometry::Mesh& m = form.shape->faces_as_triangles();
        const Frame frame(normal);
        at = geometry::walk(m, *form.welds, at, frame.tangent * along[i] + frame.bitangent * across[i]);
        const geometry::MeshPoint there = geometry::mesh_point(m, at);
        auto put = [&](int row, const auto& v, int count) {
            for (int c = 0; c < count; ++c) rows[row + c][i] = v[c];
        };
        put(row_position, there.position, 3);
        put(row_normal, there.normal.length2() > 0.f ? there.normal : normal, 3);
        put(row_uv, there.uv, 2);
        put(row_color, there.color, 3);
        put(row_bary, V2f(at.u, at.v), 2);
        face[i] = at.face;
        for (size_t s = 0; s < set_count && sets[2 * s]; ++s) {
            const size_t here = s * forms_.size() + instance;
            V2f uv(NAN);
            if (const geometry::Charts* charts = charts_of_[here].get())
                uv = charts->at(at.face, at.u, at.v) + chart_tile_[here];
            else if (uv_set_of_[here] != Prepared::no_set)
                uv = form.shape->uv(at.face, at.u, at.v, uv_set_of_[here]);
            for (size_t a = 0; a < 2; ++a) sets[2 * s + a][i] = uv[int(a)];
        }
    }
}

size_t SurfaceWalks::bytes() const {
    size_t all = 0;
    for (const Form& f : forms_) all += f.welds ? f.welds->bytes() : 0;
    return all;
}

}  // namespace vemtra::render
