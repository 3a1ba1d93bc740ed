// Relief that is too fine for the picture: what is seen from afar is as bright as the close form averaged down, and as
// stretched.
#include "nodes/kernels/spread.h"
#include "render_support.h"
#include "scene/relief_slots.h"
#include "support.h"
#include "surface/facet_spread.h"
#include "surface/microfacet.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

constexpr int side = 512;  // texels
constexpr float rise = .006f;

constexpr float lengths[] = {.31f, .47f, .61f, .83f, .97f, 1.13f, 1.31f};
/// Waves of many lengths, each bent and as steep as the others: slopes are spread about as normal numbers are.
float bumps(float x, float y) {
    float sum = 0.f;
    for (int k = 0; k < 7; ++k) {
        const float turn = float(k) * .9f;
        const float along = std::cos(turn) * x + std::sin(turn) * y;
        const float across = std::cos(turn) * y - std::sin(turn) * x;
        sum += std::sin(lengths[k] * along + 1.7f * float(k) + std::sin(across * .21f)) / lengths[k];
    }
    return .5f + .03f * sum;
}
/// The same along one axis: long along y, as a brush leaves it.
float streaks(float x, float y) {
    float sum = 0.f;
    for (int k = 0; k < 7; ++k)
        sum += std::sin(lengths[k] * x + 1.3f * float(k) + 2.f * std::sin(y * .03f + 2.f * float(k))) / lengths[k];
    return .5f + .03f * sum;
}
/// Slanted, so that the covariance of x and y matters.
float slanted(float x, float y) {
    return streaks(.8f * x + .6f * y, -.6f * x + .8f * y);
}
using Height = float (*)(float, float);

/// A square of metal under a lamp that stands across the streaks, or along them.
struct Sheet {
    Scratch s;
    scene::Scene scene;
    std::string lane;
    explicit Sheet(bool across, float wide = 12.f) {
        s.write("square.obj", square_obj);
        const float cx = across ? 152.f : 128.f;
        const float cy = across ? 64.f : 88.f;
        write_image(s.path / "sky.exr", 256, 128, 3, Kept::floats, [&](int x, int y, int) {
            const float dx = (float(x) - cx) / wide;
            const float dy = (float(y) - cy) / wide;
            return .1f + 20.f * std::exp(-dx * dx - dy * dy);
        });
        scene = plain_scene("square.obj");
        scene.parts[0].source = "square";
        scene.rigs[0].environment.image = "sky.exr";
        scene.cameras[0].position = V3f(.5f, .5f, 4.f);
        scene.cameras[0].target = V3f(.5f, .5f, 0.f);
        scene.cameras[0].focal_length = 300.f;
        scene.render.depth = 2;
        lane = scene.build_ups[0].layers[0].id;
        scene.build_ups[0].layers[0].surface = {{"base_metalness", {scene::Value{1.f}, {}}},
                                                {"base_color", {scene::Value{V3f(.9f)}, {}}},
                                                {"specular_roughness", {scene::Value{.2f}, {}}}};
    }
    scene::BuildUp& build_up() { return scene.build_ups[0]; }
    std::string node(const char* kind, const char* type) { return scene::add_node(build_up(), lane, kind, type, kind); }
    void set(const std::string& id, const char* port, scene::Value value) {
        scene::node(build_up(), id)->inputs[port].value = std::move(value);
    }
    void wire(const std::string& id, const char* port, const std::string& from) {
        scene::node(build_up(), id)->inputs[port].from = from;
    }
    void height(const std::string& from, float metres) {
        auto& slots = build_up().layers[0].surface;
        slots[scene::slot::height].from = from;
        slots[scene::slot::height_scale].value = metres;
        slots[scene::slot::height_neutral].value = 0.f;
        slots[scene::slot::height_low].value = -1.f;
    }
    void face(const std::string& from) { build_up().layers[0].surface["geometry_normal"].from = from; }
    /// The relief as heights, or as directions.
    void by_map(Height height, bool as_heights, Kept kept = Kept::floats) {
        if (as_heights) {
            write_image(s.path / "heights.exr", side, side, 1, kept,
                        [&](int x, int y, int) { return height(float(x), float(y)); });
            const std::string relief = node("heightrelief", "vector3");
            set(relief, "file", std::string("heights.exr"));
            set(relief, "height", rise);
            return face(relief);
        }
        const char* file = kept == Kept::bytes ? "directions.png" : "directions.exr";
        write_image(s.path / file, side, side, 3, kept, [&](int x, int y, int c) {
            const float fx = float(x);
            const float fy = float(y);
            const float dx = rise * side * .5f * (height(fx + 1, fy) - height(fx - 1, fy));
            const float dy = rise * side * .5f * (height(fx, fy - 1) - height(fx, fy + 1));
            const V3f n = V3f(-dx, -dy, 1.f).normalized();
            return .5f + .5f * (c == 0 ? n.x : c == 1 ? n.y : n.z);
        });
        const std::string map = node("image", "vector3");
        set(map, "file", std::string(file));
        set(map, "colorspace", std::string("raw"));
        const std::string directions = node("normalmap", "vector3");
        wire(directions, "in", map);
        face(directions);
    }
    std::shared_ptr<const render::Prepared> ready(render::Workshop& workshop) const {
        render::PrepareOptions options;
        options.folder = s.path;
        options.maps_now = true;
        return render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
    }
    /// Its mean brightness in a picture so many pixels wide.
    float brightness(const render::Prepared& p, int pixels) const {
        const int samples = std::max(1, 100000 / (pixels * pixels));
        return mean(rendered_exactly(p, pixels, pixels, samples)).x;
    }
    void keeps_its_brightness(double within = .02) const {
        render::Workshop workshop;
        const auto p = ready(workshop);
        const float close = brightness(*p, 384);
        for (const int pixels : {64, 12}) {
            const float far = brightness(*p, pixels);
            INFO(pixels << " pixels: " << far << ", close by " << close);
            CHECK(double(far) == Approx(close).epsilon(within));
        }
    }
};

}  // namespace

