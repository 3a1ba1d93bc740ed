// Painting: brush work per dab, texels per second against a flat array, memory, lookups of painted maps against files,
// and what many decals cost that a picture does not show.
#include <unistd.h>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <random>

#include "bench.h"
#include "paint/fill.h"
#include "paint/stroke.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"
#include "texture/texture.h"

namespace vemtra::bench {
namespace {

namespace fs = std::filesystem;

/// A bumpy ball of about 870 000 triangles, with UVs in one tile.
std::string ball_obj() {
    const int n = 660;
    std::string text = "o ball\n";
    text.reserve(size_t(80) << 20);
    char line[192];
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const double t = M_PI * (.02 + .96 * j / n), p = 2 * M_PI * i / n;
            const double r = .5 * (1 + .02 * std::sin(20 * t) * std::sin(20 * p));
            std::snprintf(line, sizeof line, "v %.7g %.7g %.7g\nvt %.7g %.7g\n", r * std::sin(t) * std::sin(p),
                          r * std::cos(t), r * std::sin(t) * std::cos(p), .01 + .98 * i / n, .99 - .98 * j / n);
            text += line;
        }
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            const int a = j * (n + 1) + i + 1, b = a + 1, c = b + n + 1, d = a + n + 1;
            std::snprintf(line, sizeof line, "f %d/%d %d/%d %d/%d %d/%d\n", a, a, d, d, c, c, b, b);
            text += line;
        }
    return text;
}

scene::Scene ball_scene() {
    scene::Scene s;
    s.assets.push_back({.id = "asset", .file = "ball.obj"});
    s.parts.push_back({.id = "part", .asset = "asset", .source = "ball", .name = "Ball", .build_up = "material"});
    s.build_ups.push_back(scene::default_build_up("material", "Material"));
    s.rigs.push_back(scene::default_rig());
    scene::Camera camera;
    camera.id = "camera";
    camera.position = V3f(0, 0, 2);
    s.cameras.push_back(camera);
    s.paintings.push_back({.id = "worn", .name = "Worn", .size = 4096});
    scene::Node node;
    node.id = node.name = "paint";
    node.kind = "paint";
    node.type = "float";
    node.inputs["painting"].value = std::string("worn");
    s.build_ups[0].layers[0].nodes.push_back(node);
    s.build_ups[0].layers[0].surface["specular_roughness"].from = "paint";
    return s;
}

/// The same blend over plain arrays.
struct Flat {
    std::vector<float> shape, added, value, cover;
    double spent = 0;
    void dab(size_t n) {
        for (auto* v : {&shape, &added, &value, &cover}) v->resize(n);
        spent += seconds([&] {
            for (size_t i = 0; i < n; ++i) {
                const float x = float(i & 127) / 64.f - 1.f;
                const float y = float(i >> 7 & 127) / 64.f - 1.f;
                float t = 1.f - std::sqrt(x * x + y * y);
                t = t < 0.f ? 0.f : t;
                shape[i] = t * t * (3.f - 2.f * t);
                added[i] += (1.f - added[i]) * shape[i] * .6f;
                value[i] = value[i] * (1.f - added[i]) + added[i];
                cover[i] = cover[i] * (1.f - added[i]) + added[i];
            }
            asm volatile("" ::"r"(value.data()) : "memory");
        });
    }
};

struct Timed {
    int dabs = 0;
    double spent = 0, worst = 0, flat = 0;  // seconds; the worst of three dabs and what they show
};
/// Over the ball from side to side, row by row, for 201 dabs.
Timed stroke_over(paint::Hand& hand, paint::Stroke& stroke) {
    Timed t;
    Flat flat;  // in turn with the dabs, so that a slow moment of the machine meets both
    for (int step = 0; t.dabs < 201; ++step) {
        const int row = step / 300;
        const float x = 350.f + 2.f * float(row % 2 ? 299 - step % 300 : step % 300);
        for (const paint::Dab& d : hand.move({x, 250.f + 110.f * float(row) + 30.f * std::sin(x * .02f)})) {
            t.spent += seconds([&] { stroke.dab(d); });
            if (++t.dabs % 3) continue;
            const double shown = seconds([&] { stroke.now(); });  // as often as a hand's stroke is shown: every 25 ms
            t.worst = std::max(t.worst, shown);
            t.spent += shown;
            const float across = stroke.texels_across();
            for (int k = 0; k < 3; ++k) flat.dab(size_t(3.14159f * across * across));
        }
    }
    t.flat = flat.spent;
    return t;
}

