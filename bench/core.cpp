#include <fstream>

#include "base/parallel.h"
#include "bench.h"
#include "nodes/description.h"
#include "render/picture.h"
#include "render/sampler.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::bench {
namespace {

const fs::path demo = fs::path(test::source_folder) / "demo" / "lantern.vemtra";

std::shared_ptr<const render::Prepared> prepare(const scene::Scene& s, render::Workshop& workshop) {
    render::PrepareOptions options;
    options.folder = demo.parent_path();
    return render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
}

}  // namespace

void rays() {
    constexpr int width = 1280, height = 800, samples = 4;
    render::Workshop workshop;
    scene::Scene s = scene::load(demo)->scene;
    for (auto& r : s.rigs) r.stage.on = false;  // bare rays know no stage
    s.cameras[0].focal_length = 90.f;
    const auto p = prepare(s, workshop);
    auto frame =
        render::frame_settings(s, {.width = width, .height = height, .samples = 1, .view = render::View::clay});
    render::Film film(width, height, p->rig.groups.size());  // a picture accumulates: the film is made once
    auto clay = [&] { render::render_samples(*p, frame, 0, samples, film, nullptr, nullptr, nullptr); };
    // The same rays, made beforehand, through bare Embree: camera rays in coherent packets of 16, then one occlusion
    // ray from each hit, in packets of 16 and one by one: the better of both counts.
    struct Ray {
        V3f o, d;
    };
    const int tiles = (width / 32) * (height / 32);
    std::vector<Ray> camera(size_t(width) * height * samples), shadow;
    std::vector<uint32_t> first(size_t(tiles) * samples + 1, 0);
    const V3f origin = p->camera.position, forward = (p->camera.target - origin).normalized(),
              right = forward.cross(V3f(0, 1, 0)).normalized(), up = right.cross(forward);
    const float tx = 18.f / p->camera.focal_length, ty = tx * height / width;
    size_t at = 0;
    for (int t = 0; t < tiles; ++t)
        for (int k = 0; k < samples; ++k)
            for (int i = 0; i < 1024; ++i) {
                const int x = t % (width / 32) * 32 + i % 32, y = t / (width / 32) * 32 + i / 32;
                float u, v;
                render::sample_2d(render::pixel_seed(uint32_t(x), uint32_t(y), 0), uint32_t(k), 0, u, v);
                camera[at++] = {origin, (forward + right * ((2.f * (x + u) / width - 1.f) * tx) +
                                         up * ((1.f - 2.f * (y + v) / height) * ty))
                                            .normalized()};
            }
    RTCIntersectContext context;
    auto fill = [](RTCRay16& r, size_t k, const Ray& ray) { geometry::set_ray(r, int(k), ray.o, ray.d); };
    for (size_t g = 0; g < size_t(tiles) * samples; ++g) {
        for (size_t i = 0; i < 1024; ++i) {
            rtcInitIntersectContext(&context);
            RTCRayHit r = geometry::single_ray(camera[g * 1024 + i].o, camera[g * 1024 + i].d);
            rtcIntersect1(p->geometry->scene(), &context, &r);
            if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) continue;
            auto surface = p->geometry->at(geometry::place_of(r.hit));
            if (surface.normal.dot(camera[g * 1024 + i].d) > 0.f) surface.normal = -surface.normal;
            float u, v;
            render::sample_2d(uint32_t(i), uint32_t(g), 1, u, v);
            const float s2 = std::sqrt(u);
            shadow.push_back(
                {geometry::offset_origin(surface.position, surface.normal),
                 Frame(surface.normal)
                     .to_world({s2 * std::cos(6.2831f * v), s2 * std::sin(6.2831f * v), std::sqrt(1.f - u)})});
        }
        first[g + 1] = uint32_t(shadow.size());
    }
    std::atomic<uint64_t> sink{0};
    auto bare = [&](bool packets) {
        parallel_ranges(size_t(tiles), 1, [&](size_t from, size_t to) {
            RTCIntersectContext c;
            rtcInitIntersectContext(&c);
            alignas(64) int valid[16];
            uint64_t hits = 0;
            for (size_t g = from * samples; g < to * samples; ++g) {
                c.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
                for (size_t i = 0; i < 1024; i += 16) {
                    alignas(64) RTCRayHit16 r;
                    for (size_t k = 0; k < 16; ++k)
                        fill(r.ray, k, camera[g * 1024 + i + k]), geometry::set_no_hit(r.hit, int(k)), valid[k] = -1;
                    rtcIntersect16(valid, p->geometry->scene(), &c, &r);
                    hits += r.hit.geomID[3] != RTC_INVALID_GEOMETRY_ID;
                }
                c.flags = RTC_INTERSECT_CONTEXT_FLAG_INCOHERENT;
                for (size_t i = first[g]; i < first[g + 1];) {
                    if (packets) {
                        alignas(64) RTCRay16 r;
                        const size_t n = std::min<size_t>(16, first[g + 1] - i);
                        for (size_t k = 0; k < 16; ++k)
                            fill(r, k, shadow[i + std::min(k, n - 1)]), valid[k] = k < n ? -1 : 0;
                        rtcOccluded16(valid, p->geometry->scene(), &c, &r);
                        hits += r.tfar[0] < 0.f;
                        i += n;
                    } else {
                        RTCRay r = geometry::single_ray(shadow[i].o, shadow[i].d).ray;
                        rtcOccluded1(p->geometry->scene(), &c, &r);
                        hits += r.tfar < 0.f;
                        ++i;
                    }
                }
            }
            sink += hits;
        });
    };
    const auto [single, packets] = side_by_side(
        3, [&] { bare(false); }, [&] { bare(true); });
    const bool best = packets < single;
    const auto [ours, theirs] = side_by_side(7, clay, [&] { bare(best); });
    std::printf("  clay: %.1f million rays, %.0f ms; bare: %.0f ms (%s)\n", double(camera.size() + shadow.size()) / 1e6,
                ours * 1e3, theirs * 1e3, best ? "packets" : "single occlusion rays");
    line("clay view against the same rays in bare Embree", 100 * theirs / ours, "%", ">= 60 %", theirs / ours >= .6);
}

