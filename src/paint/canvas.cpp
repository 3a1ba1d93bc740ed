#include "paint/canvas.h"

#include <atomic>
#include <unordered_set>

#include "base/parallel.h"
#include "geometry/uv_report.h"
#include "nodes/description.h"
#include "render/form_sheets.h"
#include "scene/edits.h"
#include "scene/graph.h"

namespace vemtra::paint {
namespace {

bool reads(const scene::Node& n, const std::string& painting, const std::unordered_set<std::string>& networks) {
    if (!n.network.empty()) return networks.contains(n.network);
    return nodes::has_use(n, nodes::Use::painting) && nodes::word_of(n, nodes::Role::painting) == painting;
}

}  // namespace

std::vector<char> readers_of(const scene::Scene& s, const std::string& painting) {
    std::unordered_set<std::string> networks;  // that read it, through others too
    for (bool grew = true; grew;) {
        grew = false;
        for (const scene::Network& network : s.networks)
            for (const scene::Node& n : network.nodes)
                if (reads(n, painting, networks)) grew |= networks.insert(network.id).second;
    }
    std::vector<char> out(s.build_ups.size(), 0);
    const scene::BuildUpReach reach(s);
    for (const scene::BuildUp& b : s.build_ups) {
        bool any = false;
        scene::for_each_node(b,
                             [&](const scene::Node& n, const scene::Layer*) { any |= reads(n, painting, networks); });
        if (!any) continue;
        const std::vector<char> shown = reach.to(b.id);
        for (size_t i = 0; i < out.size(); ++i) out[i] |= shown[i];
    }
    return out;
}

namespace {

/// How far heights move a form at most, in metres, as many points over it tell.
float moved_most(const geometry::Geometry& g, uint32_t instance) {
    if (!g.shape(instance).stands_out()) return 0.f;
    constexpr size_t points = 16384;
    const size_t faces = g.shape(instance).faces();
    const size_t stride = std::max<size_t>(1, faces / points);
    const int cuts = int(std::ceil(std::sqrt(double(points) / double(std::clamp<size_t>(faces, 1, points)))));
    std::atomic<float> most{0.f};
    parallel_ranges((faces + stride - 1) / stride, 64, [&](size_t first, size_t last) {
        float here = 0.f;
        for (size_t f = first; f < last; ++f)
            for (int b = 0; b < cuts; ++b)
                for (int a = 0; a + b < cuts; ++a) {
                    const float u = (float(a) + 1.f / 3.f) / float(cuts);
                    const float v = (float(b) + 1.f / 3.f) / float(cuts);
                    const float far = g.at({instance, uint32_t(f * stride), u, v}).displaced_by.length();
                    here = far > here ? far : here;  // not where it is no number
                }
        for (float known = most; here > known && !most.compare_exchange_weak(known, here);) {}
    });
    return most;
}

/// Where a part's faces lie, by the tile of their UVs. `outside`: how many lie on none.
std::map<int, Box3f> boxes_of_tiles(const geometry::Instance& in, size_t& outside) {
    const geometry::Mesh& mesh = in.shape->faces_as_triangles();
    std::map<int, Box3f> boxes;
    for (uint32_t f = 0; f < mesh.triangles(); ++f) {
        const uint32_t* c = &mesh.indices[3 * size_t(f)];
        float u0 = 1e9f;
        float v0 = 1e9f;
        float u1 = -1e9f;
        float v1 = -1e9f;
        Box3f box;
        for (int k = 0; k < 3; ++k) {
            const V2f& uv = mesh.uvs[c[k]];
            u0 = std::min(u0, uv.x), u1 = std::max(u1, uv.x);
            v0 = std::min(v0, uv.y), v1 = std::max(v1, uv.y);
            box.extendBy(in.point_to_world(mesh.positions[c[k]]));
        }
        // What ends at a tile's border is not on the next one.
        constexpr float hair = 1e-5f;
        const bool within = u0 > -hair && v0 > -hair && u1 < 10.f + hair && v1 < 100.f + hair;
        outside += !within;
        if (!(u1 > -1e6f && u1 < 1e6f && v1 < 1e6f && u0 > -1e6f && v0 > -1e6f)) continue;
        const int last_u = std::clamp(int(std::floor(u1 - hair)), 0, 9);
        const int last_v = std::clamp(int(std::floor(v1 - hair)), 0, 98);
        for (int v = std::clamp(int(std::floor(v0 + hair)), 0, 98); v <= last_v; ++v)
            for (int u = std::clamp(int(std::floor(u0 + hair)), 0, 9); u <= last_u; ++u)
                boxes[1001 + u + 10 * v].extendBy(box);
    }
    return boxes;
}

}  // namespace

Canvas::Canvas(std::shared_ptr<const render::Prepared> prepared, const std::string& painting)
    : prepared_(std::move(prepared)), painting_(painting) {
    const render::Prepared& p = *prepared_;
    const scene::Painting* own = scene::find(p.scene->paintings, painting);
    const std::vector<char> read = readers_of(*p.scene, painting);
    std::map<int, SheetPlace> places;
    for (uint32_t i = 0; i < p.build_up_of.size(); ++i) {
        const int b = p.build_up_of[i];
        if (size_t(b) >= read.size() || !read[size_t(b)]) continue;
        instances_.push_back(i);
        const geometry::Shape& shape = p.geometry->shape(i);
        const geometry::Mesh& mesh = shape.faces_as_triangles();
        const std::string& part = p.parts[i]->name;
        if (!own) continue;
        if (own->on_form()) {
            const auto tiles = render::tiles_of_parts(*p.scene, *own);
            const auto tile = tiles.find(p.parts[i]->id);
            if (tile == tiles.end()) {
                problems_.push_back({"A part cannot be painted", "", "part " + part,
                                     "a painting on the form holds 999 parts at most",
                                     "Begin another painting for it"});
                continue;
            }
            const geometry::Instance& in = p.geometry->instances()[i];
            const float wanted = .001f * own->texel / in.scale;
            const auto charts = geometry::charts_of(in.shape, wanted);
            if (charts->texel > 1.01f * wanted)
                problems_.push_back({"The texels of a part are wider than asked for", "", "part " + part,
                                     "at that width its sheet would have more than 8192 texels a side",
                                     "Ask for wider ones, or part the asset"});
            charts_.push_back(charts);
            SheetPlace& s = places[tile->second];
            s.tile = tile->second;
            s.part = p.parts[i]->id;
            s.size = charts->size;
            s.bounds = in.bounds();
            s.uvs.push_back({i, &mesh, &charts->corner, render::corner_of_tile(s.tile), moved_most(*p.geometry, i)});
            continue;
        }
        if (mesh.uvs.empty()) {
            problems_.push_back({"A part cannot be painted over its UVs", "", "part " + part, "it has none",
                                 "Begin a painting on the form itself, or bring the part with UVs"});
            continue;
        }
        const float moved = moved_most(*p.geometry, i);
        size_t outside = 0;
        const std::map<int, Box3f> boxes = boxes_of_tiles(p.geometry->instances()[i], outside);
        for (const auto& [tile, box] : boxes) {
            SheetPlace& s = places[tile];
            s.tile = tile;
            s.bounds.extendBy(shape.stands_out() ? p.geometry->instances()[i].bounds() : box);
            s.uvs.push_back({i, &mesh, nullptr, V2f(0.f), moved});
        }
        constexpr float few = .005f;  // that seams of neighbours may share
        if (const float shared = geometry::check_uvs(shape).overlapping; shared > few)
            problems_.push_back({"Places of a part share texels", "", "part " + part,
                                 std::to_string(int(std::ceil(100.f * shared))) +
                                     " % of those that it has belong to more than one: what is painted shows at all",
                                 "To paint them apart, begin a painting on the form itself"});
        if (outside)
            problems_.push_back({"Some of a part cannot be painted", "", "part " + part,
                                 "faces whose UVs lie outside of the tiles 1001 to 1999: " + std::to_string(outside),
                                 "Move them into a tile, or begin a painting on the form itself"});
    }
    if (instances_.empty())
        problems_.push_back({"The painting shows nowhere", "", own ? own->name : painting,
                             "no visible part wears a build-up that reads it",
                             "Wire its node to a layer's gate or slot"});
    for (auto& [tile, s] : places) {
        if (s.bounds.isEmpty()) continue;
        const V3f margin(.02f * s.bounds.size().length());
        s.bounds.min -= margin;
        s.bounds.max += margin;
        sheets_.push_back(std::move(s));
    }
}

std::shared_ptr<const SheetLayout> Canvas::layout(const SheetPlace& sheet, int size) const {
    std::lock_guard lock(mutex_);
    auto& kept = layouts_[{sheet.tile, size}];
    if (!kept) kept = std::make_shared<SheetLayout>(prepared_, sheet.uvs, sheet.tile, size);
    return kept;
}

bool Canvas::fits(const render::Prepared& p) const {
    if (p.geometry != prepared_->geometry || !scene::find(p.scene->paintings, painting_)) return false;
    const std::vector<char> read = readers_of(*p.scene, painting_);
    std::vector<uint32_t> instances;
    for (uint32_t i = 0; i < p.build_up_of.size(); ++i)
        if (const int b = p.build_up_of[i]; size_t(b) < read.size() && read[size_t(b)]) instances.push_back(i);
    const scene::Painting* before = scene::find(prepared_->scene->paintings, painting_);
    const scene::Painting* now = scene::find(p.scene->paintings, painting_);
    return instances == instances_ && before && before->texel == now->texel;
}

size_t Canvas::bytes() const {
    std::lock_guard lock(mutex_);
    size_t n = 0;
    for (const auto& [key, l] : layouts_)
        if (l) n += l->bytes();
    return n;
}

}  // namespace vemtra::paint
