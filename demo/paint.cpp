// What was painted on the lantern by hand, made by the brushes that ship: worn paint on the corners of the base plate,
// and leaks below bolts of the collar from a photograph that is generated here.
#include <OpenImageIO/imageio.h>

#include "base/hash.h"
#include "demo.h"
#include "paint/stroke.h"
#include "paint/tips.h"
#include "render/pinhole.h"
#include "scene/project_file.h"
#include "texture/paint_files.h"

namespace vemtra::demo {
namespace {

constexpr int photo_width = 256, photo_height = 512;

float noise(int x, uint32_t seed) {
    return float(mix32(uint32_t(x) * 0x9e3779b9u ^ mix32(seed)) >> 8) * 0x1p-24f;
}
float smooth_noise(float x, uint32_t seed) {
    const int i = int(std::floor(x));
    const float t = x - float(i);
    return noise(i, seed) + (noise(i + 1, seed) - noise(i, seed)) * (t * t * (3.f - 2.f * t));
}

/// Rust that has run down a wall from one spot at the top: runs of unequal length, wandering a little, thinning out.
std::vector<float> leak_photo() {
    std::vector<float> values(size_t(photo_width) * photo_height, 0.f);
    auto bell = [](float d) { return std::exp(-d * d); };
    for (int y = 0; y < photo_height; ++y)
        for (int x = 0; x < photo_width; ++x) {
            const float v = float(y) / photo_height;
            const float u = float(x) / photo_width - .5f;
            // A wash below the spot, streaky across, that thins out downwards.
            const float streaks = .45f + .55f * smooth_noise(26.f * u + 2.f * smooth_noise(6.f * v, 3), 71);
            const float edge = .6f + .4f * smooth_noise(30.f * u, 73);
            float value = .62f * bell(u / (.11f + .05f * v)) * streaks * clamp01(1.5f * (edge - v)) * (1.f - .5f * v);
            // Runs that went farther.
            for (uint32_t run = 0; run < 6; ++run) {
                const float length = .35f + .6f * noise(int(run), 7);
                if (v > length) continue;
                const float along = v / length;
                const float middle = .24f * (noise(int(run), 5) - .5f) + .05f * (smooth_noise(4.f * v, 11 + run) - .5f);
                const float width = (.012f + .022f * noise(int(run), 9)) * (1.f - .5f * along) *
                                    (.7f + .6f * smooth_noise(18.f * v, 31 + run));
                const float dark = (1.f - along * along) * (.35f + .45f * smooth_noise(30.f * v, 51 + run));
                value += (1.f - value) * dark * bell((u - middle) / width);
            }
            values[size_t(y) * photo_width + size_t(x)] = clamp01(value);
        }
    return values;
}

struct Camera {
    paint::View view;
    render::Pinhole eye;
    Camera(const V3f& from, const V3f& at)
        : view{{.id = "hand", .name = "Hand", .position = from, .target = at, .focal_length = 60.f}, 1000, 1000, 0.f},
          eye(view.camera, 1000, 1000) {}
    V2f pixel(const V3f& world) const {
        const V3f d = world - eye.origin;
        const float depth = d.dot(eye.forward);
        return {(d.dot(eye.right) / depth / eye.tan_x + 1.f) * 500.f,
                (1.f - d.dot(eye.up) / depth / eye.tan_y) * 500.f};
    }
};

class Easel {
public:
    Easel(std::shared_ptr<const render::Prepared> prepared, scene::Scene& scene)
        : prepared_(std::move(prepared)), scene_(scene) {}

