// ./run bench fields: fields of the form against brute force, what they cost, and that a reach is chosen without a ray.

#include <unistd.h>

#include <atomic>
#include <filesystem>
#include <fstream>
#include <functional>
#include <random>

#include "base/parallel.h"
#include "bench.h"
#include "geometry/fields/kinds.h"
#include "geometry/import.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::bench {

namespace {

using geometry::Place;

std::shared_ptr<const geometry::Geometry> lantern() {
    auto r = geometry::import(std::string(test::source_folder) + "/demo/lantern.glb", {});
    std::vector<geometry::Instance> instances;
    for (const auto& p : r->parts) instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset);
    return std::make_shared<const geometry::Geometry>(std::move(instances));
}
/// A plate of large faces with pockets: boxes let into and set onto a slab, each a dozen triangles.
std::shared_ptr<const geometry::Geometry> plate() {
    std::string obj;
    int count = 0;
    auto box = [&](V3f a, V3f b) {
        for (int i = 0; i < 8; ++i)
            obj += "v " + std::to_string(i & 1 ? b.x : a.x) + " " + std::to_string(i & 2 ? b.y : a.y) + " " +
                   std::to_string(i & 4 ? b.z : a.z) + "\n";
        static const int faces[6][4] = {{1, 5, 7, 3}, {2, 4, 8, 6}, {1, 2, 6, 5},
                                        {3, 7, 8, 4}, {1, 3, 4, 2}, {5, 6, 8, 7}};
        for (const auto& f : faces) {
            obj += "f";
            for (int v : f) obj += " " + std::to_string(v + count);
            obj += "\n";
        }
        count += 8;
    };
    box({-.2f, 0.f, -.12f}, {.2f, .02f, .12f});
    for (int i = 0; i < 4; ++i) box({-.16f + .09f * float(i), .02f, -.08f}, {-.12f + .09f * float(i), .05f, .08f});
    box({-.19f, .02f, .09f}, {.19f, .04f, .11f});
    const fs::path file = fs::temp_directory_path() / ("vemtra-plate-" + std::to_string(::getpid()) + ".obj");
    std::ofstream(file) << obj;
    auto r = geometry::import(file.string(), {});
    fs::remove(file);
    std::vector<geometry::Instance> instances;
    for (const auto& p : r->parts) instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset);
    return std::make_shared<const geometry::Geometry>(std::move(instances));
}

