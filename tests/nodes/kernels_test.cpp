#include "kernel_support.h"
#include "nodes/kernels/spread.h"
#include "program/compile.h"
#include "scene/edits.h"

using namespace vemtra;
using namespace vemtra::test;
using nodes::Type;

namespace {

/// Points of a plane with UVs as positions times two, seen so that the footprint's axes are `step` long.
void flat_points(KernelRun& k, float step) {
    std::mt19937 random(3);
    auto u = [&] { return float(random() % 10000) / 10000.f; };
    for (size_t i = 0; i < k.row(0).size(); ++i) {
        const float x = u(), y = u();
        k.row(nodes::row_position)[i] = x;
        k.row(nodes::row_position + 1)[i] = y;
        k.row(nodes::row_uv)[i] = 2.f * x;
        k.row(nodes::row_uv + 1)[i] = 2.f * y;
        k.row(nodes::row_position_axes)[i] = step;
        k.row(nodes::row_position_axes + 4)[i] = step;
        k.row(nodes::row_uv_axes)[i] = 2.f * step;
        k.row(nodes::row_uv_axes + 3)[i] = 2.f * step;
    }
}
/// The place port as the UVs with their footprint.
void read_uvs(KernelRun& k, const std::string& port) {
    for (int c = 0; c < 2; ++c) k.in(port, c) = k.row(nodes::row_uv + c);
    for (int c = 0; c < 4; ++c) k.in(port, 2 + c) = k.row(nodes::row_uv_axes + c);
}
V3f at(const std::vector<std::vector<float>>& out, size_t i) {
    return {out[0][i], out[1][i], out[2][i]};
}

bool same(float a, float b) {
    return a == b || (std::isnan(a) && std::isnan(b));
}

/// Runs every kernel of its own in both builds and at several widths, all inputs drawn from `value`; gives their
/// number.
size_t run_all_kernels(float (*value)(uint32_t drawn)) {
    size_t kernels = 0;
    for (const nodes::NodeDescription& d : nodes::catalogue())
        for (Type type : d.types) {
            if (d.ask != nodes::ask_nothing &&
                (d.use == nodes::Use::map || d.use == nodes::Use::relief || d.use == nodes::Use::field))
                continue;                          // their numbers come from other floors
            if (d.stands_for || d.taps) continue;  // it has none, or one that others share
            INFO(d.kind << " as " << nodes::type_name(type));
            ++kernels;
            std::vector<std::vector<float>> whole;
            for (int n : {67, 1, 8, 16, 31}) {
                KernelRun k(d.kind, n, type);
                std::mt19937 random(5);
                auto fill = [&](std::vector<float>& v) {
                    std::mt19937 own(random());
                    for (float& x : v) x = value(own());
                };
                for (int r = 0; r < nodes::row_count; ++r) fill(k.row(r));
                for (const nodes::Port& p : d.ports)
                    if (!p.uniform && !p.text)
                        for (int c = 0; c < nodes::components(d.port_type(p, type)); ++c) fill(k.in(p.name, c));
                const auto narrow = k.run(d.kernel.avx2);
                if (whole.empty()) whole = narrow;
                const auto wide = nodes::wide_kernels_run() ? k.run(d.kernel.avx512) : narrow;
                for (size_t c = 0; c < narrow.size(); ++c)
                    for (size_t i = 0; i < size_t(n); ++i) {
                        CHECK(same(narrow[c][i], whole[c][i]));
                        CHECK(same(wide[c][i], narrow[c][i]));
                    }
            }
        }
    return kernels;
}

}  // namespace

TEST_CASE("every kernel gives the same numbers in both builds, at every width of a batch") {
    if (!nodes::wide_kernels_run()) WARN("this processor has no AVX-512: the wide build was not run");
    CHECK(run_all_kernels([](uint32_t drawn) { return float(drawn % 20000) / 1000.f - 10.f; }) > 20);
}

TEST_CASE("every kernel takes numbers far out, of none and without end") {
    CHECK(run_all_kernels([](uint32_t drawn) {
              constexpr float odd[] = {3e11f, -3e11f, 1e30f, -3e38f, 2.1e9f, -2.2e9f, INFINITY, -INFINITY,
                                       NAN,   1e-40f, 0.f,   -1.f,   .5f,    7.f,     1e4f,     -5e8f};
              return odd[drawn % std::size(odd)];
          }) > 20);
}