    /// A stroke along points of the world, as a hand draws it in that view.
    void stroke(const std::string& painting, const std::string& brush, float pixels, float ink, float opacity,
                const Camera& camera, const std::vector<V3f>& way, const paint::Photo* photo = nullptr) {
        scene::Painting& p = *scene::find(scene_.paintings, painting);
        auto& canvas = canvases_[painting];
        if (!canvas) canvas = std::make_shared<const paint::Canvas>(prepared_, painting);
        const auto& all = paint::shipped_brushes();
        const auto stock =
            std::find_if(all.begin(), all.end(), [&](const paint::StockBrush& b) { return b.brush.id == brush; });
        paint::Brush ready = stock->ready();
        ready.size = pixels;
        ready.opacity = opacity;
        if (photo) ready.flow = 1.f;
        ready.pressure_flow = false;
        paint::Hand hand(prepared_, camera.view, ready, ++seed_ * 7919u);
        paint::Stroke stroke(canvas, p, ready, V3f(ink), camera.view, {},
                             photo ? std::make_shared<const paint::Photo>(*photo) : nullptr);
        for (const V3f& at : way) {
            const V2f pixel = camera.pixel(at);
            stroke.dabs(hand.move({pixel.x, pixel.y}));
        }
        stroke.dabs(hand.end());
        p = stroke.now();
    }

private:
    std::shared_ptr<const render::Prepared> prepared_;
    scene::Scene& scene_;
    std::map<std::string, std::shared_ptr<const paint::Canvas>> canvases_;
    uint32_t seed_ = 0;
};

/// The corners of the base plate, where the boat hook meets it.
void wear_corners(Easel& easel) {
    for (int corner = 0; corner < 4; ++corner) {
        const float turn = radians(45.f + 90.f * float(corner));
        const V3f out(std::sin(turn), 0.f, std::cos(turn));
        const V3f side(std::cos(turn), 0.f, -std::sin(turn));
        const V3f middle = out * (.0744f * std::sqrt(2.f));  // of the corner's arc, .0296 m in radius
        std::vector<V3f> edge;
        std::vector<V3f> skirt;
        for (int i = -9; i <= 9; ++i) {
            const float a = radians(float(i) * 7.f);
            const V3f along = out * std::cos(a) + side * std::sin(a);
            edge.push_back(middle + along * .0288f + V3f(0.f, .0105f, 0.f));
            skirt.push_back(middle + along * .0296f + V3f(0.f, .006f, 0.f));
        }
        const Camera above(out * .42f + V3f(0.f, .26f, 0.f), out * .12f + V3f(0.f, .01f, 0.f));
        easel.stroke("worn-by-hand", "worn-edge", 40.f, .34f, .9f, above, edge);
        easel.stroke("worn-by-hand", "worn-edge", 20.f, .5f, 1.f, above, edge);
        const Camera low(out * .45f + V3f(0.f, .06f, 0.f), out * .12f + V3f(0.f, .006f, 0.f));
        easel.stroke("worn-by-hand", "chips", 16.f, .55f, 1.f, low, skirt);
    }
    // Along the foot of the maker's label, which goes with the paint.
    std::vector<V3f> foot;
    for (float degrees = 36.f; degrees < 54.f; degrees += 2.f)
        foot.emplace_back(.092f * std::sin(radians(degrees)), .0157f, .092f * std::cos(radians(degrees)));
    const Camera before(V3f(.26f, .06f, .29f), V3f(.064f, .016f, .066f));
    easel.stroke("worn-by-hand", "worn-edge", 34.f, .42f, .9f, before, foot);
    // Where the hook slid off: a few long scratches over the front corner's top.
    const Camera top(V3f(.16f, .40f, .30f), V3f(.085f, .012f, .085f));
    easel.stroke("worn-by-hand", "boat-hook", 60.f, .45f, .9f, top,
                 {{.062f, .012f, .098f}, {.078f, .012f, .092f}, {.094f, .012f, .086f}});
}

/// Rust from two bolts of the collar, over its face and down the waist.
void leaks(Easel& easel, const std::vector<float>& picture) {
    paint::Photo photo;
    photo.width = photo_width;
    photo.height = photo_height;
    for (const float v : picture) photo.pixels.emplace_back(v * v);  // lightness of a display is about its root
    photo.as_mask = true;
    for (const auto& [degrees, length] : {std::pair{15.f, .062f}, {75.f, .075f}}) {
        const float a = radians(degrees);
        const V3f out(std::sin(a), 0.f, std::cos(a));
        const V3f side(std::cos(a), 0.f, -std::sin(a));
        const V3f top = out * .0875f + V3f(0.f, .1262f, 0.f);
        const Camera camera(out * .5f + V3f(0.f, .12f, 0.f), out * .08f + V3f(0.f, .09f, 0.f));
        const V3f down = top - V3f(0.f, length, 0.f);
        photo.corners = {camera.pixel(top - side * .012f), camera.pixel(top + side * .012f),
                         camera.pixel(down + side * .012f), camera.pixel(down - side * .012f)};
        easel.stroke("leaks", "soft-round", 260.f, 1.f, .62f, camera, {top, down}, &photo);
    }
}

}  // namespace

bool write_paint(const fs::path& project) {
    auto loaded = scene::load(project);
    if (!loaded) return false;
    scene::Scene& s = loaded->scene;
    for (scene::Painting& p : s.paintings) p.sheets.clear();
    render::Workshop workshop;
    render::PrepareOptions options;
    options.folder = project.parent_path();
    const auto prepared = render::prepare(std::make_shared<const scene::Scene>(s), workshop, options);
    if (!prepared) return false;
    Easel easel(prepared, s);
    wear_corners(easel);
    const std::vector<float> picture = leak_photo();
    leaks(easel, picture);
    OIIO::ImageSpec spec(photo_width, photo_height, 1, OIIO::TypeDesc::UINT8);
    auto out = OIIO::ImageOutput::create("leak.png");
    if (!out || !out->open((project.parent_path() / "leak.png").string(), spec) ||
        !out->write_image(OIIO::TypeDesc::FLOAT, picture.data()) || !out->close())
        return false;
    const auto gone = texture::save_paintings(s, project, Paths(project.parent_path(), {}, nullptr), nullptr);
    if (!gone) return std::fprintf(stderr, "error: %s\n", gone.error().line().c_str()), false;
    for (const fs::path& f : *gone) fs::remove(f);
    return bool(scene::save(s, project));
}

}  // namespace vemtra::demo
