#include "bench.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "texture/map_set.h"
#include "texture/texture.h"

// The image library's headers name vector types that must be whole by then.
#include <OpenImageIO/imagebuf.h>
#include <OpenImageIO/imagebufalgo.h>
#include <OpenImageIO/imageio.h>
#include <OpenImageIO/texture.h>
#include <OpenImageIO/ustring.h>
#include <unistd.h>

#include <random>

namespace vemtra::bench {
namespace {

constexpr int size = 4096;

fs::path scratch() {
    const fs::path p = fs::temp_directory_path() / ("vemtra-bench-" + std::to_string(::getpid()));
    fs::create_directories(p);
    return p;
}

float wavy(int x, int y, int c, int variant = 0) {
    return .5f + .25f * std::sin(float(x) * (.011f + .003f * float(c)) + float(variant)) +
           .2f * std::sin(float(y) * .017f - float(x) * .005f * float(c + 1)) +
           .0004f * float((x * 7 + y * 13 + variant) & 63);
}
void write(const fs::path& file, int edge, int channels, OIIO::TypeDesc type, int variant = 0,
           const char* compression = "none") {
    OIIO::ImageSpec spec(edge, edge, channels, type);
    spec.attribute("compression", compression);
    auto out = OIIO::ImageOutput::create(file.string());
    out->open(file.string(), spec);
    std::vector<float> row(size_t(edge) * size_t(channels));
    for (int y = 0; y < edge; ++y) {
        for (int x = 0; x < edge; ++x)
            for (int c = 0; c < channels; ++c)
                row[size_t(x * channels + c)] = wavy(x * size / edge, y * size / edge, c, variant);
        out->write_scanline(y, 0, OIIO::TypeDesc::FLOAT, row.data());
    }
    out->close();
}

/// Reads per second through ours, a flat array, and the image library, over the same coordinates.
void lookups(const fs::path& folder) {
    const fs::path file = folder / "lookups.exr";
    write(file, size, 3, OIIO::TypeDesc::FLOAT, 0, "none");
    auto store = std::make_shared<texture::TextureStore>(1024, folder / "prepared");
    program::ImageRequest r;
    r.file = file.string();
    r.colorspace = "lin_rec709";
    store->prepare({r}, folder);
    std::vector<Error> problems;
    const texture::Textures ours(store, {r}, folder, problems);
    std::vector<float> flat(size_t(size) * size * 3);
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x)
            for (int c = 0; c < 3; ++c) flat[(size_t(y) * size + size_t(x)) * 3 + size_t(c)] = wavy(x, y, c);
    auto* system = OIIO::TextureSystem::create(false);
    system->attribute("max_memory_MB", 2048.f);
    const OIIO::ustring name(store->maps().find(file, "lin_rec709")->string());
    auto* thread = system->get_perthread_info();
    auto* handle = system->get_texture_handle(name, thread);

