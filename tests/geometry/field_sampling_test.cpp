#include <tbb/global_control.h>

#include <set>

#include "field_support.h"
#include "geometry/nearest.h"

using namespace vemtra;
using namespace vemtra::test;
using geometry::compute_field;

TEST_CASE("a field that looks no further than a hair on a form of many faces ends in time, and says what it left out") {
    const Scratch s;
    const auto g = make(s, sphere_obj(120));
    for (const int rays : {geometry::field_rays_first, geometry::field_rays_final}) {
        const auto field = compute_field(*g, {1}, {"b", "runoff", {0, -1, 0, 1e-5f, 3}}, rays);
        REQUIRE(field);
        CHECK(field->cut);
        for (const float v : field->parts[0]->at_vertex.numbers) CHECK_FALSE(!std::isfinite(v));
        CHECK(field->bytes() < size_t(160) << 20);
    }
    CHECK_FALSE(compute_field(*g, {1}, {"b", "runoff", {0, -1, 0, 1.f, 1}}, geometry::field_rays_final)->cut);
}

TEST_CASE("a first look at a form of many vertices is near what all of them say, at few of them") {
    const Scratch s;
    const auto sphere = make(s, grid_obj(420, [](float u, float v) {  // half of one, seen from inside
                                 const float a = 6.2831853f * u;
                                 const float b = 1.5707963f * v;
                                 return V3f(std::cos(a) * std::sin(b), std::cos(b), std::sin(a) * std::sin(b)) * .5f;
                             }));
    const geometry::Mesh& mesh = sphere->shape(0).faces_as_triangles();
    REQUIRE(mesh.positions.size() > 150000);
    float weights[geometry::reach_knots];
    geometry::reach_weights(.5f, 1.f, weights);
    double read = 0;
    std::shared_ptr<const geometry::FormField> first;
    for (const bool edges : {false, true}) {
        first = compute_field(*sphere, {1}, request(edges), geometry::field_rays_first);
        const auto last = compute_field(*sphere, {1}, request(edges), geometry::field_rays_final);
        double off = 0;
        size_t count = 0;
        for (uint32_t f = 0; f < mesh.triangles(); f += 97, ++count) {
            const geometry::Place place{0, f, .3f, .3f};
            const float all = last->within(mesh, place, weights);
            off += double(std::fabs(first->within(mesh, place, weights) - all));
            read += double(all);
        }
        CHECK(off / double(count) < .05);
    }
    CHECK(read > 100.);
    std::set<std::vector<uint8_t>> different;
    const auto& shares = first->parts[0]->at_vertex.shares;
    for (size_t v = 0; v + 1 <= shares.size() / geometry::reach_knots; ++v)
        different.emplace(shares.begin() + long(v * geometry::reach_knots),
                          shares.begin() + long((v + 1) * geometry::reach_knots));
    CHECK(different.size() <= 100000);
    tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    const auto alone = compute_field(*sphere, {1}, request(true), geometry::field_rays_first);
    CHECK(alone->parts[0]->at_vertex == first->parts[0]->at_vertex);
}