void noise() {
    scene::BuildUp b = scene::default_build_up("b", "B");
    const auto id = scene::add_node(b, "base", "fractal3d", "float", "Noise");
    scene::node(b, id)->inputs["octaves"].value = 4.f;
    program::Resources resources;
    std::vector<Error> problems;
    const auto p = program::compile(b, {{"o", nodes::Type::number, {scene::Value{0.f}, id}}}, resources, problems);
    constexpr int n = nodes::max_batch, batches = 400;
    std::vector<float> x(n), y(n), z(n);
    for (int i = 0; i < n; ++i)
        x[size_t(i)] = float(i % 37) * .31f, y[size_t(i)] = float(i % 53) * .17f - 4.f, z[size_t(i)] = float(i) * .011f;
    nodes::PointBatch points;
    points.n = n;
    points.rows[nodes::row_position + 0] = points.rows[nodes::row_uv + 0] = x.data();
    points.rows[nodes::row_position + 1] = points.rows[nodes::row_uv + 1] = y.data();
    points.rows[nodes::row_position + 2] = z.data();
    for (int c = 0; c < 3; ++c) points.rows[nodes::row_normal + c] = points.rows[nodes::row_color + c] = x.data();
    program::Workspace workspace;
    const float* out[1];
    volatile float sink = 0;
    const auto [vector, scalar] = side_by_side(
        7,
        [&] {
            for (int k = 0; k < batches; ++k) {
                p.run(points, workspace, out);
                sink = out[0][k % n];
            }
        },
        [&] {
            for (int k = 0; k < batches; ++k)
                for (size_t i = 0; i < n; ++i) sink = scalar_fractal(x[i], y[i], z[i]);
        });
    const auto* d = nodes::describe("fractal3d");
    const bool wide = d->kernel.get() == d->kernel.avx512;
    std::printf("  fractal3d, 4 octaves: %.1f ns per sample (%s), scalar %.1f ns\n", vector / (n * batches) * 1e9,
                wide ? "AVX-512" : "AVX2", scalar / (n * batches) * 1e9);
    line("four-octave fractal3d against the scalar loop", scalar / vector, "x",
         wide ? ">= 4x (AVX-512)" : ">= 2.5x (AVX2)", scalar / vector >= (wide ? 4. : 2.5));
    // The AVX2 build of the same kernel, measured on this machine too.
    std::vector<float> result(n), one(n, 1.f), two(n, 2.f), half(n, .5f);
    const float* in[] = {one.data(), two.data(), half.data(), x.data(), y.data(), z.data()};
    float* to[] = {result.data()};
    const float uniform[] = {4.f};
    const auto [narrow, again] = side_by_side(
        5,
        [&] {
            for (int k = 0; k < batches; ++k) d->kernel.avx2({n, 1, in, to, uniform, -1, &points});
        },
        [&] {
            for (int k = 0; k < batches; ++k)
                for (size_t i = 0; i < n; ++i) sink = scalar_fractal(x[i], y[i], z[i]);
        });
    line("the AVX2 build of it", again / narrow, "x", ">= 2.5x", again / narrow >= 2.5);
}