TEST_CASE("a fractal beyond what whole numbers hold keeps its coarse octaves, at every place beside it") {
    for (const char* kind : {"fractal3d", "fractal2d"}) {
        const std::string place = kind == std::string("fractal3d") ? "position" : "texcoord";
        auto fractal = [&](float octaves, float far) {
            KernelRun k(kind, 64, Type::number);
            k.uniform("octaves", {octaves});
            for (int i = 0; i < 64; ++i) {
                k.in("amplitude")[size_t(i)] = 1.f;
                k.in("lacunarity")[size_t(i)] = 4096.f;
                k.in("diminish")[size_t(i)] = .5f;
                for (int c = 0; c < 2; ++c) k.in(place, c)[size_t(i)] = .37f + .013f * float(i + c);
            }
            k.in(place, 0)[63] = far;
            return k.run()[0];
        };
        const auto coarse = fractal(2, .5f), fine = fractal(5, .5f), beside = fractal(5, 3e11f);
        for (size_t i = 0; i < 63; ++i) {
            CHECK(fine[i] == beside[i]);
            CHECK(std::fabs(fine[i] - coarse[i]) < .25f);  // a third that is felt, then places that are whole numbers
        }
        CHECK(std::isfinite(beside[63]));
    }
}

TEST_CASE("a flat normal map leaves the normal alone; mirrored UVs and flipped green turn what they should") {
    KernelRun k("normalmap", 32, Type::vector3);
    flat_points(k, .01f);
    read_uvs(k, "texcoord");
    SECTION("flat") {
        const auto out = k.run();
        for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - V3f(0, 0, 1)).length() < 1e-6f);
    }
    for (float& x : k.in("in", 0)) x = .5f + .5f * .6f;  // leaning along growing u by 0.6
    for (float& y : k.in("in", 1)) y = .5f + .5f * .48f;
    for (float& z : k.in("in", 2)) z = .5f + .5f * .64f;
    SECTION("along u and v") {
        const auto out = k.run();
        for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - V3f(.6f, .48f, .64f)).length() < 1e-5f);
    }
    SECTION("green down") {
        k.uniform("green", {1.f});
        const auto out = k.run();
        for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - V3f(.6f, -.48f, .64f)).length() < 1e-5f);
    }
    SECTION("an island that is mirrored in u") {
        for (float& x : k.in("texcoord", 2)) x = -x;
        const auto out = k.run();
        for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - V3f(-.6f, .48f, .64f)).length() < 1e-5f);
    }
    SECTION("without strength") {
        k.in("scale").assign(32, 0.f);
        const auto out = k.run();
        for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - V3f(0, 0, 1)).length() < 1e-6f);
    }
}

TEST_CASE("the relief of a slope is the analytic normal") {
    // h = 3 u: on the surface u grows by 2 per metre, so that the slope along x is height * 3 * 2.
    const FunctionTexture slope([](float u, float v) { return 3.f * u - 1.f * v; });
    KernelRun k("heightrelief", 32, Type::vector3);
    flat_points(k, .004f);
    read_uvs(k, "texcoord");
    k.points().textures = &slope;
    k.resource = 0;
    k.uniform("height", {.05f});
    const auto out = k.run();
    const V3f expected = V3f(-.05f * 3.f * 2.f, .05f * 1.f * 2.f, 1.f).normalized();
    for (size_t i = 0; i < 32; ++i) CHECK((at(out, i) - expected).length() < 1e-3f);
    k.uniform("height", {0.f});
    for (size_t i = 0; i < 32; ++i) CHECK((at(k.run(), i) - V3f(0, 0, 1)).length() < 1e-6f);
}

