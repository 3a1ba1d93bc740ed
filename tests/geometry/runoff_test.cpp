// Where what runs down came from: straight up the surface, to ledges and joints.
#include "geometry/field.h"
#include "geometry/import.h"
#include "render/materials.h"
#include "render_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
std::unique_ptr<geometry::Geometry> standing(const Scratch& s, const std::string& obj) {
    auto r = geometry::import(s.write("m.obj", obj).string(), {});
    REQUIRE(r);
    std::vector<geometry::Instance> instances;
    for (const auto& p : r->parts) instances.emplace_back(geometry::make_shape(p.mesh), p.to_asset);
    return std::make_unique<geometry::Geometry>(std::move(instances));
}
struct Spring {
    V3f place;
    float up;
};
class Runoff {
public:
    Runoff(const geometry::Geometry& g, float length, int from, const V3f& down = V3f(0, -1, 0)) : g_(g) {
        field_ = geometry::compute_field(g, std::vector<char>(g.instances().size(), 1),
                                         {"b", "runoff", {down.x, down.y, down.z, length, float(from)}},
                                         geometry::field_rays_final);
        REQUIRE(field_);
        REQUIRE(field_->channels == 4);
    }
    /// From where the mask is, on the first of all parts or more.
    Runoff(const geometry::Geometry& g, float length, const std::function<bool(const V3f&, uint32_t)>& mask,
           uint32_t parts = 1)
        : g_(g) {
        geometry::PartBorders borders(g.instances().size());
        std::vector<char> wanted(g.instances().size(), 0);
        for (uint32_t i = 0; i < parts; ++i) {
            const geometry::Mesh& m = g.shape(i).faces_as_triangles();
            const auto welds = geometry::weld(m);
            auto grid = geometry::border_grid(
                m, *welds, geometry::levels_by_spacing(m, *welds, length / 200.f), length / 8.f,
                geometry::BorderSides::both, [&]() -> geometry::HeightsAt {
                    return [&](int n, const uint32_t* face, const float* u, const float* v, float* out) {
                        for (int k = 0; k < n; ++k)
                            out[k] = mask(g.at({i, face[k], u[k], v[k]}).position, i) ? 1.f : 0.f;
                    };
                });
            REQUIRE(grid);
            borders[i] = std::make_shared<const geometry::BorderGrid>(std::move(*grid));
            wanted[i] = 1;
        }
        field_ = geometry::compute_field(g, wanted, {"b", "runoff", {0, -1, 0, length, 0}, 1},
                                         geometry::field_rays_final, {.mask = borders});
        REQUIRE(field_);
    }
    Spring at(const geometry::Place& p) const {
        const geometry::Mesh& m = g_.shape(p.instance).faces_as_triangles();
        return {{field_->at(m, p, 0), field_->at(m, p, 1), field_->at(m, p, 2)}, field_->at(m, p, 3)};
    }
    /// At every vertex of a part: put(position, spring).
    template <class Put> void vertices(uint32_t part, Put&& put) const {
        const geometry::Mesh& m = g_.shape(part).faces_as_triangles();
        const std::vector<float>& n = field_->parts[part]->at_vertex.numbers;
        REQUIRE(n.size() == 4 * m.positions.size());
        for (size_t v = 0; v < m.positions.size(); ++v)
            put(m.positions[v], Spring{{n[4 * v], n[4 * v + 1], n[4 * v + 2]}, n[4 * v + 3]});
    }

private:
    const geometry::Geometry& g_;
    std::shared_ptr<const geometry::FormField> field_;
};