TEST_CASE("relief of maps, even or stretched, has one brightness from wherever it is seen, and under every light") {
    // Lamps of 34 degrees, and such of 17, for which the slopes' spread alone is not all that counts.
    for (const auto& [wide, within] : {std::pair(24.f, .025), std::pair(12.f, .1)})
        for (const Height height : {bumps, streaks, slanted})
            for (const bool as_heights : {true, false})
                for (const bool across : {true, false}) {
                    if (wide < 20.f && (height == bumps || as_heights != across)) continue;
                    INFO((height == bumps     ? "bumps"
                          : height == streaks ? "streaks"
                                              : "slanted")
                         << (as_heights ? " as heights" : " as directions")
                         << (across ? ", lamp across" : ", lamp along") << ", " << wide);
                    Sheet sheet(across, wide);
                    sheet.by_map(height, as_heights);
                    sheet.keeps_its_brightness(within);
                }
}

TEST_CASE("so has relief of a map whose copies are mixed so that nothing repeats") {
    for (const Height height : {bumps, streaks})
        for (const bool as_heights : {true, false}) {
            INFO((height == bumps ? "bumps" : "streaks") << (as_heights ? " as heights" : " as directions"));
            Sheet sheet(true, 24.f);
            sheet.by_map(height, as_heights);
            const std::string placing = sheet.node("placement", "place");
            sheet.set(placing, "tiling", std::string("seamless"));
            for (scene::Node& n : sheet.build_up().layers[0].nodes)
                if (n.inputs.contains("file")) n.inputs["texcoord"].from = placing;
            sheet.keeps_its_brightness();
        }
}

TEST_CASE("relief of networks has one brightness from wherever it is seen") {
    for (const bool across : {true, false}) {
        INFO((across ? "lamp across" : "lamp along"));
        Sheet bumpy(across);
        const std::string at = bumpy.node("multiply", "vector3");
        const std::string where = bumpy.node("position", "vector3");
        bumpy.wire(at, "in1", where);
        bumpy.set(at, "in2", V3f(60.f, 9.f, 1.f));
        const std::string noise = bumpy.node("noise3d", "float");
        bumpy.wire(noise, "position", at);
        const std::string bump = bumpy.node("bump", "vector3");
        bumpy.wire(bump, "height", noise);
        bumpy.set(bump, "scale", .05f);
        bumpy.face(bump);
        bumpy.keeps_its_brightness();
    }
}