void layers() {
    // Two layers that show, alone and among fourteen that do not: off, at amount 0, behind black gates, and under an
    // opaque one.
    scene::Scene two = scene::load(demo)->scene;
    for (auto& part : two.parts) part.build_up = "housing";
    scene::Scene sixteen = two;
    auto& b = sixteen.build_ups[0];
    for (int i = 0; i < 10; ++i) {  // above the two: off, at amount 0, behind a black gate
        auto* l = scene::find(b.layers, scene::duplicate_layer(b, "marine-enamel"));
        if (i % 3 == 0) l->on = false;
        if (i % 3 == 1) l->amount = 0.f;
        if (i % 3 == 2) l->gate.mask = {scene::Value{0.f}, {}};
    }
    for (int i = 0; i < 4; ++i) {  // under the two, with masks of their own
        const auto copy = scene::duplicate_layer(b, "marine-enamel");
        scene::move_layer(b, copy, 0);
    }
    render::Workshop workshop;
    const auto p2 = prepare(two, workshop), p16 = prepare(sixteen, workshop);
    auto work = [&](const std::shared_ptr<const render::Prepared>& p) {
        return [&] { render::render_picture(*p, {.width = 480, .height = 300, .samples = 4, .coverage = false}); };
    };
    const auto [many, few] = side_by_side(7, work(p16), work(p2));
    std::printf("  %zu layers in the build-up, %zu compiled\n", b.layers.size(), p16->build_ups[0].layers.size());
    line("sixteen layers of which two show, against those two", many / few, "x", "<= 1.3x", many / few <= 1.3);
}

void memory() {
    // A fresh process renders the demo: what it held at most is in the kernel's accounts.
    const std::string file = (fs::temp_directory_path() / "vemtra-bench-memory.txt").string();
    const std::string command =
        std::string("/bin/sh -c 'exec ") + test::cli_file + " render " + demo.string() +
        " -o /tmp/vemtra-bench.exr --size 1280x800 --samples 1 & p=$!; m=0; while kill -0 $p 2>/dev/null; do " +
        "r=$(awk \"/VmHWM/{print \\$2}\" /proc/$p/status 2>/dev/null); [ -n \"$r\" ] && m=$r; sleep 0.02; done; echo "
        "$m > " +
        file + "'";
    if (std::system(command.c_str()) != 0) return;
    double kilobytes = 0;
    std::ifstream(file) >> kilobytes;
    line("memory of the demo on the command line, 1280 x 800", kilobytes / 1024, "MB", "< 600 MB",
         kilobytes > 0 && kilobytes / 1024 < 600);
}

}  // namespace vemtra::bench