/// A grid over (u, v) in 0..1 whose inner points are moved about, so that no row of faces lies along the way.
template <class Point>
std::string grid(const char* name, int n, int m, bool closed, const Point& point, int first = 1) {
    std::mt19937 random(5);
    auto shift = [&] { return .2 * (double(random() % 2001) / 1000. - 1.); };
    std::string out = std::string("o ") + name + "\n";
    const int columns = closed ? n : n + 1;
    for (int j = 0; j <= m; ++j)
        for (int i = 0; i < columns; ++i) {
            const bool inner = j > 0 && j < m && (closed || (i > 0 && i < n));
            const V3f p = point((i + (inner ? shift() : 0.)) / n, (j + (inner ? shift() : 0.)) / m);
            char line[96];
            std::snprintf(line, sizeof line, "v %.7g %.7g %.7g\n", double(p.x), double(p.y), double(p.z));
            out += line;
        }
    for (int j = 0; j < m; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = first + j * columns + i;
            const int b = first + j * columns + (i + 1) % columns;
            const std::string q[] = {std::to_string(a), std::to_string(b), std::to_string(b + columns),
                                     std::to_string(a + columns)};
            out += i % 2 ? "f " + q[0] + " " + q[1] + " " + q[2] + "\nf " + q[0] + " " + q[2] + " " + q[3] + "\n"
                         : "f " + q[0] + " " + q[1] + " " + q[3] + "\nf " + q[1] + " " + q[2] + " " + q[3] + "\n";
        }
    return out;
}
float angle_between(const V3f& a, const V3f& b) {
    return std::acos(std::clamp(a.normalized().dot(b.normalized()), -1.f, 1.f)) * 180.f / pi;
}
std::string box(const char* name, const V3f& low, const V3f& high, int first) {
    std::string out = std::string("o ") + name + "\n";
    for (int k = 0; k < 8; ++k)
        out += "v " + std::to_string(k & 1 ? high.x : low.x) + " " + std::to_string(k & 2 ? high.y : low.y) + " " +
               std::to_string(k & 4 ? high.z : low.z) + "\n";
    for (const auto& f :
         {std::array{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}) {
        out += "f";
        for (const int k : f) out += " " + std::to_string(first + k);
        out += "\n";
    }
    return out;
}
}  // namespace

TEST_CASE("on an inclined plane what runs came straight down from its upper rim, within two degrees") {
    const Scratch s;
    for (const float size : {.2f, 10.f}) {
        INFO("size " << size);
        // Rising along z by half, leaning: steepest along z.
        const auto g = standing(s, grid("ramp", 11, 13, false, [&](double u, double v) {
                                    return V3f(float(u), float(.5 * v), float(-v)) * size;
                                }));
        const Runoff runoff(*g, 4.f * size, 1);
        const V3f down = V3f(0.f, -.5f, 1.f);
        int looked = 0;
        runoff.vertices(0, [&](const V3f& p, const Spring& from) {
            if (p.z < -.97f * size || p.z > -.03f * size || p.x < .02f * size || p.x > .98f * size) return;
            ++looked;
            CHECK(angle_between(p - from.place, down) < 2.f);
            CHECK(from.place.y == Approx(.5f * size).epsilon(.004));
            CHECK(from.up == Approx((p - from.place).length()).epsilon(.01));
        });
        CHECK(looked > 80);
        // Where it is asked for no further than that, nothing springs.
        const Runoff near(*g, .1f * size, 1);
        near.vertices(0, [&](const V3f& p, const Spring& from) {
            if (p.y < .4f * size) CHECK(from.up == Approx(.2f * size).epsilon(1e-4));
        });
    }
}

TEST_CASE("on cylinders it runs along the gradient, standing or lying, and ends where the top is level") {
    const Scratch s;
    const auto standing_one =
        standing(s, grid("pipe", 40, 9, true, [](double u, double v) {
                     return V3f(float(.3 * std::sin(2 * M_PI * u)), float(v), float(.3 * std::cos(2 * M_PI * u)));
                 }));
    Runoff(*standing_one, 2.f, 1).vertices(0, [](const V3f& p, const Spring& from) {
        if (p.y > .95f || p.y < .02f) return;
        const V3f way = p - from.place;
        CHECK(std::sqrt(way.x * way.x + way.z * way.z) < std::tan(radians(2.f)) * from.up);
        CHECK(from.up == Approx(1.f - p.y).margin(.01));
    });
    const auto lying =
        standing(s, grid("pipe", 60, 9, true, [](double u, double v) {
                     return V3f(float(v), float(.3 * std::cos(2 * M_PI * u)), float(.3 * std::sin(2 * M_PI * u)));
                 }));
    int looked = 0;
    Runoff(*lying, 2.f, 1).vertices(0, [&](const V3f& p, const Spring& from) {
        const float steep = std::sqrt(std::max(0.f, 1.f - std::pow(p.y / .3f, 2.f)));
        if (p.x < .1f || p.x > .9f || steep < .3f || p.y < -.2f) return;
        ++looked;
        CHECK(std::fabs(p.x - from.place.x) < std::tan(radians(2.f)) * from.up);  // round the pipe, not along it
        CHECK(from.place.y > .285f);
        CHECK(from.up > .05f);
    });
    CHECK(looked > 100);
}