TEST_CASE("the axis along which directions vary is that of their covariance, and the rest shortens the direction") {
    KernelRun k("normalmap", 16, Type::vector3);
    k.components = nodes::direction_components;
    flat_points(k, .004f);
    read_uvs(k, "texcoord");
    const V3f code(.5f, .5f, 1.f);
    for (size_t i = 0; i < 16; ++i) {
        for (int c = 0; c < 3; ++c) k.in("in", c)[i] = code[c];
        // Deviations .3 and .1, the greater one turned by so much.
        const float angle = float(i) * .39f;
        const float x = std::cos(angle);
        const float y = std::sin(angle);
        k.spread(0)[i] = .09f * x * x + .01f * y * y;
        k.spread(1)[i] = .09f * y * y + .01f * x * x;
        k.spread(2)[i] = .08f * x * y;
        k.spread(3)[i] = nodes::spread_is_covariance;
    }
    auto out = k.run();
    for (size_t i = 0; i < 16; ++i) {
        const float angle = float(i) * .39f;
        const V3f axis(out[3][i], out[4][i], out[5][i]);
        CHECK(at(out, i).length() == Approx(1.f / 1.01f).epsilon(1e-4));
        CHECK(axis.length2() == Approx(.08f).epsilon(1e-3));
        CHECK(std::fabs(axis.normalized().dot({std::cos(angle), std::sin(angle), 0.f})) > .9999f);
    }
    for (size_t i = 0; i < 16; ++i) k.in("scale")[i] = 2.f;  // slopes twice as steep vary twice as much
    out = k.run();
    for (size_t i = 0; i < 16; ++i) CHECK(V3f(out[3][i], out[4][i], out[5][i]).length2() == Approx(.32f).epsilon(1e-3));
}

TEST_CASE("a grain lies across its streaks, as their relief leans") {
    for (const float pattern : {0.f, 1.f, 2.f, 4.f}) {
        INFO("pattern " << pattern);
        KernelRun grain("grain", 200, Type::vector3);
        KernelRun relief("grainrelief", 200, Type::vector3);
        for (KernelRun* k : {&grain, &relief}) {
            flat_points(*k, .00001f);
            for (size_t i = 0; i < 200; ++i)
                for (int c = 0; c < 2; ++c)
                    k->row(nodes::row_position + c)[i] = .001f * float((i * (c ? 37 : 13)) % 101);
            k->uniform("pattern", {pattern});
            k->uniform("placed", {3.f});
            k->uniform("centre", {-.03f, -.04f, 0.f});
            k->uniform("variation", {0.f});
        }
        const auto across = grain.run();
        const auto leans = relief.run();
        float square = 0.f;
        for (size_t i = 0; i < 200; ++i) {
            const V3f n = at(leans, i);
            const V3f lean(n.x, n.y, 0.f);
            square += lean.length2();
            CHECK(std::fabs(lean.dot(at(across, i))) == Approx(lean.length()).margin(1e-4));
        }
        CHECK(square > .01f);
    }
}

TEST_CASE("a grain is of unit length and lies in the surface, in every pattern and placing") {
    for (float pattern : {0.f, 1.f, 2.f, 3.f, 4.f})
        for (float placed : {0.f, 1.f, 2.f, 3.f, 4.f}) {
            INFO("pattern " << pattern << ", placed " << placed);
            KernelRun k("grain", 200, Type::vector3);
            flat_points(k, .01f);
            for (size_t i = 0; i < 200; ++i) {
                const V3f n = V3f(float(i % 7) - 3.2f, float(i % 5) - 1.7f, 1.5f).normalized(),
                          t = V3f(0, 1, 0).cross(n).normalized();
                for (int c = 0; c < 3; ++c) {
                    k.row(nodes::row_normal + c)[i] = n[c];
                    k.row(nodes::row_tangent + c)[i] = t[c];
                }
            }
            k.uniform("pattern", {pattern});
            k.uniform("placed", {placed});
            k.uniform("axis", {.3f, .8f, .2f});
            const auto out = k.run();
            size_t upright = 0;
            for (size_t i = 0; i < 200; ++i) {
                const V3f d = at(out, i), n(k.row(nodes::row_normal)[i], k.row(nodes::row_normal + 1)[i],
                                            k.row(nodes::row_normal + 2)[i]);
                CHECK(d.length() == Approx(1.f).margin(1e-4));
                CHECK(std::fabs(d.dot(n)) < 1e-4f);
                upright += d.length() > .5f;
            }
            CHECK(upright == 200);
        }
}

namespace {
KernelRun placing(float projection, int n = 64) {
    KernelRun k("placement", n, Type::place);
    flat_points(k, .002f);
    read_uvs(k, "texcoord");
    k.uniform("projection", {projection});
    if (projection == 2.f) k.components = nodes::box_components;
    return k;
}
}  // namespace