TEST_CASE("brushed metal has one brightness from wherever it is seen, by its streaks") {
    for (const bool across : {true, false}) {
        INFO((across ? "lamp across" : "lamp along"));
        Sheet sheet(across);
        const std::string relief = sheet.node("grainrelief", "vector3");
        sheet.set(relief, "placed", 3.f);
        sheet.set(relief, "angle", 90.f);
        sheet.set(relief, "streak", .004f);
        sheet.set(relief, "strength", .35f);
        sheet.face(relief);
        sheet.keeps_its_brightness(.07);
    }
}

TEST_CASE("heights that move a form are as bright where they are finer than what is computed of them") {
    // One and the same place of a small sheet, whose heights are computed finely, and of a large one.
    for (const char* edge : {"", "upright", "rounded"})
        for (const bool across : {true, false}) {
            INFO((across ? "lamp across" : "lamp along") << ", with a thick layer's edge: " << edge);
            auto make = [&](float size) {
                auto sheet = std::make_unique<Sheet>(across);
                std::string obj;
                for (const auto& [x, y] : {std::pair(-1, -1), {1, -1}, {1, 1}, {-1, 1}})
                    obj += "v " + std::to_string(.5f + .5f * float(x) * size) + " " +
                           std::to_string(.5f + .5f * float(y) * size) + " 0\n";
                obj += "vn 0 0 1\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\no square\n";
                sheet->s.write("square.obj", obj + "f 1/1/1 2/2/1 3/3/1\nf 1/1/1 3/3/1 4/4/1\n");
                const std::string at = sheet->node("multiply", "vector3");
                sheet->wire(at, "in1", sheet->node("position", "vector3"));
                sheet->set(at, "in2", V3f(130.f, 30.f, 1.f));
                const std::string noise = sheet->node("noise3d", "float");
                sheet->wire(noise, "position", at);
                sheet->height(noise, .0015f);
                if (*edge) {  // of a layer whose edge is elsewhere
                    scene::Layer cover = sheet->build_up().layers[0];
                    cover.id = cover.name = "cover";
                    cover.kind = scene::LayerKind::cover;
                    cover.gate.amount = 1.f;
                    for (const char* name : scene::relief_slots) cover.surface.erase(name);
                    cover.nodes = {{.id = "place", .kind = "position", .type = "vector3", .name = "place"},
                                   {.id = "x", .kind = "extract", .type = "float", .name = "x"},
                                   {.id = "right", .kind = "ifgreater", .type = "float", .name = "right"}};
                    cover.nodes[1].inputs["in"].from = "place";
                    cover.nodes[2].inputs = {{"value1", {scene::Value{0.f}, "x"}},
                                             {"value2", {scene::Value{.775f}, {}}}};
                    cover.gate.mask.from = "right";
                    cover.surface[scene::slot::height_thickness].value = .0005f;
                    cover.surface[scene::slot::height_lip].value =
                        float(int(std::string(edge) == "upright" ? scene::Lip::square : scene::Lip::rounded));
                    sheet->build_up().layers.push_back(std::move(cover));
                }
                sheet->scene.render.relief_points = size < 1.f ? 8 : 1;
                sheet->scene.render.relief_pixels = .25f;
                return sheet;
            };
            const auto small = make(.6f);
            small->scene.render.width = small->scene.render.height = 384;
            render::Workshop workshop;
            const auto near_by = small->ready(workshop);
            REQUIRE_FALSE(near_by->fine_relief);
            const float close = small->brightness(*near_by, 384);
            for (const int pixels : {64, 12}) {
                const auto large = make(20.f);
                large->scene.render.width = large->scene.render.height = pixels;
                const auto p = large->ready(workshop);
                const float far = large->brightness(*p, pixels);
                INFO(pixels << " pixels: " << far << ", close by " << close);
                CHECK(double(far) == Approx(close).epsilon(.02));
            }
        }
}