TEST_CASE("on a sphere every run comes down its own meridian") {
    const Scratch s;
    const auto g = standing(s, sphere_obj(48));
    int looked = 0;
    Runoff(*g, 3.f, 1).vertices(0, [&](const V3f& p, const Spring& from) {
        if (p.y > .4f || p.y < -.35f) return;
        ++looked;
        const float turn = angle_between(V3f(p.x, 0, p.z), V3f(from.place.x, 0, from.place.z));
        INFO(p.x << " " << p.y << " " << p.z << " from " << from.place.x << " " << from.place.y << " " << from.place.z
                 << " up " << from.up);
        CHECK(turn < 6.f);  // of a form of flat faces, 7.5 degrees wide
        CHECK(from.place.y > .47f);
        CHECK(from.up == Approx(.5f * (std::acos(p.y / .5f) - std::acos(from.place.y / .5f))).margin(.03));
    });
    CHECK(looked > 500);
}

TEST_CASE("from joints it runs below what sits on the surface, and nowhere beside it") {
    const Scratch s;
    const std::string plate =
        grid("plate", 40, 40, false, [](double u, double v) { return V3f(float(u) - .5f, float(v), 0.f); });
    const auto g = standing(s, plate + box("bolt", {-.05f, .7f, -.02f}, {.05f, .8f, .03f}, 41 * 41 + 1));
    const Runoff joints(*g, .5f, 2);
    int below = 0;
    int beside = 0;
    joints.vertices(0, [&](const V3f& p, const Spring& from) {
        if (p.y > .65f || p.y < .32f) return;
        if (std::fabs(p.x) < .04f) {
            ++below;
            CHECK(from.up == Approx(.7f - p.y).margin(.025));
            CHECK(std::fabs(from.place.x - p.x) < .01f);
        } else if (std::fabs(p.x) > .07f) {
            ++beside;
            CHECK(from.up == Approx(1.f).epsilon(1e-4));
        }
    });
    CHECK(below > 30);
    CHECK(beside > 300);
    // From ledges it comes from the plate's rim, as if no bolt were there.
    Runoff(*g, .5f, 1).vertices(0, [](const V3f& p, const Spring& from) {
        if (p.y > .6f && p.y < .98f) CHECK(from.up == Approx(1.f - p.y).margin(.01));
    });
    // A wall that meets the underside of a shelf bends inward: a joint, no ledge.
    const auto shelf =
        standing(s, "o wall\nv -1 0 0\nv 1 0 0\nv 1 1 0\nv -1 1 0\nv 1 1 .5\nv -1 1 .5\nf 1 2 3 4\nf 4 3 5 6\n");
    const geometry::Place middle{0, 0, .3f, .3f};
    const float y = shelf->at(middle).position.y;
    CHECK(Runoff(*shelf, 2.f, 2).at(middle).up == Approx(1.f - y).margin(.01));
    CHECK(Runoff(*shelf, 2.f, 3).at(middle).up == Approx(1.f - y).margin(.01));
}

TEST_CASE("forms that no water was meant for give finite numbers") {
    const Scratch s;
    for (const char* obj : {"o flat\nv 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n",                     // level
                            "o none\nv 0 0 0\nv 1 1 0\nv 2 2 0\nf 1 2 3\n",                     // no area
                            "o twice\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\nf 1 3 2\nf 1 2 3\n",  // upon itself
                            "o fan\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv -1 0 0\nv 0 0 1\nf 1 2 3\nf 1 3 4\nf 1 3 5\n"}) {
        INFO(obj);
        auto r = geometry::import(s.write("m.obj", obj).string(), {});
        if (!r) continue;  // refused with a sentence
        const auto g = standing(s, obj);
        for (const int from : {1, 2, 3})
            Runoff(*g, 1.f, from).vertices(0, [](const V3f&, const Spring& spring) {
                CHECK(finite(spring.place));
                CHECK((spring.up >= 0.f && spring.up <= 2.001f));
            });
    }
}