namespace {

/// Where (x, z) lies on the level square of two triangles that is the first part.
geometry::Place on_level(const geometry::Geometry& g, float x, float z) {
    for (uint32_t face = 0; face < 2; ++face) {
        const geometry::SurfacePoint a = g.at({0, face, 0.f, 0.f});
        const V3f u = g.at({0, face, 1.f, 0.f}).position - a.position;
        const V3f v = g.at({0, face, 0.f, 1.f}).position - a.position;
        const V3f d = V3f(x, 0.f, z) - a.position;
        const float area = u.x * v.z - u.z * v.x;
        const geometry::Place at{0, face, (d.x * v.z - d.z * v.x) / area, (u.x * d.z - u.z * d.x) / area};
        if (at.u >= 0.f && at.v >= 0.f && at.u + at.v <= 1.f) return at;
    }
    return {0, 0, 0.f, 0.f};
}
/// What a mask of these weights would read there, were it asked there itself.
float exactly(const geometry::Geometry& g, const geometry::Place& at, const nodes::FieldRequest& asked,
              const float* weights) {
    const auto sampler = geometry::field_kind("cavity")->samplers(g, {asked.parameters, 1024})();
    const geometry::SurfacePoint here = g.at(at);
    float out[geometry::reach_knots];
    sampler({here.position, here.normal, V3f(0.f), 0, at.face}, out);
    float sum = 0.f;
    for (int k = 0; k < geometry::reach_knots; ++k) sum += weights[k] * out[k];
    return sum;
}
/// A block between two corners, its vertices numbered from `first`.
std::string block(const V3f& low, const V3f& high, int first) {
    std::string text = "o block\n";
    for (const float y : {low.y, high.y})
        for (const auto& [x, z] : {std::pair{low.x, low.z}, {low.x, high.z}, {high.x, high.z}, {high.x, low.z}})
            text += "v " + std::to_string(x) + " " + std::to_string(y) + " " + std::to_string(z) + "\n";
    for (const auto& f :
         {std::array{0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}, {0, 3, 2, 1}, {4, 5, 6, 7}}) {
        text += "f";
        for (const int v : f) text += " " + std::to_string(v + first);
        text += "\n";
    }
    return text;
}

}  // namespace

TEST_CASE("where parts touch a field steps at the line of contact, however coarse the faces are") {
    const Scratch s;
    // A thin box sticks in a floor of two triangles, turned.
    std::string box = "o box\n";
    const float c = .05f * std::cos(.4f);
    const float n = .05f * std::sin(.4f);
    for (const float y : {-.001f, .001f})
        for (const auto& [x, z] : {std::pair{c, n}, {-n, c}, {-c, -n}, {n, -c}})
            box += "v " + std::to_string(x) + " " + std::to_string(y) + " " + std::to_string(z) + "\n";
    for (const auto& f :
         {std::array{5, 6, 7, 8}, {4, 3, 2, 1}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 4, 8, 7}, {4, 1, 5, 8}}) {
        box += "f";
        for (const int v : f) box += " " + std::to_string(v + 4);
        box += "\n";
    }
    const auto g = make(s, level("floor", 0, 0, 0, .2f, 1, true) + box);
    const auto field = compute_field(*g, {1, 0}, request(false, .0625f), geometry::field_rays_final);
    REQUIRE_FALSE(field->parts[0]->steps.empty());
    const geometry::Mesh& m = g->shape(0).faces_as_triangles();
    float w[geometry::reach_knots];
    geometry::reach_weights(.04f / field->furthest, 1.f, w);
    // Inside of the box all is met at once; beside it little is.
    size_t wrong = 0;
    size_t all = 0;
    float worst = 0.f;
    for (float x = -.06f; x < .06f; x += .0007f)
        for (float z = -.06f; z < .06f; z += .0007f) {
            const float along = std::fabs(x * c + z * n) / .05f + std::fabs(z * c - x * n) / .05f;
            if (std::fabs(along - .05f) < 2e-4f) continue;  // on the line itself
            const geometry::Place at = on_level(*g, x, z);
            const float value = field->within(m, at, w);
            ++all;
            wrong += (value > .5f) != (along < .05f);
            worst = std::max(worst, value);
        }
    CHECK(worst > .9f);
    CHECK(double(wrong) / double(all) < .004);
}

