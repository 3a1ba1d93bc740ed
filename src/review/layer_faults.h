// Values from networks that no surface can have.
#pragma once
#include "nodes/kernel.h"
#include "render/materials.h"

namespace vemtra::review {

/// What the networks of one layer bring to its slots, where that is nothing a surface can have. It is rendered all the
/// same: at the nearest end of the range, as zero, or along the surface's own direction.
class LayerFaults {
public:
    LayerFaults(const render::Prepared& p, const render::PreparedLayer& layer)
        : p_(p),
          layer_(layer),
          counts_(layer.varying.size()),
          broken_(size_t(layer.varying.empty() ? 0 : layer.slots.component_count()), 0) {}

    void look(const nodes::PointBatch& batch, program::Workspace& workspace) {
        const float* values[surface::most_slot_components];
        workspace.broken = &broken_;
        if (!layer_.varying.empty()) layer_.slots.run(batch, workspace, values);
        workspace.broken = nullptr;
        int component = 0;
        bool anisotropic =
            layer_.fixed.specular_roughness_anisotropy > 0.f || layer_.fixed.coat_roughness_anisotropy > 0.f;
        bool own_tangent = false;
        for (size_t f = 0; f < layer_.varying.size(); ++f) {
            const surface::SlotField& field = *layer_.varying[f];
            const std::string name = field.name;
            const bool normal = name.ends_with("normal");
            const bool tangent = name.ends_with("tangent");
            anisotropic |= name.ends_with("anisotropy");
            own_tangent |= tangent;
            for (int k = 0; k < batch.n; ++k) {
                bool inside = true;
                V3f v(0.f);
                for (int c = 0; c < field.components; ++c) {
                    v[c] = values[component + c][k];
                    inside &= v[c] >= field.low - 1e-5f && v[c] <= field.high + 1e-5f;
                }
                const V3f n(batch.rows[nodes::row_normal][k], batch.rows[nodes::row_normal + 1][k],
                            batch.rows[nodes::row_normal + 2][k]);
                if (normal)
                    counts_[f].away += v.length2() > 1e-12f && v.dot(n) <= 0.f;
                else if (tangent)
                    counts_[f].vanishing += v.cross(n).length2() <= 1e-8f * v.length2();
                else
                    counts_[f].outside += !inside;
            }
            component += field.components;
        }
        points_ += size_t(batch.n);
        if (anisotropic && !own_tangent)
            for (int k = 0; k < batch.n; ++k)
                no_direction_ += p_.geometry->shape(batch.instance[k]).tangent(batch.face[k]).length2() < 1e-12f;
    }

    void tell(const std::string& place, std::vector<Error>& out) const {
        auto share = [&](size_t count) {
            return std::to_string(std::max<size_t>(1, 100 * count / std::max<size_t>(1, points_))) +
                   " % of what the camera sees";
        };
        size_t component = 0;
        for (size_t f = 0; f < counts_.size(); ++f) {
            const surface::SlotField& field = *layer_.varying[f];
            const std::string at = place + " / " + field.name;
            const Count& c = counts_[f];
            size_t no_number = 0;
            for (int k = 0; k < field.components; ++k) no_number = std::max(no_number, broken_[component++]);
            if (no_number)
                out.push_back({"A network gives what is no number", "", at,
                               "on " + share(no_number) + ", where the slot is taken as 0",
                               "Look at the network's nodes one by one: something grows without bounds"});
            if (c.away)
                out.push_back({"A normal faces away from the surface", "", at, "on " + share(c.away),
                               "Check the map's handedness and the scale of the relief"});
            if (c.vanishing)
                out.push_back({"A tangent vanishes", "", at, "it is zero or along the normal on " + share(c.vanishing),
                               "Give it a direction that lies in the surface; the part's own is taken there"});
            char range[64];
            std::snprintf(range, sizeof range, "%g to %g", double(field.low), double(field.high));
            if (c.outside)
                out.push_back({"A network leaves its slot's range", "", at,
                               "the range is " + std::string(range) + "; it is left on " + share(c.outside),
                               "Bring the values into it with a remap or a clamp; the nearest end is rendered"});
        }
        if (no_direction_)
            out.push_back({"An anisotropic surface has no direction", "", place,
                           "the part has no UVs on " + share(no_direction_),
                           "Wire a grain to the tangent, or give the part UVs; there it runs around the vertical"});
    }

private:
    struct Count {
        size_t outside = 0, away = 0, vanishing = 0;
    };
    const render::Prepared& p_;
    const render::PreparedLayer& layer_;
    std::vector<Count> counts_;
    std::vector<size_t> broken_;
    size_t points_ = 0, no_direction_ = 0;
};

}  // namespace vemtra::review