TEST_CASE("from a mask what runs comes straight down from its lower border, and from nowhere else") {
    const Scratch s;
    for (const float size : {.2f, 10.f}) {
        INFO("size " << size);
        const auto g = standing(s, grid("ramp", 24, 26, false, [&](double u, double v) {
                                    return V3f(float(u), float(.5 * v), float(-v)) * size;
                                }));
        auto masked = [&](const V3f& p, uint32_t = 0) {
            return std::fabs(p.x - .4f * size) < .15f * size && p.z < -.6f * size && p.z > -.8f * size;
        };
        const float furthest = .5f * size;
        const Runoff runoff(*g, furthest, masked);
        int below = 0;
        int elsewhere = 0;
        runoff.vertices(0, [&](const V3f& p, const Spring& from) {
            const float beside = std::fabs(p.x - .4f * size) - .15f * size;
            const float up = (-p.z - .6f * size) * -std::sqrt(1.25f);  // along the slope, to the mask's lower border
            if (std::fabs(beside) < .01f * size || std::fabs(up) < .01f * size ||
                std::fabs(up - furthest) < .01f * size)
                return;
            if (beside < 0.f && up > 0.f && up < furthest) {
                ++below;
                CHECK(from.up == Approx(up).margin(.004 * size));
                CHECK((from.place - V3f(p.x, .3f * size, -.6f * size)).length() < .006f * size);
            } else if (beside > 0.f || p.z < -.81f * size || up > furthest) {
                ++elsewhere;
                CHECK(from.up == 2.f * furthest);
            } else if (masked(p)) {
                CHECK(from.up == 0.f);
            }
        });
        CHECK(below > 50);
        CHECK(elsewhere > 200);
    }
}

TEST_CASE("what runs from a mask on one part runs on over the part that it stands on") {
    const Scratch s;
    for (const float size : {.2f, 10.f}) {
        INFO("size " << size);
        // A block that sticks in a plate, a corner down.
        const V2f middle = V2f(.5f, .6f) * size;
        const float half = .1f * size;  // of its diagonal
        std::string block = "o block\n";
        for (const float z : {-.02f, .04f})
            for (const V2f& corner : {V2f(0, -half), V2f(half, 0), V2f(0, half), V2f(-half, 0)})
                block += "v " + std::to_string(middle.x + corner.x) + " " + std::to_string(middle.y + corner.y) + " " +
                         std::to_string(z * size) + "\n";
        const int first = 31 * 31 + 1;
        for (const auto& f :
             {std::array{0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}, {4, 5, 6, 7}, {3, 2, 1, 0}}) {
            block += "f";
            for (const int k : f) block += " " + std::to_string(first + k);
            block += "\n";
        }
        const auto g = standing(s, grid("plate", 30, 30, false, [&](double u, double v) {
                                       return V3f(float(u), float(v), 0.f) * size;
                                   }) + block);
        const float furthest = .4f * size;
        auto upper_half = [&](const V3f& p, uint32_t part) { return part == 1 && p.y > middle.y - .01f * size; };
        const Runoff over_both(*g, furthest, upper_half, 2);
        const Runoff plate_alone(*g, furthest, upper_half, 1);
        int below = 0;
        int elsewhere = 0;
        over_both.vertices(0, [&](const V3f& p, const Spring& from) {
            const float beside = std::fabs(p.x - middle.x);
            const float side = middle.y - (half - beside);  // where the block's lower side stands on the plate
            const float up = side - p.y + std::sqrt(2.f) * (half - beside - .01f * size);
            if (std::fabs(beside - half) < .015f * size || beside < .01f * size ||
                std::fabs(up - furthest) < .01f * size)
                return;
            if (beside < half && p.y < side - .01f * size && up < furthest) {
                ++below;
                CHECK(from.up == Approx(up).margin(.012 * size));
                CHECK(std::fabs(from.place.y - middle.y + .01f * size) < .006f * size);
            } else if (beside > half || p.y > middle.y + half) {
                ++elsewhere;
                CHECK(from.up == 2.f * furthest);
            }
        });
        plate_alone.vertices(0, [&](const V3f&, const Spring& from) { CHECK(from.up == 2.f * furthest); });
        // From ledges it comes from the block's corners at the sides, and spreads where that meets the plate; where
        // joints count, it comes from there.
        int from_ledges = 0;
        auto below_block = [&](const V3f& p, float& side) {
            const float beside = std::fabs(p.x - middle.x);
            side = middle.y - (half - beside);
            return beside < half - .015f * size && beside > .01f * size && p.y < side - .01f * size &&
                   side - p.y + std::sqrt(2.f) * (half - beside) < furthest - .01f * size;
        };
        Runoff(*g, furthest, 1).vertices(0, [&](const V3f& p, const Spring& from) {
            float side = 0.f;
            if (!below_block(p, side)) return;
            ++from_ledges;
            CHECK(from.up == Approx(side - p.y + std::sqrt(2.f) * (middle.y - side)).margin(.012 * size));
            CHECK((from.place - V3f(p.x, side, 0.f)).length() < .01f * size);
        });
        CHECK(from_ledges > 15);
        Runoff(*g, furthest, 3).vertices(0, [&](const V3f& p, const Spring& from) {
            float side = 0.f;
            if (below_block(p, side)) CHECK(from.up == Approx(side - p.y).margin(.012 * size));
        });
        CHECK(below > 15);
        CHECK(elsewhere > 100);
        // A spot higher up on the plate is not hidden by what lies between.
        auto above = [&](const V3f& p, uint32_t part) { return part == 0 && p.y > .85f * size; };
        const Runoff past(*g, furthest, above, 2);
        past.vertices(0, [&](const V3f& p, const Spring& from) {
            if (p.y > .46f * size && p.y < .84f * size) CHECK(from.up == Approx(.85f * size - p.y).margin(.01f * size));
        });
    }
}