/// A block with rounded edges on its upright sides and its top: few large faces, and fillets of many narrow ones.
void add_block(geometry::Mesh& m, V3f a, V3f b, float radius) {
    constexpr int corner = 8;
    constexpr int up = 5;
    const auto first = uint32_t(m.positions.size());
    uint32_t around = 0;
    auto ring = [&](float inward, float y, const std::function<V3f(float, float)>& normal) {
        around = 0;
        for (int c = 0; c < 4; ++c)
            for (int k = 0; k <= corner; ++k, ++around) {
                const float turn = .5f * pi * (float(c) + float(k) / float(corner));
                const float x = std::cos(turn);
                const float z = std::sin(turn);
                const float at_x = c == 0 || c == 3 ? b.x - radius : a.x + radius;
                const float at_z = c < 2 ? b.z - radius : a.z + radius;
                m.positions.emplace_back(at_x + (radius - inward) * x, y, at_z + (radius - inward) * z);
                m.normals.push_back(normal(x, z));
            }
    };
    ring(0.f, a.y, [](float x, float z) { return V3f(x, 0.f, z); });
    for (int k = 0; k <= up; ++k) {
        const float turn = .5f * pi * float(k) / float(up);
        ring(.5f * radius * (1.f - std::cos(turn)), b.y - .5f * radius * (1.f - std::sin(turn)),
             [&](float x, float z) { return V3f(x * std::cos(turn), std::sin(turn), z * std::cos(turn)); });
    }
    for (uint32_t r = 0; r <= up; ++r)
        for (uint32_t i = 0; i < around; ++i) {
            const uint32_t p = first + r * around + i;
            const uint32_t q = first + r * around + (i + 1) % around;
            for (const uint32_t v : {p, p + around, q, q, p + around, q + around}) m.indices.push_back(v);
        }
    const uint32_t top = first + (up + 1) * around;  // the lid, flat
    ring(.5f * radius, b.y, [](float, float) { return V3f(0.f, 1.f, 0.f); });
    for (uint32_t i = 1; i + 1 < around; ++i)
        for (const uint32_t v : {top, top + i + 1, top + i}) m.indices.push_back(v);
}
/// A mechanical part: a base with ribs, a boss and a ledge, all with fillets.
std::shared_ptr<const geometry::Geometry> part_with_fillets() {
    auto m = std::make_shared<geometry::Mesh>();
    add_block(*m, {-.2f, 0.f, -.12f}, {.2f, .02f, .12f}, .012f);
    for (int i = 0; i < 3; ++i)
        add_block(*m, {-.16f + .1f * float(i), .019f, -.08f}, {-.13f + .1f * float(i), .06f, .08f}, .008f);
    add_block(*m, {.11f, .019f, -.05f}, {.18f, .045f, .05f}, .03f);
    std::vector<geometry::Instance> instances{{geometry::make_shape(m), M44f()}};
    return std::make_shared<const geometry::Geometry>(std::move(instances));
}
/// A sheet without thickness, rolled into three quarters of a tube with waves, and a flap inside of it.
std::shared_ptr<const geometry::Geometry> open_sheet() {
    auto m = std::make_shared<geometry::Mesh>();
    auto add = [&](int along, int around, const std::function<V3f(float, float)>& at) {
        const auto first = uint32_t(m->positions.size());
        for (int i = 0; i <= along; ++i)
            for (int j = 0; j <= around; ++j) {
                const float s = float(i) / float(along);
                const float t = float(j) / float(around);
                constexpr float e = 1e-3f;
                m->positions.push_back(at(s, t));
                m->normals.push_back((at(s + e, t) - at(s - e, t)).cross(at(s, t + e) - at(s, t - e)).normalized());
            }
        for (int i = 0; i < along; ++i)
            for (int j = 0; j < around; ++j) {
                const uint32_t p = first + uint32_t(i * (around + 1) + j);
                const uint32_t q = p + uint32_t(around) + 1;
                for (const uint32_t v : {p, q, p + 1, p + 1, q, q + 1}) m->indices.push_back(v);
            }
    };
    add(60, 90, [](float s, float t) {
        const float r = .1f + .008f * std::sin(25.f * s) * std::sin(18.f * t);
        const float turn = 1.5f * pi * t;
        return V3f(r * std::cos(turn), .3f * s, r * std::sin(turn));
    });
    add(6, 3, [](float s, float t) { return V3f(.02f + .05f * t, .05f + .2f * s, .03f * t); });
    std::vector<geometry::Instance> instances{{geometry::make_shape(m), M44f()}};
    return std::make_shared<const geometry::Geometry>(std::move(instances));
}

std::vector<Place> places(const geometry::Geometry& g, size_t n) {
    std::vector<double> until;
    std::vector<Place> of;
    double sum = 0;
    for (uint32_t i = 0; i < g.instances().size(); ++i)
        for (uint32_t f = 0; f < g.shape(i).faces(); ++f) {
            sum += double(g.area(i, f));
            until.push_back(sum);
            of.push_back({i, f, 0, 0});
        }
    std::mt19937 random(11);
    std::uniform_real_distribution<double> one(0, 1);
    std::vector<Place> out;
    while (out.size() < n) {
        const size_t k = size_t(std::lower_bound(until.begin(), until.end(), one(random) * sum) - until.begin());
        Place p = of[std::min(k, of.size() - 1)];
        p.u = float(one(random));
        p.v = float(one(random));
        if (p.u + p.v > 1.f) p.u = 1.f - p.u, p.v = 1.f - p.v;
        out.push_back(p);
    }
    return out;
}