void strokes(const fs::path& folder) {
    std::ofstream(folder / "ball.obj") << ball_obj();
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = folder;
    const auto p = render::prepare(std::make_shared<const scene::Scene>(ball_scene()), workshop, options);
    const auto canvas = std::make_shared<const paint::Canvas>(p, "worn");
    const double laid = seconds([&] { canvas->layout(canvas->sheets()[0], 4096); });
    std::printf("%-64s %8.2f ms\n", "laying out a 4096 sheet on 871 200 triangles, once", laid * 1e3);
    paint::Brush brush;
    brush.size = 128.f;  // of a view in which a texel is about a pixel
    brush.spacing = .1f;
    brush.smoothing = 0.f;
    constexpr int sides = 5;  // a stroke from each, where none has been before
    std::vector<double> mean;
    std::vector<double> worst;
    std::vector<double> rate;
    std::unique_ptr<paint::Stroke> stroke;
    for (int side = 0; side < sides; ++side) {
        paint::View view{p->camera, 1280, 800, 0.f};
        const float turn = 6.2831853f * float(side) / float(sides);
        view.camera.position = V3f(2.f * std::sin(turn), 0.f, 2.f * std::cos(turn));
        paint::Hand hand(p, view, brush, 1);
        stroke = std::make_unique<paint::Stroke>(canvas, p->scene->paintings[0], brush, V3f(1.f), view);
        const Timed of = stroke_over(hand, *stroke);
        mean.push_back(of.spent / of.dabs);
        worst.push_back(of.worst);
        rate.push_back(of.flat / of.spent);
    }
    std::printf("%-64s %8.0f across\n", "texels under the last dab", 2. * double(stroke->texels_across()));
    std::printf("  the first stroke: %.2f ms a dab, %.2f of a flat loop\n", mean[0] * 1e3, rate[0]);
    const double slowest = *std::max_element(worst.begin(), worst.end());
    for (auto* all : {&mean, &rate}) std::sort(all->begin(), all->end());
    std::printf("  all five: %.2f to %.2f of a flat loop\n", rate.front(), rate.back());
    line("a dab 128 pixels wide, over a 4096 map, in the mean", mean[sides / 2] * 1e3, "ms", "under 8",
         mean[sides / 2] < .008);
    line("the slowest three of 1005, and what they show", slowest * 1e3, "ms", "under 16", slowest < .016);
    line("texels written per second, against a flat loop, median stroke", rate[sides / 2], "x", "at least 0.5",
         rate[sides / 2] >= .5);
    size_t bytes = 0;
    for (const scene::Sheet& s : stroke->now().sheets) bytes += s.texels->bytes();
    line("an empty 8192 x 8192 painting", double(scene::Texels::blank(8192, 4)->bytes()) / 1048576., "MB", "under 1",
         scene::Texels::blank(8192, 4)->bytes() < (size_t(1) << 20));
    std::printf("%-64s %8.2f MB, %zu tiles\n", "a stroke of 201 dabs", double(bytes) / 1048576., stroke->tiles());
}