TEST_CASE("a network makes runs from any mask, coarse at first, and computes them again when the mask changes") {
    const Scratch s;
    s.write("plate.obj", grid("plate", 30, 30, false, [](double u, double v) { return V3f(float(u), float(v), 0.f); }));
    scene::Scene scene = plain_scene("plate.obj");
    scene.parts[0].source = "plate";
    scene::BuildUp& b = scene.build_ups[0];
    const std::string& layer = b.layers[0].id;
    const std::string high = scene::add_node(b, layer, "height", "float", "High");
    const std::string runs = scene::add_node(b, layer, "runfrom", "float", "Runs");
    for (const auto& [port, value] : {std::pair{"from", .7f}, {"to", .7f}})
        scene::node(b, high)->inputs[port].value = value;
    scene::node(b, runs)->inputs["in"].from = high;
    scene::node(b, runs)->inputs["length"].value = .25f;
    scene::node(b, runs)->inputs["density"].value = 1.f;
    scene::node(b, runs)->inputs["fade"].value = .1f;
    b.layers[0].surface["specular_roughness"].from = runs;
    render::Workshop workshop;
    /// The mean over places between two heights.
    auto mean = [&](const render::Prepared& p, float low, float high) {
        double sum = 0;
        int count = 0;
        const geometry::Mesh& m = p.geometry->shape(0).faces_as_triangles();
        auto arrays = std::make_unique<render::PointArrays>();
        program::Resources resources = p.resources;
        std::vector<Error> problems;
        const auto program =
            program::compile(b, {{"", nodes::Type::number, {scene::Value{0.f}, runs}}}, resources, problems);
        program::Workspace workspace;
        for (uint32_t f = 0; f < m.triangles(); ++f) {
            const geometry::Place place{0, f, .3f, .3f};
            const geometry::SurfacePoint at = p.geometry->at(place);
            if (at.position.y < low || at.position.y > high) continue;
            arrays->set(0, p, place, at, at.normal, .001f);
            const float* out = nullptr;
            program.run(arrays->batch(1, p), workspace, &out);
            sum += out[0];
            ++count;
        }
        REQUIRE(count > 20);
        return sum / count;
    };
    const auto p = prepared(scene, s.path, workshop);
    CHECK(p->problems.empty());
    REQUIRE(p->resources.fields.size() == 2);  // the height, and the runs behind it
    REQUIRE(p->resources.order.size() == 3);
    CHECK(mean(*p, .6f, .68f) > .7);
    CHECK(mean(*p, .0f, .4f) == 0.);
    for (const char* port : {"from", "to"}) scene::node(b, high)->inputs[port].value = .4f;
    const auto other = prepared(scene, s.path, workshop);
    CHECK(other->fields->all()[1] != p->fields->all()[1]);
    CHECK(mean(*other, .3f, .38f) > .7);
    CHECK(mean(*other, .0f, .1f) == 0.);
    scene.rigs[0].lights.clear();
    CHECK(prepared(scene, s.path, workshop)->fields->all()[1] == other->fields->all()[1]);
}