/// The mean over many rays of the hemisphere about the smooth normal, cosine weighted, at random: one in each of `side`
/// times `side` cells, without which a hundred thousand of them would be as far off as what is measured.
float brute_force(const geometry::Geometry& g, const Place& at, bool inward, float reach, int side) {
    const geometry::SurfacePoint s = g.at(at);
    const V3f axis = inward ? -s.normal : s.normal;
    const Frame frame(axis);
    const V3f origin = geometry::offset_origin(s.position, axis) + axis * (2e-6f * reach);
    std::mt19937 random(at.face * 977u + at.instance);
    std::uniform_real_distribution<float> one(0.f, 1.f);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    double sum = 0;
    for (int i = 0; i < side * side; ++i) {
        const float a = (float(i / side) + one(random)) / float(side);
        const float phi = 2.f * pi * (float(i % side) + one(random)) / float(side);
        const float r = std::sqrt(a);
        RTCRayHit ray = geometry::single_ray(
            origin, frame.to_world(V3f(r * std::cos(phi), r * std::sin(phi), std::sqrt(1.f - a))), reach);
        rtcIntersect1(g.scene(), &context, &ray);
        if (ray.hit.geomID != RTC_INVALID_GEOMETRY_ID) sum += 1.0 - double(ray.ray.tfar / reach);
    }
    return float(sum / (double(side) * side));
}

nodes::FieldRequest cavity_request(float reach, bool inward) {
    return {"b", "cavity", {inward ? 1.f : 0.f, 90.f, 0, 0, 1, 0, 0, std::exp2(std::ceil(std::log2(reach)))}};
}

void against_brute_force(const char* name, const std::shared_ptr<const geometry::Geometry>& g, float reach) {
    const std::vector<char> all(g->instances().size(), 1);
    const auto at = places(*g, 2000);
    for (const bool inward : {false, true}) {
        std::shared_ptr<const geometry::FormField> field;
        const nodes::FieldRequest request = cavity_request(reach, inward);
        const double first = seconds([&] { geometry::compute_field(*g, all, request, geometry::field_rays_first); });
        const double time =
            seconds([&] { field = geometry::compute_field(*g, all, request, geometry::field_rays_final); });
        size_t samples = 0;
        for (const auto& p : field->parts)
            samples += (p->at_vertex.shares.size() + p->inside.shares.size()) / geometry::reach_knots;
        std::printf("  %s, %s: %.1f s for all rays (first %.2f s), %zu samples, %.1f MB%s\n", name,
                    inward ? "edges" : "recesses", time, first, samples, double(field->bytes()) / (1 << 20),
                    field->cut ? ", cut by its budget" : "");
        const geometry::Fields fields(g, {field});
        std::vector<float> errors(at.size());
        parallel_ranges(at.size(), 4, [&](size_t from, size_t to) {
            for (size_t i = from; i < to; ++i) {
                const float one = 1.f;
                float got = 0.f;
                fields.within(0, 1, &at[i].instance, &at[i].face, &at[i].u, &at[i].v, &reach, &one, &got);
                errors[i] = std::fabs(got - brute_force(*g, at[i], inward, reach, 100));
            }
        });
        std::sort(errors.begin(), errors.end());
        double mean = 0;
        for (float e : errors) mean += double(e) / double(errors.size());
        std::printf("    mean %.4f; over .04 are %ld of %zu\n", mean,
                    std::count_if(errors.begin(), errors.end(), [](float e) { return e > .04f; }), errors.size());
        const std::string what = std::string(name) + (inward ? ", edges" : ", recesses") + ", ";
        line((what + "mean error against 10 000 rays").c_str(), mean, "", "< 0.01", mean < .01);
        const double worst = double(errors[errors.size() * 99 / 100]);
        line((what + "99th of a hundred").c_str(), worst, "", "< 0.04", worst < .04);
    }
}

/// The share of the surface that a threshold at a half puts on the wrong side. Places near to it are asked with the
/// more rays the nearer they are.
void threshold(const char* name, const std::shared_ptr<const geometry::Geometry>& g, float reach) {
    const auto at = places(*g, 20000);
    for (const bool inward : {false, true}) {
        const auto field = geometry::compute_field(*g, std::vector<char>(g->instances().size(), 1),
                                                   cavity_request(reach, inward), geometry::field_rays_final);
        const geometry::Fields fields(g, {field});
        std::atomic<int> wrong{0};
        parallel_ranges(at.size(), 4, [&](size_t from, size_t to) {
            for (size_t i = from; i < to; ++i) {
                const float one = 1.f;
                float got = 0.f;
                fields.within(0, 1, &at[i].instance, &at[i].face, &at[i].u, &at[i].v, &reach, &one, &got);
                float wanted = brute_force(*g, at[i], inward, reach, 20);
                if (std::fabs(wanted - .5f) < .1f) wanted = brute_force(*g, at[i], inward, reach, 100);
                if (std::fabs(wanted - .5f) < .02f) wanted = brute_force(*g, at[i], inward, reach, 316);
                wrong += (got > .5f) != (wanted > .5f);
            }
        });
        const double share = 100. * double(wrong) / double(at.size());
        const std::string what = std::string(name) + (inward ? ", edges" : ", recesses");
        line((what + ": misplaced by a threshold at a half").c_str(), share, "%", "< 0.2", share < .2);
    }
}