TEST_CASE("what stands on a face and is narrower than the field's samples there are apart is found") {
    const Scratch s;
    // A small low block in a floor of two triangles: its top is near to what looks outward, its bottom to what looks
    // inward, and to few places that are further off than it is high.
    for (const bool edges : {false, true}) {
        const auto g =
            make(s, level("floor", 0, 0, 0, .4f, 1, true) +
                        block({.0647f, edges ? -.0006f : -.01f, .0136f}, {.0666f, edges ? .01f : .0006f, .0155f}, 5));
        const nodes::FieldRequest asked = request(edges, .03125f);
        const auto field = compute_field(*g, {1, 0}, asked, geometry::field_rays_final);
        float w[geometry::reach_knots];
        geometry::reach_weights(.02f / field->furthest, 1.f, w);
        const geometry::Mesh& m = g->shape(0).faces_as_triangles();
        float most = 0.f;
        float off = 0.f;
        for (int i = 0; i < 200; ++i) {  // along a line within its outline
            const geometry::Place at = on_level(*g, .0652f + .000004f * float(i), .0141f + .000004f * float(i));
            const float wanted = exactly(*g, at, asked, w);
            most = std::max(most, wanted);
            off = std::max(off, std::fabs(field->within(m, at, w) - wanted));
        }
        INFO((edges ? "inward" : "outward"));
        CHECK(most > .2f);
        CHECK(off < .06f);
    }
}

TEST_CASE("at the foot of a wall a field is right on both sides, where little changes between samples, too") {
    const Scratch s;
    // A rib that goes through a floor of two triangles: within it about as much is near as before it.
    const auto g =
        make(s, level("floor", 0, 0, 0, .3f, 1, true) + block({-.0151f, -.03f, -.08f}, {.0149f, .04f, .08f}, 5));
    for (const bool edges : {false, true}) {
        const nodes::FieldRequest asked = request(edges, .0625f);
        const auto field = compute_field(*g, {1, 0}, asked, geometry::field_rays_final);
        float w[geometry::reach_knots];
        geometry::reach_weights(.05f / field->furthest, 1.f, w);
        const geometry::Mesh& m = g->shape(0).faces_as_triangles();
        double off = 0;
        float worst = 0.f;
        int count = 0;
        for (int i = 1; i <= 30; ++i)
            for (const float foot : {-.0151f, .0149f})
                for (const float side : {-1.f, 1.f})
                    for (const float z : {-.043f, .0113f, .0329f}) {
                        const geometry::Place at = on_level(*g, foot + side * 4e-5f * float(i), z);
                        const float apart = std::fabs(field->within(m, at, w) - exactly(*g, at, asked, w));
                        off += double(apart);
                        worst = std::max(worst, apart);
                        ++count;
                    }
        INFO((edges ? "inward" : "outward") << ", mean " << off / double(count) << ", worst " << worst);
        CHECK(off / double(count) < .006);
        CHECK(worst < .03f);
    }
}

namespace {

/// A form of flat rectangles, each cut into triangles in one of three ways.
struct Cut {
    struct Face {
        int rectangle;
        V2f at[3];  ///< in the rectangle, 0..1
    };
    std::string obj = "o form\n";
    std::vector<Face> faces;
    int vertices = 0;

    void add(int rectangle, const V3f& corner, const V3f& u, const V3f& v, int way) {
        std::vector<V2f> points;
        std::vector<std::array<int, 3>> triangles;
        if (way == 0) {
            points = {{0, 0}, {1, 0}, {1, 1}, {0, 1}};
            triangles = {{0, 1, 2}, {0, 2, 3}};
        } else if (way == 1) {  // a fan of slivers from one corner
            for (int k = 0; k <= 12; ++k) points.emplace_back(1.f, float(k) / 12.f);
            points.insert(points.end(), {{0, 1}, {0, 0}});
            for (int k = 0; k < 13; ++k) triangles.push_back({14, k, k + 1});
        } else {  // an uneven grid
            for (int j = 0; j <= 7; ++j)
                for (int i = 0; i <= 5; ++i)
                    points.emplace_back(std::pow(float(i) / 5.f, 1.4f), std::pow(float(j) / 7.f, .8f));
            for (int j = 0; j < 7; ++j)
                for (int i = 0; i < 5; ++i) {
                    const int a = j * 6 + i;
                    triangles.insert(triangles.end(), {{a, a + 1, a + 6}, {a + 1, a + 7, a + 6}});
                }
        }
        for (const V2f& q : points) {
            const V3f p = corner + u * q.x + v * q.y;
            obj += "v " + std::to_string(p.x) + " " + std::to_string(p.y) + " " + std::to_string(p.z) + "\n";
        }
        for (const auto& t : triangles) {
            obj += "f";
            Face f{rectangle, {}};
            for (size_t k = 0; k < 3; ++k) {
                obj += " " + std::to_string(vertices + t[k] + 1);
                f.at[k] = points[size_t(t[k])];
            }
            obj += "\n";
            faces.push_back(f);
        }
        vertices += int(points.size());
    }
    /// Where a point of a rectangle lies in the mesh.
    geometry::Place place(int rectangle, const V2f& q) const {
        for (uint32_t f = 0; f < faces.size(); ++f) {
            if (faces[f].rectangle != rectangle) continue;
            const V2f a = faces[f].at[1] - faces[f].at[0];
            const V2f b = faces[f].at[2] - faces[f].at[0];
            const V2f d = q - faces[f].at[0];
            const float area = a.x * b.y - a.y * b.x;
            const geometry::Place at{0, f, (d.x * b.y - d.y * b.x) / area, (a.x * d.y - a.y * d.x) / area};
            if (at.u >= 0.f && at.v >= 0.f && at.u + at.v <= 1.f) return at;
        }
        return {0, 0, 0.f, 0.f};
    }
};

}  // namespace