TEST_CASE("runs begin by their density, end by their length, and are others with another seed") {
    const Scratch s;
    s.write("plate.obj", grid("plate", 30, 30, false, [](double u, double v) { return V3f(float(u), float(v), 0.f); }));
    scene::Scene scene = plain_scene("plate.obj");
    scene.parts[0].source = "plate";
    scene::BuildUp& b = scene.build_ups[0];
    const std::string id = scene::add_node(b, b.layers[0].id, "streak", "float", "Runs");
    b.layers[0].surface["specular_roughness"].from = id;
    render::Workshop workshop;
    auto values = [&](std::map<std::string, float> set) {
        for (const auto& [port, value] : set) scene::node(b, id)->inputs[port].value = value;
        const auto p = prepared(scene, s.path, workshop);
        std::vector<nodes::FieldRequest> asked = p->resources.fields;
        REQUIRE(asked.size() == 1);
        // Read as shading does, over the faces.
        const geometry::Mesh& m = p->geometry->shape(0).faces_as_triangles();
        std::vector<V2f> out;  // value, height
        program::Resources resources;
        std::vector<Error> problems;
        const program::Program program = program::compile(b, {{"runs", nodes::Type::number, {scene::Value{0.f}, id}}},
                                                          resources, problems, &scene.networks);
        REQUIRE(problems.empty());
        program::Workspace workspace;
        for (uint32_t f = 0; f < m.triangles(); ++f) {
            const geometry::Place place{0, f, .3f, .3f};
            const V3f at = p->geometry->at(place).position;
            float rows[nodes::row_count][1] = {};
            rows[nodes::row_bary][0] = rows[nodes::row_bary + 1][0] = .3f;
            nodes::PointBatch batch;
            batch.n = 1;
            for (int r = 0; r < nodes::row_count; ++r) batch.rows[r] = rows[r];
            const uint32_t instance = 0;
            batch.instance = &instance;
            batch.face = &f;
            batch.fields = p->fields.get();
            const float* result[1];
            program.run(batch, workspace, result);
            out.push_back({result[0][0], at.y});
        }
        return out;
    };
    auto mean = [](const std::vector<V2f>& all, float low, float high) {
        double sum = 0;
        int n = 0;
        for (const V2f& v : all)
            if (v.y >= low && v.y < high) sum += double(v.x), ++n;
        return sum / std::max(1, n);
    };
    const auto half = values({{"length", .4f}, {"width", .03f}, {"density", .5f}, {"meander", 0.f}, {"fade", 1.f}});
    for (const V2f& v : half) CHECK_FALSE(!(v.x >= 0.f && v.x <= 1.f));
    CHECK(mean(half, .9f, 1.f) > .1);
    CHECK(mean(half, .9f, 1.f) > 1.5 * mean(half, .7f, .8f));
    CHECK(mean(half, 0.f, .59f) == 0.);  // further down than the longest run
    CHECK(mean(values({{"density", 0.f}}), .9f, 1.f) < .02);
    CHECK(mean(values({{"density", 1.f}}), .9f, 1.f) > 1.3 * mean(half, .9f, 1.f));
    const auto other = values({{"density", .5f}, {"seed", 3.f}});
    int differ = 0;
    for (size_t i = 0; i < half.size(); ++i) differ += std::fabs(half[i].x - other[i].x) > .2f;
    CHECK(differ > 20);
    CHECK(mean(other, .9f, 1.f) == Approx(mean(half, .9f, 1.f)).epsilon(.5));
}