    constexpr int n = nodes::max_batch, batches = 512;
    std::vector<float> u(size_t(n) * batches), v(u.size()), out(size_t(n) * 3);
    float* to[] = {out.data(), out.data() + n, out.data() + 2 * n};
    for (const bool coherent : {true, false}) {
        std::mt19937 random(3);
        for (size_t i = 0; i < u.size(); ++i) {
            if (coherent) {  // rays of 32 x 32 pixels, half a texel apart
                const size_t tile = i / 1024, in = i % 1024;
                u[i] = (float(tile % 64) * 64.f + float(in % 32) * .5f + .3f) / size;
                v[i] = (float(tile / 64) * 128.f + float(in / 32) * .5f + .3f) / size;
            } else {
                u[i] = float(random() % 1000003) / 1000003.f;
                v[i] = float(random() % 1000003) / 1000003.f;
            }
        }
        auto mine = [&] {
            for (int b = 0; b < batches; ++b) {
                const float* place[] = {&u[size_t(b) * n], &v[size_t(b) * n], nullptr, nullptr, nullptr, nullptr};
                ours.sample(0, n, place, to, 3);
            }
        };
        volatile float sink = 0;
        auto plain = [&] {
            for (int b = 0; b < batches; ++b)
                for (int i = 0; i < n; ++i) {
                    const float x = u[size_t(b) * n + size_t(i)] * size - .5f,
                                y = (1.f - v[size_t(b) * n + size_t(i)]) * size - .5f;
                    const int ix = std::clamp(int(std::floor(x)), 0, size - 2),
                              iy = std::clamp(int(std::floor(y)), 0, size - 2);
                    const float a = x - float(ix), c = y - float(iy);
                    const float* p = &flat[(size_t(iy) * size + size_t(ix)) * 3];
                    for (int k = 0; k < 3; ++k) {
                        const float top = p[k] + a * (p[3 + k] - p[k]),
                                    low = p[3 * size + k] + a * (p[3 * size + 3 + k] - p[3 * size + k]);
                        to[k][i] = top + c * (low - top);
                    }
                }
            sink = out[5];
        };
        OIIO::TextureOpt opt;
        opt.mipmode = OIIO::TextureOpt::MipModeNoMIP;
        opt.interpmode = OIIO::TextureOpt::InterpBilinear;
        opt.swrap = opt.twrap = OIIO::TextureOpt::WrapPeriodic;
        auto library = [&] {
            for (int b = 0; b < batches; ++b)
                for (int i = 0; i < n; ++i) {
                    float value[3];
                    system->texture(handle, thread, opt, u[size_t(b) * n + size_t(i)],
                                    1.f - v[size_t(b) * n + size_t(i)], 0, 0, 0, 0, 3, value);
                    for (int k = 0; k < 3; ++k) to[k][i] = value[k];
                }
        };
        mine();
        library();
        const auto [t_mine, t_flat] = side_by_side(5, mine, plain);
        const auto [t_again, t_library] = side_by_side(3, mine, library);
        const char* kind = coherent ? "coherent" : "random";
        char text[96];
        std::snprintf(text, sizeof text, "bilinear reads, %s, against a loop over a flat array", kind);
        line(text, t_flat / t_mine, "x", ">= 0.5x", t_flat / t_mine >= .5);
        std::snprintf(text, sizeof text, "bilinear reads, %s, against the image library's calls", kind);
        line(text, t_library / t_again, "x", ">= 4x", t_library / t_again >= 4.);
        (void)sink;
    }
    OIIO::TextureSystem::destroy(system);
}

void preparation(const fs::path& folder) {
    // Four maps as they come from paint programs, one after the other with all cores each, by the library; ours in
    // parallel over the maps.
    std::vector<std::pair<fs::path, std::string>> maps;
    for (int i = 0; i < 4; ++i) {
        maps.push_back({folder / ("prepare" + std::to_string(i) + ".tif"), "raw"});
        write(maps.back().first, size, i % 2 ? 1 : 3, OIIO::TypeDesc::UINT16, i, "lzw");
    }
    int round = 0;
    auto ours = [&] {
        texture::MapCache cache(folder / ("ours" + std::to_string(round++)));
        cache.prepare_all(maps);
    };
    auto library = [&] {
        for (const auto& [file, space] : maps) {
            OIIO::ImageSpec config;
            config.attribute("maketx:filtername", "box");
            config.tile_width = config.tile_height = 64;
            OIIO::ImageBufAlgo::make_texture(OIIO::ImageBufAlgo::MakeTxTexture, file.string(),
                                             (folder / "library.tx").string(), config);
        }
    };
    const auto [mine, theirs] = side_by_side(3, ours, library);
    std::printf("  four 4096 maps of 16 bits: %.2f s, the library %.2f s\n", mine, theirs);
    line("preparing mip maps, against the image library's tool", mine / theirs, "x", "<= 1.2x", mine / theirs <= 1.2);
}

/// A part per tile, a set of six maps over forty tiles, prepared; then the same with small maps.
void many_tiles(const fs::path& folder, bool quick) {
    const int tiles = quick ? 4 : 40, edge = size;
    const char* kinds[] = {"BaseColor", "Roughness", "Metalness", "Normal", "Specular", "Opacity"};
    const int channels[] = {3, 1, 1, 3, 1, 1};
    std::string obj;
    int vertex = 1;
    for (int t = 0; t < tiles; ++t) {
        const int u = t % 10, v = t / 10;
        // A gently curved quad per tile, 16 x 16 cells, side by side.
        for (int j = 0; j <= 16; ++j)
            for (int i = 0; i <= 16; ++i) {
                char text[128];
                std::snprintf(text, sizeof text, "v %g %g %g\nvt %g %g\n", u * .1 + i * .1 / 16, v * .1 + j * .1 / 16,
                              .02 * std::sin(.7 * (u + i / 16.)) * std::cos(.9 * (v + j / 16.)),
                              u + i / 16. * .998 + .001, v + j / 16. * .998 + .001);
                obj += text;
            }
        for (int j = 0; j < 16; ++j)
            for (int i = 0; i < 16; ++i) {
                const int a = vertex + j * 17 + i;
                char text[128];
                std::snprintf(text, sizeof text, "f %d/%d %d/%d %d/%d %d/%d\n", a, a, a + 1, a + 1, a + 18, a + 18,
                              a + 17, a + 17);
                obj += text;
            }
        vertex += 17 * 17;
    }
    double seconds_of[2] = {}, first[2] = {};
    size_t held = 0;
    for (const int k : {0, 1}) {
        const int now = k ? 512 : edge;
        const fs::path place = folder / (k ? "small" : "large");
        fs::create_directories(place);
        write_file_atomically(place / "wall.obj", obj);
        auto store_folder = cache_folder("maps");
        std::vector<std::pair<fs::path, std::string>> all;
        for (int t = 0; t < tiles; ++t)
            for (int m = 0; m < 6; ++m) {
                const fs::path file = place / ("wall_" + std::string(kinds[m]) + "." +
                                               std::to_string(1001 + t % 10 + 10 * (t / 10)) + ".tif");
                if (!fs::exists(file)) write(file, now, channels[m], OIIO::TypeDesc::UINT16, 17 * t + m, "none");
                all.push_back({file, m == 0 ? "srgb_texture" : "raw"});
            }
        std::vector<Error> problems;
        auto sets = texture::find_map_sets({place}, problems);
        scene::Scene s;
        s.assets = {{.id = "wall", .file = (place / "wall.obj").string()}};
        s.build_ups = {scene::default_build_up("b", "Wall")};
        nodes::wire_maps(s.build_ups[0], s.build_ups[0].layers[0].id, "wall", texture::wires_of(sets.at(0), {}));
        for (scene::Node& n : s.build_ups[0].layers[0].nodes)
            if (n.kind == "image" && n.inputs.at("colorspace").value == scene::Value(std::string("lin_rec709")))
                n.inputs["colorspace"].value = std::string("srgb_texture");
        auto imported = geometry::import(place / "wall.obj", {});
        Box3f box;
        for (const auto& part : imported->parts) {
            s.parts.push_back(
                {.id = part.name, .asset = "wall", .source = part.name, .name = part.name, .build_up = "b"});
            box.extendBy(part.bounds());
        }
        s.rigs = {scene::default_rig()};
        scene::fit_to(s, box);
        const auto snapshot = std::make_shared<const scene::Scene>(s);
        {
            render::Workshop workshop;
            render::PrepareOptions options;
            options.maps_now = true;
            const double t = seconds([&] { render::prepare(snapshot, workshop, options); });
            std::printf("  %d maps of %d made ready in %.0f s\n", tiles * 6, now, t);
        }
        // As the window opens it: a session of its own, from nothing to the first picture.
        render::Workshop workshop(1024);
        first[k] = seconds([&] {
            const auto p = render::prepare(snapshot, workshop, {});
            auto film = render::render_picture(*p, {.width = 160, .height = 100, .samples = 1, .coverage = false});
        });
        const auto p = render::prepare(snapshot, workshop, {});
        auto work = [&] {
            render::render_picture(*p, {.width = 1280, .height = 800, .samples = 4, .coverage = false});
        };
        work();
        std::vector<double> times;
        for (int i = 0; i < 3; ++i) times.push_back(seconds(work));
        std::sort(times.begin(), times.end());
        seconds_of[k] = times[1];
        if (k == 0) held = workshop.textures()->memory();
    }
    char text[96];
    std::snprintf(text, sizeof text, "%d tiles x 6 maps at 4096: first picture of the prepared project", tiles);
    line(text, first[0], "s", "<= 3 s", first[0] <= 3.);
    line("  texels in memory", double(held) / (1 << 20), "MB", "<= 1024 MB", held <= (size_t(1) << 30));
    line("  full picture, against the same with maps of 512", seconds_of[0] / seconds_of[1], "x", "<= 1.5x",
         seconds_of[0] / seconds_of[1] <= 1.5);
}

}  // namespace

void textures(bool many) {
    const fs::path folder = scratch();
    lookups(folder);
    preparation(folder);
    many_tiles(folder, !many);
    std::error_code ec;
    fs::remove_all(folder, ec);
}

}  // namespace vemtra::bench