TEST_CASE("the same form cut into triangles in three ways gives the same mask") {
    const Scratch s;
    // A floor, a wall with an overhang, and a plate that hovers over the floor.
    std::array<Cut, 3> cuts;
    for (int way = 0; way < 3; ++way) {
        Cut& c = cuts[size_t(way)];
        c.add(0, {-.2f, 0, -.2f}, {0, 0, .4f}, {.4f, 0, 0}, way);
        c.add(1, {-.2f, 0, -.2f}, {.4f, 0, 0}, {0, .12f, 0}, way);
        c.add(2, {-.2f, .12f, -.2f}, {.4f, 0, 0}, {0, 0, .06f}, way);
        c.add(3, {-.05f, .03f, .02f}, {.1f, 0, 0}, {0, 0, .09f}, way);
    }
    for (const float range : {.0625f, .25f}) {
        float w[geometry::reach_knots];
        geometry::reach_weights(.8f, 1.f, w);
        std::array<std::unique_ptr<geometry::Geometry>, 3> forms;
        std::array<std::shared_ptr<const geometry::FormField>, 3> fields;
        for (size_t way = 0; way < 3; ++way) {
            forms[way] = make(s, cuts[way].obj);
            REQUIRE(forms[way]->shape(0).faces() == cuts[way].faces.size());
            fields[way] = compute_field(*forms[way], {1}, request(false, range), geometry::field_rays_final);
        }
        for (int rectangle = 0; rectangle < 3; ++rectangle) {
            float off = 0.f;
            double sum = 0.;
            int count = 0;
            int over = 0;
            for (float x = .0131f; x < 1.f; x += .0217f)
                for (float y = .0117f; y < 1.f; y += .0233f) {
                    float low = 1.f;
                    float high = 0.f;
                    for (size_t way = 0; way < 3; ++way) {
                        const float v = fields[way]->within(forms[way]->shape(0).faces_as_triangles(),
                                                            cuts[way].place(rectangle, {x, y}), w);
                        low = std::min(low, v);
                        high = std::max(high, v);
                    }
                    off = std::max(off, high - low);
                    sum += double(high - low);
                    over += high - low > .02f;
                    ++count;
                }
            INFO("range " << range << ", rectangle " << rectangle << ", worst " << off << ", over .02: " << over);
            CHECK(sum / double(count) < .008);
            CHECK(over < count / 80);
            CHECK(off < .12f);  // in corners, nearer than samples are apart
        }
    }
}