void lookups(const fs::path& folder) {
    // The same texels as a painting and as a file, read at the same places.
    const int size = 2048;
    scene::TexelsEdit edit(scene::Texels::blank(size, 4));
    std::mt19937 random(1);
    for (int y = 0; y < size / 64; ++y)
        for (int x = 0; x < size / 64; ++x) {
            uint16_t* t = edit.tile(x, y);
            for (size_t i = 0; i < 64 * 64 * 4; ++i)
                t[i] = scene::float_to_half(i % 4 == 3 ? 1.f : float(random() % 1000) / 1000.f);
        }
    scene::Painting painting{.id = "p", .name = "P", .type = "color3", .size = size};
    painting.sheets.push_back({1001, size, "", edit.done(), {}});
    texture::write_sheet(folder / "map.exr", *painting.sheets[0].texels);
    const std::vector<scene::Painting> paintings{painting};
    auto store = std::make_shared<texture::TextureStore>(1024, folder / "cache");
    std::vector<Error> problems;
    nodes::ImageRequest file;
    file.file = (folder / "map.exr").string();
    file.components = 4;
    file.colorspace = "raw";
    nodes::ImageRequest painted;
    painted.painting = "p";
    painted.components = 4;
    painted.colorspace = "raw";
    store->prepare({file}, Paths(folder));
    const texture::Textures textures(store, {file, painted}, Paths(folder), problems, &paintings);
    constexpr int n = 1024;
    std::vector<std::vector<float>> rows(6, std::vector<float>(n));
    std::vector<std::vector<float>> out(4, std::vector<float>(n));
    const float* place[6];
    float* to[4];
    for (size_t r = 0; r < 6; ++r) place[r] = rows[r].data();
    for (size_t c = 0; c < 4; ++c) to[c] = out[c].data();
    auto read = [&](int handle, int components) {
        for (int k = 0; k < 400; ++k) {
            for (int i = 0; i < n; ++i) {
                const uint32_t h = uint32_t(i + n * k) * 2654435761u;
                rows[0][size_t(i)] = float(h >> 16) / 65536.f;
                rows[1][size_t(i)] = float(h & 0xffff) / 65536.f;
                for (size_t r = 2; r < 6; ++r) rows[r][size_t(i)] = r == 2 || r == 5 ? 3.f / size : 0.f;
            }
            textures.sample(handle, n, place, to, components);
        }
    };
    read(0, 4);
    read(1, 4);
    const auto [of_file, of_paint] = side_by_side(
        45, [&] { read(0, 4); }, [&] { read(1, 4); });
    line("a painted map against a file map, time of lookups", of_paint / of_file, "x", "at most 1.05",
         of_paint <= 1.05 * of_file);
}

void many_decals(const fs::path& demo) {
    auto with = [&](int count) {
        scene::Scene s = scene::load(demo)->scene;
        scene::BuildUp& b = s.build_ups[0];
        std::mt19937 random(4);
        for (int i = 0; i < count; ++i) {
            scene::Layer l;
            l.id = l.name = "decal " + std::to_string(i);
            scene::Pin pin;
            const float a = 6.2832f * float(random() % 1000) / 1000.f;
            const bool seen = i < 5;  // in front; all others behind or inside
            pin.axis = seen ? V3f(0, 0, 1) : V3f(std::sin(a), 0, -std::fabs(std::cos(a)));
            pin.position = V3f(seen ? .03f * float(i - 2) : .1f * std::sin(a), .05f + .0003f * float(i),
                               seen ? .09f : -.12f * std::fabs(std::cos(a)));
            pin.size = V3f(.02f, .01f, .03f);
            l.decal.pins = {pin};
            b.layers.push_back(l);
        }
        return s;
    };
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = demo.parent_path();
    options.maps_now = true;
    const auto few = render::prepare(std::make_shared<const scene::Scene>(with(5)), workshop, options);
    const auto many = render::prepare(std::make_shared<const scene::Scene>(with(500)), workshop, options);
    const render::PictureSettings settings{.width = 320, .height = 200, .samples = 12};
    render::render_picture(*few, settings);
    const auto [of_few, of_many] = side_by_side(
        9, [&] { render::render_picture(*few, settings); }, [&] { render::render_picture(*many, settings); });
    line("500 decals of which 5 are seen, against those five", of_many / of_few, "x", "at most 1.1",
         of_many <= 1.1 * of_few);
}

}  // namespace

void paint() {
    const fs::path folder = fs::temp_directory_path() / ("vemtra-paint-bench-" + std::to_string(getpid()));
    fs::create_directories(folder);
    strokes(folder);
    lookups(folder);
    many_decals(fs::path(test::source_folder) / "demo" / "lantern.vemtra");
    std::error_code ec;
    fs::remove_all(folder, ec);
}

}  // namespace vemtra::bench
