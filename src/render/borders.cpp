#include "render/borders.h"

#include "base/hash.h"
#include "base/shares.h"
#include "geometry/touching.h"
#include "render/materials.h"
#include "render/relief.h"
#include "scene/edits.h"

namespace vemtra::render {
namespace {

constexpr float widest_border = .5f;  // of the part's size
constexpr size_t glance_divides = 16;
constexpr float pixels_apart = 1.5f;  // distances are straight between points, so that borders lie well within that

/// That the camera can tell, metres of the part's own space.
float wanted_spacing(const Prepared& p, const geometry::Instance& instance) {
    return relief_spacing(*p.scene, p.camera, instance.bounds(), pixels_apart) / instance.scale;
}
/// Per build-up of the scene, and of the plain one: whether it shows that one.
std::vector<char> shown_in(const Prepared& p, const std::string& build_up) {
    std::vector<char> reaches = scene::BuildUpReach(*p.scene).to(build_up);
    reaches.push_back(0);
    return reaches;
}

/// How many points a part may have.
struct BorderPoints {
    size_t first, most;
};
BorderPoints points_of_parts(const Prepared& p, const std::vector<char>& reaches) {
    std::vector<size_t> wanted;
    for (size_t i = 0; i < p.build_up_of.size(); ++i) {
        if (!reaches[size_t(p.build_up_of[i])]) continue;
        const geometry::Instance& in = p.geometry->instances()[i];
        const double points = in.shape->sides().points(wanted_spacing(p, in));
        wanted.push_back(size_t(std::min(points, double(most_border_points))));
    }
    const size_t requests = std::max<size_t>(1, p.resources.borders.size());
    const size_t all = std::max<size_t>(1, requests * wanted.size());
    return {
        std::min(first_border_points, borders_in_full * first_border_points / all),
        std::min(most_border_points, largest_share(wanted, borders_in_full_detail * most_border_points / requests))};
}

/// One request on one part.
class BorderOfPart {
public:
    BorderOfPart(const Prepared& p, const geometry::Geometry& forms, Workshop& workshop,
                 const nodes::BorderRequest& request, const geometry::Touching* touching, uint32_t instance,
                 const geometry::Fields& fields, Progress* progress)
        : p_(p),
          touching_(touching),
          forms_(forms),
          shop_(workshop),
          request_(request),
          i_(instance),
          fields_(fields),
          in_(forms.instances()[instance]),
          mesh_(in_.shape->faces_as_triangles()),
          progress_(progress) {}

    std::shared_ptr<const geometry::BorderGrid> find(const BorderPoints& points, BorderLook look, bool& final) {
        const float size = in_.shape->bounds().size().length();
        const float smallest = std::exp2(std::floor(std::log2(1e-4f * size + 1e-9f)));
        const float steady = in_.shape->sides().affordable(smallest, points.first);
        const float best = std::min(steady, in_.shape->sides().affordable(wanted_spacing(p_, in_), points.most));
        const float reach = std::min(std::max(request_.furthest / in_.scale, 1e-6f * size), widest_border * size);
        if (look == BorderLook::whole) return found(best, reach, false, true);
        const float glance = in_.shape->sides().affordable(smallest, points.first / glance_divides);
        const float coarse = look == BorderLook::glance ? glance : steady;
        if (best == coarse) return found(coarse, reach, false, true);
        if (auto kept = found(best, reach, true, true)) return kept;
        final = false;
        return found(coarse, reach, false, false);
    }

private:
    std::shared_ptr<const geometry::BorderGrid> found(float spacing, float furthest, bool only_kept, bool keeps) const {
        const float reach = furthest + 2.f * spacing;  // distances end in a bend, beyond what is read
        const float numbers[] = {spacing, reach};
        const uint64_t content = hash_bytes(numbers, sizeof numbers, key());
        return shop_.border(in_.shape, content, [&]() -> std::shared_ptr<const geometry::BorderGrid> {
            if (!(reach > 0.f)) return nullptr;
            if (auto kept = geometry::kept_border(mesh_, content))
                return std::make_shared<const geometry::BorderGrid>(std::move(*kept));
            if (only_kept) return nullptr;
            const auto welds = shop_.welds(in_.shape);
            auto made = geometry::border_grid(
                mesh_, *welds, geometry::levels_by_spacing(mesh_, *welds, spacing), reach, geometry::BorderSides::both,
                [&] { return evaluator(spacing * in_.scale); }, progress_);
            if (!made) return nullptr;
            made->content = content;
            if (keeps) geometry::keep_border(*made);
            return std::make_shared<const geometry::BorderGrid>(std::move(*made));
        });
    }
    /// Of all that the mask follows from on this part, in this run or another.
    uint64_t key() const {
        constexpr uint64_t version = 2;  // raised when grids of before are of no use
        const uint64_t key[] = {version, hash_text(VEMTRA_VERSION), request_.hash,
                                content_read(p_, in_, i_, *request_.needs, &fields_),
                                touching_ ? touching_->content() : 0};
        return hash_bytes(key, sizeof key);
    }
    geometry::HeightsAt evaluator(float width) const {
        if (touching_)
            return [this](int n, const uint32_t* face, const float* u, const float* v, float* out) {
                for (int k = 0; k < n; ++k) out[k] = touching_->at({i_, face[k], u[k], v[k]}) ? 1.f : 0.f;
            };
        auto arrays = std::make_shared<PointArrays>();
        return [this, width, arrays, mask = request_.mask()](int n, const uint32_t* face, const float* u,
                                                             const float* v, float* out) {
            for (int k = 0; k < n; ++k) {
                const geometry::Place at{i_, face[k], u[k], v[k]};
                const geometry::SurfacePoint s = forms_.at(at);
                arrays->set(k, p_, at, s, s.normal, width);
            }
            nodes::PointBatch batch = arrays->batch(n, p_);
            batch.fields = &fields_;
            mask(batch, out);
        };
    }