TEST_CASE("every projection puts a worked point where it belongs") {
    struct Worked {
        float projection;
        V3f point;
        float u, v;
    };
    // One copy of the map is 0.2 by 0.1 metres, its middle at the origin.
    const Worked points[] = {
        {1.f, {.05f, .02f, 9.f}, .75f, .7f},  // plane: x / 0.2 + 0.5, y / 0.1 + 0.5
        {3.f, {1.f, .01f, 0.f}, .75f, .6f},   // cylinder: a quarter turn to the right of its front
        {3.f, {0.f, 0.f, 1.f}, .5f, .5f},
        {4.f, {0.f, 1.f, 0.f}, .5f, 1.f},  // sphere: the pole
        {4.f, {1.f, 0.f, 0.f}, .75f, .5f},
        {5.f, {.1f, .05f, -1.f}, 1.f, 1.f},  // camera: what it sees at one metre is one copy
    };
    for (const Worked& w : points) {
        INFO("projection " << w.projection);
        KernelRun k = placing(w.projection, 1);
        k.uniform("size", {.2f, .1f});
        for (int c = 0; c < 3; ++c) k.row(nodes::row_position + c)[0] = w.point[c];
        const auto out = k.run();
        CHECK(out[0][0] == Approx(w.u).margin(1e-5));
        CHECK(out[1][0] == Approx(w.v).margin(1e-5));
    }
    // By UV: repeated about the middle, moved, turned counter-clockwise about the middle of the map.
    KernelRun k = placing(0.f, 1);
    k.in("texcoord", 0)[0] = .75f;
    k.in("texcoord", 1)[0] = .5f;
    k.uniform("repeat", {2.f, 2.f});
    k.uniform("rotation", {90.f});
    const auto out = k.run();
    CHECK(out[0][0] == Approx(.5f).margin(1e-5));
    CHECK(out[1][0] == Approx(0.f).margin(1e-5));
}

TEST_CASE("the axes of every projection are its finite differences") {
    for (float projection : {0.f, 1.f, 3.f, 4.f, 5.f}) {
        INFO("projection " << projection);
        KernelRun k = placing(projection);
        for (size_t i = 0; i < 64; ++i) k.row(nodes::row_position + 2)[i] = projection == 5.f ? -1.5f : .7f;
        k.uniform("size", {.3f, .2f});
        k.uniform("turned", {10.f, 20.f, 30.f});
        k.uniform("repeat", {1.5f, .5f});
        k.uniform("rotation", {25.f});
        const auto here = k.run();
        KernelRun moved = k;
        for (size_t i = 0; i < 64; ++i) {
            moved.row(nodes::row_position)[i] += k.row(nodes::row_position_axes)[i];
            moved.in("texcoord", 0)[i] += k.in("texcoord", 2)[i];
            moved.in("texcoord", 1)[i] += k.in("texcoord", 3)[i];
        }
        const auto there = moved.run();
        for (size_t i = 0; i < 64; ++i) {
            float du = there[0][i] - here[0][i];
            if (projection == 3.f || projection == 4.f)
                du -= std::round(du / 1.5f / .9063f) * 0.f;  // no point lies at the seam here
            CHECK(here[2][i] == Approx(du).margin(2e-4));
            CHECK(here[3][i] == Approx(there[1][i] - here[1][i]).margin(2e-4));
        }
    }
}

TEST_CASE("a box's weights sum to one, and one side takes all where the surface faces it") {
    KernelRun k = placing(2.f, 300);
    std::mt19937 random(2);
    for (size_t i = 0; i < 300; ++i) {
        V3f n(float(random() % 200) - 99.5f, float(random() % 200) - 99.5f, float(random() % 200) - 99.5f);
        if (i < 3) n = V3f(i == 0, i == 1, i == 2);
        n.normalize();
        for (int c = 0; c < 3; ++c) k.row(nodes::row_normal + c)[i] = n[c];
    }
    const auto out = k.run();
    for (size_t i = 0; i < 300; ++i) {
        CHECK(out[18][i] + out[19][i] + out[20][i] == Approx(1.f));
        for (int a = 0; a < 3; ++a) CHECK(out[size_t(18 + a)][i] >= 0.f);
    }
    for (size_t i = 0; i < 3; ++i) CHECK(out[18 + i][i] == 1.f);
}

