// What a spacing of points over a mesh costs, by its faces in order against every face looked at.
#include "geometry/face_sides.h"

#include <random>

#include "geometry/relief.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

/// Faces with sides from thousandths to tens, one of no size and one with a corner that lies nowhere.
geometry::Mesh faces_of_all_sizes() {
    geometry::Mesh m;
    std::mt19937 random(7);
    std::uniform_real_distribution<float> power(-3.f, 1.5f);
    auto face = [&m](const V3f& a, const V3f& b, const V3f& c) {
        for (const V3f& p : {a, b, c}) {
            m.indices.push_back(uint32_t(m.positions.size()));
            m.positions.push_back(p);
        }
    };
    for (int k = 0; k < 300; ++k) {
        const float side = std::pow(10.f, power(random));
        face({0.f, 0.f, 0.f}, {side, 0.f, 0.f}, {0.f, .7f * side, 0.f});
    }
    face(V3f(1.f), V3f(1.f), V3f(1.f));
    face({0.f, 0.f, 0.f}, {NAN, 0.f, 0.f}, {0.f, 1.f, 0.f});
    return m;
}
double points_face_by_face(const geometry::Mesh& m, float spacing) {
    double points = 0;
    for (uint32_t f = 0; f < m.triangles(); ++f) {
        double n = 1;
        const double wanted = double(geometry::longest_side(m, f) / spacing);
        while (n < wanted && n < double(1 << geometry::relief_deepest)) n *= 2;
        points += n * n / 2;
    }
    return points;
}

}  // namespace

TEST_CASE("points of a spacing are those of all faces looked at one by one") {
    const geometry::Mesh m = faces_of_all_sizes();
    const geometry::FaceSides sides(m);
    for (const float spacing : {1e-9f, 1e-5f, 3e-4f, .01f, .25f, 1.f, 7.f, 100.f})
        CHECK(sides.points(spacing) == Approx(points_face_by_face(m, spacing)).epsilon(1e-12));
}

TEST_CASE("an affordable spacing is the first doubled one that fits, or that halves nothing any more") {
    const geometry::Mesh m = faces_of_all_sizes();
    const geometry::FaceSides sides(m);
    for (const size_t most : {size_t(1000), size_t(200000), size_t(50) << 20}) {
        const float spacing = sides.affordable(1e-4f, most);
        CHECK(points_face_by_face(m, spacing) <= double(most));
        if (spacing > 1e-4f) CHECK(points_face_by_face(m, .5f * spacing) > double(most));
    }
    CHECK(sides.affordable(1e-4f, 10) < 100.f);  // fewer points than faces cannot be had
}

TEST_CASE("a mesh without faces costs no points") {
    const geometry::FaceSides none{geometry::Mesh()};
    CHECK(none.points(1e-3f) == 0.);
    CHECK(none.affordable(1e-3f, 1) == 1e-3f);
}
