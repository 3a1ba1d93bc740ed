// Compiled networks against the same written by hand, and how long compiling takes.
#include <cmath>
#include <cstdlib>

#include "bench.h"
#include "program/compile.h"
#include "scalar_networks.h"
#include "scene/edits.h"

namespace vemtra::bench {
namespace {

/// Builds networks in the base layer's lane.
class Net {
public:
    Net() : b(scene::default_build_up("b", "Bench")) {}
    using Inputs = std::vector<std::pair<std::string, scene::Value>>;
    using Wires = std::vector<std::pair<std::string, std::string>>;
    std::string add(const std::string& kind, const std::string& type, const Wires& wires, const Inputs& inputs = {}) {
        const std::string id = scene::add_node(b, "base", kind, type, kind);
        scene::Node* n = scene::node(b, id);
        for (const auto& [port, value] : inputs) n->inputs[port].value = value;
        for (const auto& [port, from] : wires) n->inputs[port].from = from;
        return id;
    }
    scene::BuildUp b;
};

std::string fractal(Net& n) {
    return n.add("fractal3d", "float", {}, {{"octaves", 4.f}});
}
std::string half(Net& n, const std::string& signed_noise) {
    const std::string scaled = n.add("multiply", "float", {{"in1", signed_noise}}, {{"in2", .5f}});
    return n.add("add", "float", {{"in1", scaled}}, {{"in2", .5f}});
}
std::string worn_edge(Net& n) {
    const std::string up = n.add("extract", "float", {{"in", n.add("normal", "vector3", {})}}, {{"index", 1.f}});
    const std::string form = n.add("smoothstep", "float", {{"in", up}}, {{"low", -.2f}, {"high", .9f}});
    const std::string both = n.add("multiply", "float", {{"in1", form}, {"in2", half(n, fractal(n))}});
    return n.add("levels", "float", {{"in", both}}, {{"inlow", .25f}, {"inhigh", .45f}});
}
std::string rust(Net& n) {
    const std::string spots = n.add("worleynoise3d", "float", {});
    const std::string both = n.add("mix", "float", {{"bg", spots}, {"fg", fractal(n)}}, {{"mix", .4f}});
    return n.add("smoothstep", "float", {{"in", both}}, {{"low", .3f}, {"high", .6f}});
}
std::string box_grunge(Net& n) {
    const std::string position = n.add("position", "vector3", {});
    const std::string normal = n.add("normal", "vector3", {});
    std::string part[3];
    std::string weight[3];
    for (int c = 0; c < 3; ++c) {
        part[c] = n.add("extract", "float", {{"in", position}}, {{"index", float(c)}});
        const std::string along = n.add("extract", "float", {{"in", normal}}, {{"index", float(c)}});
        const std::string size = n.add("absval", "float", {{"in", along}});
        weight[c] = n.add("multiply", "float", {{"in1", size}, {"in2", size}});
    }
    const int planes[3][2] = {{1, 2}, {0, 2}, {0, 1}};
    std::string sum;
    for (int c = 0; c < 3; ++c) {
        const std::string at = n.add("combine2", "vector2", {{"in1", part[planes[c][0]]}, {"in2", part[planes[c][1]]}});
        const std::string side = n.add("noise2d", "float", {{"texcoord", at}});
        const std::string seen = n.add("multiply", "float", {{"in1", side}, {"in2", weight[c]}});
        sum = sum.empty() ? seen : n.add("add", "float", {{"in1", sum}, {"in2", seen}});
    }
    return sum;
}
std::string stack(Net& n) {
    const char* const blends[] = {"screen", "overlay", "difference", "plus"};
    const std::string uv = n.add("texcoord", "vector2", {});
    std::string below = n.add("constant", "float", {}, {{"value", .5f}});
    for (int i = 0; i < 10; ++i) {
        const std::string at = n.add("multiply", "vector2", {{"in1", uv}}, {{"in2", V2f(float(3 + i))}});
        const std::string entry = n.add("cellnoise2d", "float", {{"texcoord", at}});
        below = n.add(blends[i % 4], "float", {{"fg", entry}, {"bg", below}}, {{"mix", .1f + .05f * float(i)}});
    }
    return below;
}
std::string brick(Net& n) {
    const std::string turned =
        n.add("rotate2d", "vector2", {{"in", n.add("texcoord", "vector2", {})}}, {{"amount", 15.f}});
    const std::string at = n.add("multiply", "vector2", {{"in1", turned}}, {{"in2", V2f(6.f, 12.f)}});
    const std::string joints = n.add("grid", "float", {{"texcoord", at}}, {{"thickness", .08f}, {"staggered", 1.f}});
    const std::string tone = n.add("cellnoise2d", "float", {{"texcoord", at}});
    const std::string scaled = n.add("multiply", "float", {{"in1", tone}}, {{"in2", .6f}});
    const std::string face = n.add("add", "float", {{"in1", scaled}}, {{"in2", .3f}});
    return n.add("mix", "float", {{"bg", face}, {"mix", joints}}, {{"fg", .1f}});
}
std::string noise_ramp(Net& n) {
    const std::string at = half(n, fractal(n));
    return n.add("ramp", "float", {{"texcoord", at}},
                 {{"num_intervals", 4.f},
                  {"interval2", .4f},
                  {"interval3", .6f},
                  {"interval4", 1.f},
                  {"color1", V3f(.05f)},
                  {"color2", V3f(.2f)},
                  {"color3", V3f(.7f)},
                  {"color4", V3f(.9f)}});
}

/// A batch of points that lie about an asset of some units.
struct Points {
    std::vector<ScalarPoint> one{size_t(nodes::max_batch)};
    std::vector<std::vector<float>> rows{size_t(nodes::row_count), std::vector<float>(size_t(nodes::max_batch), 0.f)};
    nodes::PointBatch batch;
    Points() {
        for (size_t i = 0; i < one.size(); ++i) {
            const float a = float(i) * 2.399963f;
            const float h = 1.f - 2.f * (float(i) + .5f) / float(one.size());
            const float r = std::sqrt(1.f - h * h);
            const V3f n(r * std::cos(a), h, r * std::sin(a));
            one[i] = {n.x * 3.7f, n.y * 3.7f, n.z * 3.7f, n.x, n.y, n.z, .5f + .5f * h, float(i % 100) * .01f};
            for (int c = 0; c < 3; ++c) {
                rows[size_t(nodes::row_position + c)][i] = (&one[i].x)[c];
                rows[size_t(nodes::row_normal + c)][i] = (&one[i].nx)[c];
            }
            rows[nodes::row_uv][i] = one[i].u;
            rows[nodes::row_uv + 1][i] = one[i].v;
        }
        batch.n = int(one.size());
        for (size_t r = 0; r < rows.size(); ++r) batch.rows[r] = rows[r].data();
    }
};

void compare(const char* name, std::string (*build)(Net&), float (*hand)(const ScalarPoint&), const Points& points) {
    Net net;
    const std::string last = build(net);
    program::Resources resources;
    std::vector<Error> problems;
    const auto p =
        program::compile(net.b, {{"o", nodes::Type::number, {scene::Value{0.f}, last}}}, resources, problems);
    for (const Error& e : problems) std::printf("  %s\n", e.line().c_str());
    program::Workspace workspace;
    const float* out[1];
    constexpr int batches = 300;
    volatile float sink = 0;
    const auto [ours, theirs] = side_by_side(
        7,
        [&] {
            for (int k = 0; k < batches; ++k) {
                p.run(points.batch, workspace, out);
                sink = out[0][k];
            }
        },
        [&] {
            for (int k = 0; k < batches; ++k)
                for (const ScalarPoint& at : points.one) sink = hand(at);
        });
    p.run(points.batch, workspace, out);
    size_t off = 0;
    for (size_t i = 0; i < points.one.size(); ++i) off += std::fabs(out[0][i] - hand(points.one[i])) > 1e-3f;
    const bool wide = nodes::describe("add")->kernel.get() == nodes::describe("add")->kernel.avx512;
    const double least = wide ? 3. : 2.;
    std::printf("  %-20s %6.1f ns a point, by hand %6.1f ns, %zu of %zu values differ\n", name,
                ours / (batches * points.batch.n) * 1e9, theirs / (batches * points.batch.n) * 1e9, off,
                points.one.size());
    line(name, theirs / ours, "x", wide ? ">= 3x (AVX-512)" : ">= 2x (AVX2)", theirs / ours >= least);
}

}  // namespace

void networks() {
    std::printf("networks (VEMTRA_SIMD=avx2 in the environment measures the other build)\n");
    const Points points;
    compare("worn edge with break-up", worn_edge, hand_worn_edge, points);
    compare("rust mask", rust, hand_rust, points);
    compare("noise from three sides", box_grunge, hand_box_grunge, points);
    compare("stack of ten entries", stack, hand_stack, points);
    compare("bricks", brick, hand_brick, points);
    compare("noise into a ramp", noise_ramp, hand_noise_ramp, points);
    Net many;
    std::string last = many.add("position", "vector3", {});
    for (int i = 0; many.b.layers[0].nodes.size() < 500; ++i) {
        const std::string noise = many.add("fractal3d", "float", {}, {{"amplitude", 1.f + float(i)}});
        last = many.add("mix", "float", {{"bg", last}, {"fg", noise}}, {{"mix", .01f * float(i)}});
    }
    auto compile = [&] {
        program::Resources resources;
        std::vector<Error> problems;
        return program::compile(many.b, {{"o", nodes::Type::number, {scene::Value{0.f}, last}}}, resources, problems);
    };
    const auto [once, again] = side_by_side(
        15, [&] { compile(); }, [&] { compile(); });
    const double ms = std::min(once, again) * 1e3;
    line("a network of 500 nodes compiled", ms, "ms", "< 20 ms", ms < 20.);
}

}  // namespace vemtra::bench