    const Prepared& p_;
    const geometry::Touching* touching_;  ///< in place of a mask, where it is asked for
    const geometry::Geometry& forms_;
    Workshop& shop_;
    const nodes::BorderRequest& request_;
    const uint32_t i_;
    const geometry::Fields& fields_;
    const geometry::Instance& in_;
    const geometry::Mesh& mesh_;
    Progress* progress_;
};

}  // namespace

std::optional<geometry::PartBorders> find_border(const Prepared& p, const geometry::Geometry& forms, Workshop& workshop,
                                                 const nodes::BorderRequest& request, BorderLook look,
                                                 const geometry::Fields& fields, bool& final, Progress* progress) {
    const std::vector<char> reaches = shown_in(p, request.build_up);
    const BorderPoints points = points_of_parts(p, reaches);
    geometry::PartBorders out(p.build_up_of.size());
    std::optional<geometry::Touching> touching;
    if (request.touch) {
        const nodes::TouchRequest& t = *request.touch;
        touching.emplace(forms, t.ground, meant_instances(p, t.named), t.gap);
    }
    for (size_t i = 0; i < out.size(); ++i) {
        if (!reaches[size_t(p.build_up_of[i])]) continue;
        out[i] =
            BorderOfPart(p, forms, workshop, request, touching ? &*touching : nullptr, uint32_t(i), fields, progress)
                .find(points, look, final);
        if (stopped(progress)) return std::nullopt;
    }
    return out;
}

bool is_cut(const Prepared& p, const nodes::BorderRequest& request) {
    const std::vector<char> reaches = shown_in(p, request.build_up);
    const size_t most = points_of_parts(p, reaches).most;
    for (size_t i = 0; i < p.build_up_of.size(); ++i) {
        if (!reaches[size_t(p.build_up_of[i])]) continue;
        const geometry::Instance& in = p.geometry->instances()[i];
        const float wanted = wanted_spacing(p, in);
        if (in.shape->sides().affordable(wanted, most) > wanted) return true;
    }
    return false;
}

uint64_t content_read(const Prepared& p, const geometry::Instance& part, uint32_t instance,
                      const nodes::Resources& needs, const geometry::Fields* fields) {
    std::vector<uint64_t> key{part.shape->content(), p.resources.footprint};
    auto place_of = [](const auto& all, const auto& same) {
        return size_t(std::find_if(all.begin(), all.end(), same) - all.begin());
    };
    for (const nodes::ImageRequest& r : needs.images) {
        const size_t at = place_of(p.resources.images, [&](const auto& o) { return o == r; });
        key.push_back(p.textures->content_hash(int(at)));
        if (const scene::Painting* own = scene::find(p.scene->paintings, r.painting))  // how it lies on the form
            key.push_back(__builtin_bit_cast(uint32_t, own->texel));
    }
    for (const nodes::FieldRequest& f : needs.fields) {
        const size_t at = place_of(p.resources.fields, [&](const auto& o) { return o == f; });
        const bool there = fields && at < fields->all().size() && fields->all()[at];
        key.push_back(there ? fields->all()[at]->contents[instance] : 0);
    }
    for (const nodes::BorderRequest& b : needs.borders) {
        const size_t at = place_of(p.resources.borders, [&](const nodes::BorderRequest& o) {
            return o.hash == b.hash && o.build_up == b.build_up;
        });
        const geometry::PartBorders* parts = fields && at < fields->borders().size() ? &fields->borders()[at] : nullptr;
        const bool there = parts && instance < parts->size() && (*parts)[instance];
        key.push_back(there ? (*parts)[instance]->content : 0);
    }
    // Where texels lie that are painted on the form itself.
    const size_t parts = p.parts.size();
    for (size_t set = 0; set < p.resources.uv_sets.size() && (set + 1) * parts <= p.chart_tile.size(); ++set) {
        const V2f& tile = p.chart_tile[set * parts + instance];
        key.push_back(hash_bytes(&tile, sizeof tile, hash_text(p.resources.uv_sets[set])));
    }
    return hash_bytes(key.data(), key.size() * sizeof key[0], hash_bytes(&part.to_world, sizeof part.to_world));
}

uint64_t painted(const scene::Scene& scene, const nodes::Resources& resources) {
    uint64_t h = 0;
    for (const nodes::ImageRequest& r : resources.images)
        if (const scene::Painting* p = scene::find(scene.paintings, r.painting))
            for (const scene::Sheet& sheet : p->sheets) {
                const uint64_t number = sheet.texels ? sheet.texels->number() : 0;
                h = hash_bytes(&number, sizeof number, h);
            }
    return h;
}

}  // namespace vemtra::render