TEST_CASE("parts that are pasted in one place are near one another, and each is asked for once") {
    const Scratch s;
    const auto one = make(s, level("low", 0, 0, 0, 1.f, 1, true) + level("high", 0, .25f, 0, 1.f, 5, false));
    std::vector<geometry::Instance> many(one->instances().begin(), one->instances().end());
    many.push_back(many[1]);
    const geometry::Geometry twice(many);
    const auto field = compute_field(twice, {1, 1, 1}, {"b", "nearest", {0}}, geometry::field_rays_first);
    for (const float v : field->parts[0]->at_vertex.numbers) CHECK(v == Approx(.25f).margin(1e-5));
    for (const size_t pasted : {1u, 2u})
        for (const float v : field->parts[pasted]->at_vertex.numbers) CHECK(v == Approx(0.f).margin(1e-5));
    // Named alone, it is near its twin and no other to itself.
    const auto named = compute_field(twice, {{1, 1, 1}, {0, 1, 0}}, {"b", "nearest", {0}, 0, "x"}, 16);
    const float far = geometry::size_of_all(twice);
    for (const float v : named->parts[1]->at_vertex.numbers) CHECK(v == far);
    for (const float v : named->parts[2]->at_vertex.numbers) CHECK(v == Approx(0.f).margin(1e-5));
}

TEST_CASE("the nearest other part is found over small and large ones, and one's own is not looked at") {
    const Scratch s;
    // A sheet of many faces, another above it, and a small square between them.
    auto sheet = [](const char* name, int first, float y) {
        constexpr int n = 60;
        std::string text = std::string("o ") + name + "\n";
        for (int j = 0; j <= n; ++j)
            for (int i = 0; i <= n; ++i)
                text += "v " + std::to_string(2.f * float(i) / n - 1.f) + " " + std::to_string(y) + " " +
                        std::to_string(2.f * float(j) / n - 1.f) + "\n";
        for (int j = 0; j < n; ++j)
            for (int i = 0; i < n; ++i) {
                const int a = first + j * (n + 1) + i;
                text += "f " + std::to_string(a) + " " + std::to_string(a + n + 1) + " " + std::to_string(a + n + 2) +
                        " " + std::to_string(a + 1) + "\n";
            }
        return text;
    };
    constexpr int vertices = 61 * 61;
    const auto g = make(s, sheet("low", 1, 0.f) + sheet("high", 1 + vertices, .5f) +
                               level("small", 0, .3f, 0, .1f, 1 + 2 * vertices, true));
    REQUIRE(g->shape(0).faces() >= 2048);
    const geometry::Nearest nearest(*g, {0, 1, 2});
    for (const float x : {-.7f, -.05f, .02f, .31f}) {
        const bool under = std::fabs(x) < .1f;
        const float beside = under ? 0.f : std::fabs(x) - .1f;
        const auto from_low = nearest.at({x, 0.f, .01f}, V3f(0.f), 4.f, 0);
        CHECK(from_low.distance == Approx(std::min(.5f, std::hypot(.3f, beside))).margin(1e-5));
        CHECK(from_low.place.instance == (std::hypot(.3f, beside) < .5f ? 2u : 1u));
        const auto from_small = nearest.at({x, .3f, .01f}, V3f(0.f), 4.f, 2);
        CHECK(from_small.distance == Approx(.2f).margin(1e-5));
        CHECK(from_small.place.instance == 1u);
        const auto from_all = nearest.at({x, .1f, .01f}, V3f(0.f), 4.f);
        CHECK(from_all.place.instance == 0u);
        CHECK(from_all.distance == Approx(.1f).margin(1e-5));
    }
    CHECK_FALSE(geometry::hit_something(geometry::Nearest(*g, {0}).at({0.f, 0.f, 0.f}, V3f(0.f), 4.f, 0).place));
}

TEST_CASE("a field that no part wants is nothing, and of its kind") {
    const Scratch s;
    const auto g = make(s, square_obj);
    const auto field = compute_field(*g, {0}, request(false), geometry::field_rays_final);
    CHECK(field->of_shares());
    CHECK(field->furthest > 2.f);  // the longest reach that is asked for, and what is met beyond it
    CHECK(field->parts[0]->at_vertex.empty());
    float weights[geometry::reach_knots];
    geometry::reach_weights(.5f, 1.f, weights);
    CHECK(field->within(g->shape(0).faces_as_triangles(), {0, 0, .3f, .3f}, weights) == 0.f);
}