/// What ten fields cost the picture of the lantern: the same one, as what they say hardly counts.
void ten_fields() {
    auto with = [&](bool fields) {
        scene::Scene s = scene::load(fs::path(test::source_folder) / "demo" / "lantern.vemtra")->scene;
        scene::BuildUp b = scene::default_build_up("all", "All");
        scene::Layer& base = b.layers[0];
        std::string sum;
        auto add = [&](const char* kind, const char* input, float value, const char* where = nullptr) {
            scene::Node node;
            node.id = node.name = std::string(kind) + std::to_string(base.nodes.size());
            node.kind = kind;
            node.type = "float";
            node.inputs[input].value = value;
            if (where) node.inputs["where"].value = std::string(where);
            base.nodes.push_back(node);
            scene::Node more;
            more.id = more.name = "sum" + std::to_string(base.nodes.size());
            more.kind = "mix";
            more.type = "float";
            more.inputs["fg"].from = node.id;
            more.inputs["bg"].value = .4f;
            if (!sum.empty()) more.inputs["bg"].from = sum;
            more.inputs["mix"].value = 1e-6f;
            base.nodes.push_back(more);
            sum = more.id;
        };
        add("cavity", "reach", .01f);
        add("cavity", "reach", .03f);
        add("cavity", "reach", .02f, "edges");
        add("cavity", "reach", .005f, "edges");
        add("thickness", "reach", .02f);
        add("settle", "least", .3f);
        add("curvature", "amount", .5f);
        add("crease", "width", .01f);
        add("nearby", "width", .02f);
        add("streak", "length", .2f);
        base.surface["specular_roughness"].value = .4f;
        if (fields) base.surface["specular_roughness"].from = sum;
        s.build_ups = {b};
        for (auto& part : s.parts) part.build_up = "all";
        s.paintings.clear();
        return s;
    };
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = fs::path(test::source_folder) / "demo";
    options.maps_now = true;
    const auto none = render::prepare(std::make_shared<const scene::Scene>(with(false)), workshop, options);
    const auto ten = render::prepare(std::make_shared<const scene::Scene>(with(true)), workshop, options);
    std::printf("  a picture of the lantern with %zu fields\n", ten->fields ? ten->fields->all().size() : size_t(0));
    const render::PictureSettings settings{.width = 320, .height = 200, .samples = 16};
    render::render_picture(*none, settings);
    const auto [of_none, of_ten] = side_by_side(
        7, [&] { render::render_picture(*none, settings); }, [&] { render::render_picture(*ten, settings); });
    line("ten fields on the lantern, against none", of_ten / of_none, "x", "at most 1.15", of_ten <= 1.15 * of_none);
}