TEST_CASE("a shuffled copy of the map is moved and turned as a whole") {
    KernelRun k = placing(0.f, 200), plain = placing(0.f, 200);
    std::mt19937 random(9);
    for (KernelRun* r : {&k, &plain}) {
        std::mt19937 same(4);
        for (size_t i = 0; i < 200; ++i) {
            r->in("texcoord", 0)[i] = 3.f + float(same() % 1000) / 1000.f;  // all of one cell
            r->in("texcoord", 1)[i] = 5.f + float(same() % 1000) / 1000.f;
        }
    }
    k.uniform("shuffle_shift", {1.f});
    k.uniform("shuffle_turn", {1.f});
    const auto out = k.run(), before = plain.run();
    // A rigid motion: the distances among the points stay.
    for (size_t i = 1; i < 200; ++i) {
        const float a = std::hypot(out[0][i] - out[0][0], out[1][i] - out[1][0]),
                    b = std::hypot(before[0][i] - before[0][0], before[1][i] - before[1][0]);
        CHECK(a == Approx(b).margin(1e-4));
    }
    CHECK(std::fabs(out[0][0] - before[0][0]) + std::fabs(out[1][0] - before[1][0]) > 1e-3f);
}

namespace {
/// The value of a blend of two numbers or colours by a mode's name.
V3f blended(const std::string& mode, const V3f& fg, const V3f& bg) {
    const nodes::NodeDescription& d = *nodes::describe("blend");
    const auto& choices = d.port("mode")->choices;
    scene::BuildUp b = scene::default_build_up("b", "B");
    const std::string id = scene::add_node(b, "base", "blend", "color3", "Blend");
    scene::Inputs& in = scene::node(b, id)->inputs;
    in["fg"].value = fg;
    in["bg"].value = bg;
    in["mode"].value = float(std::find(choices.begin(), choices.end(), mode) - choices.begin());
    program::Resources resources;
    std::vector<Error> problems;
    const auto p = program::compile(b, {{"o", nodes::Type::color, {scene::Value{0.f}, id}}}, resources, problems);
    REQUIRE(p.constant(0));
    return *p.constant(0);
}
void near(const V3f& have, const V3f& want) {
    CHECK(have.x == Approx(want.x).margin(1e-5));
    CHECK(have.y == Approx(want.y).margin(1e-5));
    CHECK(have.z == Approx(want.z).margin(1e-5));
}
}  // namespace

TEST_CASE("blend modes follow the W3C's formulas") {
    near(blended("soft light", V3f(.25f), V3f(.5f)), V3f(.375f));
    near(blended("soft light", V3f(.75f), V3f(.64f)), V3f(.72f));  // .64 + .5 (.8 - .64)
    near(blended("hard light", V3f(.25f, .75f, .5f), V3f(.5f)), V3f(.25f, .75f, .5f));
    near(blended("linear burn", V3f(.75f, .2f, 1.f), V3f(.5f)), V3f(.25f, 0.f, .5f));
    near(blended("vivid light", V3f(.25f, .75f, 1.f), V3f(.6f)), V3f(.2f, 1.f, 1.f));
    near(blended("linear light", V3f(.25f, .75f, 1.f), V3f(.6f)), V3f(.1f, 1.f, 1.f));
    near(blended("pin light", V3f(.2f, .9f, .5f), V3f(.6f)), V3f(.4f, .8f, .6f));
    near(blended("hard mix", V3f(.3f, .5f, .6f), V3f(.5f)), V3f(0.f, 1.f, 1.f));
    near(blended("lighten", V3f(.3f, .7f, .5f), V3f(.5f)), V3f(.5f, .7f, .5f));
    near(blended("darken", V3f(.3f, .7f, .5f), V3f(.5f)), V3f(.3f, .5f, .5f));
    near(blended("exclusion", V3f(.25f, 1.f, 0.f), V3f(.5f)), V3f(.5f));
    // A grey has no saturation to give; luminosity of a colour keeps the luma of what is laid on.
    near(blended("saturation", V3f(.4f), V3f(.8f, .2f, .2f)), V3f(.38f));
    near(blended("colour", V3f(.5f), V3f(.8f, .2f, .2f)), V3f(.38f));
    const V3f l = blended("luminosity", V3f(.5f), V3f(.6f, .3f, .3f));
    CHECK(.3f * l.x + .59f * l.y + .11f * l.z == Approx(.5f));
    CHECK(l.x - l.y == Approx(.3f));
    const V3f h = blended("hue", V3f(0.f, 0.f, 1.f), V3f(.6f, .3f, .3f));
    CHECK(.3f * h.x + .59f * h.y + .11f * h.z == Approx(.39f));
    CHECK(h.z - h.x == Approx(.3f));
}