void rays_of_fields(const std::shared_ptr<const geometry::Geometry>& g) {
    const std::vector<char> all(g->instances().size(), 1);
    size_t vertices = 0;
    std::vector<geometry::FieldPoint> points;
    for (uint32_t i = 0; i < g->instances().size(); ++i) {
        const geometry::Mesh& m = g->shape(i).faces_as_triangles();
        for (size_t v = 0; v < m.positions.size(); v += 7)
            points.push_back({g->instances()[i].point_to_world(m.positions[v]),
                              g->instances()[i].normal_to_world(m.normals[v]).normalized(), V3f(0.f), i});
        vertices += m.positions.size();
    }
    points.resize(std::min(points.size(), size_t(20000)));
    const geometry::FieldKind kind = geometry::cavity_field();
    const std::vector<float> looking{0, 90, 0, 0, 1, 0, 0, .03125f};
    const auto samplers = kind.samplers(*g, {looking, geometry::field_rays_final});
    const float far = .03125f;
    const auto [field, bare] = side_by_side(
        3,
        [&] {
            parallel_ranges(points.size(), 64, [&](size_t from, size_t to) {
                const auto sample = samplers();
                float out[geometry::reach_knots];
                for (size_t i = from; i < to; ++i) sample(points[i], out);
            });
        },
        [&] {
            parallel_ranges(points.size(), 64, [&](size_t from, size_t to) {
                RTCIntersectContext context;
                rtcInitIntersectContext(&context);
                std::mt19937 random(uint32_t(from) + 1u);
                std::uniform_real_distribution<float> one(0.f, 1.f);
                for (size_t i = from; i < to; ++i) {
                    const Frame frame(points[i].normal);
                    const V3f origin = geometry::offset_origin(points[i].position, points[i].normal);
                    for (int r = 0; r < geometry::field_rays_final; ++r) {
                        const float a = one(random);
                        float s;
                        float c;
                        sincos_turn(one(random), s, c);
                        const float q = std::sqrt(a);
                        RTCRay ray =
                            geometry::single_ray(origin, frame.to_world(V3f(q * c, q * s, std::sqrt(1.f - a))), far)
                                .ray;
                        rtcOccluded1(g->scene(), &context, &ray);
                    }
                }
            });
        });
    const double rays = double(points.size()) * geometry::field_rays_final;
    std::printf("  %.1f million rays a second for the field, %.1f for bare occlusion\n", rays / field * 1e-6,
                rays / bare * 1e-6);
    line("rays of a field, of bare occlusion rays of the same kind", bare / field, "x", ">= 0.75x",
         bare / field >= .75);
}

/// A ring of ten million faces with knobs.
std::shared_ptr<const geometry::Mesh> ring(int around, int across) {
    auto mesh = std::make_shared<geometry::Mesh>();
    for (int i = 0; i < around; ++i)
        for (int j = 0; j < across; ++j) {
            const float a = 6.2831853f * float(i) / float(around);
            const float b = 6.2831853f * float(j) / float(across);
            const float r = .14f + .012f * std::sin(40.f * a) * std::sin(24.f * b);
            const V3f out(std::cos(b) * std::cos(a), std::sin(b), std::cos(b) * std::sin(a));
            mesh->positions.push_back(V3f(.4f * std::cos(a), .2f, .4f * std::sin(a)) + out * r);
            mesh->normals.push_back(out);
        }
    auto vertex = [&](int i, int j) { return uint32_t((i % around) * across + j % across); };
    for (int i = 0; i < around; ++i)
        for (int j = 0; j < across; ++j)
            for (const uint32_t v : {vertex(i, j), vertex(i, j + 1), vertex(i + 1, j + 1), vertex(i, j),
                                     vertex(i + 1, j + 1), vertex(i + 1, j)})
                mesh->indices.push_back(v);
    return mesh;
}
/// What a form of many faces costs until its first coarse cavity is there.
void many_faces() {
    const auto mesh = ring(2500, 2000);
    std::vector<geometry::Instance> instances{{geometry::make_shape(mesh), M44f()}};
    const geometry::Geometry g(std::move(instances));
    const double building = seconds([&] { g.build(nullptr); });
    std::printf("  %zu faces: %.1f s for the accelerator\n", mesh->triangles(), building);
    std::shared_ptr<const geometry::FormField> first;
    const double took = seconds(
        [&] { first = geometry::compute_field(g, {1}, cavity_request(.02f, false), geometry::field_rays_first); });
    line("ten million faces: the first coarse cavity", took, "s", "at most 2", took <= 2.);
    line("  its memory", double(first->bytes()) * 1e-6, "MB", "at most 256", first->bytes() < (size_t(256) << 20));
}

}  // namespace

void fields() {
    const auto l = lantern();
    against_brute_force("lantern", l, .02f);
    against_brute_force("plate of large faces", plate(), .05f);
    against_brute_force("part with fillets", part_with_fillets(), .05f);
    against_brute_force("open sheet", open_sheet(), .05f);
    threshold("lantern", l, .02f);
    threshold("part with fillets", part_with_fillets(), .05f);
    ten_fields();
    rays_of_fields(l);
    many_faces();
}

}  // namespace vemtra::bench
