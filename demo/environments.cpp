// The two environments, computed: no photograph is used. Equirectangular, row 0 is straight up, the middle column faces
// +z.
#include <OpenImageIO/imageio.h>

#include "base/file.h"
#include "base/hash.h"
#include "demo.h"

namespace vemtra::demo {
namespace {

constexpr int width = 1024, height = 512;

float lattice(int x, int y, int z) {
    return float(mix32(uint32_t(x) * 73856093u ^ uint32_t(y) * 19349663u ^ uint32_t(z) * 83492791u) >> 8) * 0x1p-24f;
}
float value_noise(const V3f& p) {
    const int X = int(std::floor(p.x)), Y = int(std::floor(p.y)), Z = int(std::floor(p.z));
    auto fade = [](float t) { return t * t * (3.f - 2.f * t); };
    const float x = fade(p.x - float(X)), y = fade(p.y - float(Y)), z = fade(p.z - float(Z));
    auto row = [&](int j, int k) { return lerp(lattice(X, Y + j, Z + k), lattice(X + 1, Y + j, Z + k), x); };
    return lerp(lerp(row(0, 0), row(1, 0), y), lerp(row(0, 1), row(1, 1), y), z);
}
float cloud(V3f p) {
    float sum = 0.f, weight = .5f;
    for (int o = 0; o < 6; ++o, weight *= .5f, p = p * 2.03f + V3f(3.1f)) sum += weight * value_noise(p);
    return sum;
}
float step(float a, float b, float x) {
    const float t = clamp01((x - a) / (b - a));
    return t * t * (3.f - 2.f * t);
}

Status write(const std::string& file, const std::function<V3f(const V3f&)>& radiance) {
    std::vector<V3f> pixels(size_t(width) * height);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            V3f sum(0.f);
            for (int s = 0; s < 4; ++s) {
                const float theta = pi * (float(y) + .25f + .5f * float(s / 2)) / height,
                            phi = 2.f * pi * ((float(x) + .25f + .5f * float(s % 2)) / width - .5f);
                sum += radiance({std::sin(theta) * std::sin(phi), std::cos(theta), std::sin(theta) * std::cos(phi)});
            }
            pixels[size_t(y) * width + size_t(x)] = sum / 4.f;
        }
    OIIO::ImageSpec spec(width, height, 3, OIIO::TypeDesc::HALF);
    spec.attribute("compression", "dwaa:30");
    spec.attribute("oiio:ColorSpace", "lin_rec709");
    return write_atomically_with(file, [&](const fs::path& temporary) -> Status {
        auto out = OIIO::ImageOutput::create(temporary.string());
        if (!out || !out->open(temporary.string(), spec) || !out->write_image(OIIO::TypeDesc::FLOAT, pixels.data()) ||
            !out->close())
            return Error{"Cannot write the image", file, "", out ? out->geterror() : OIIO::geterror(), ""};
        return Done{};
    });
}

}  // namespace

Status write_quay(const std::string& file) {
    const V3f sun = V3f(.62f, .58f, .53f).normalized();
    return write(file, [&](const V3f& d) {
        if (d.y > 0.f) {
            // Clouds on a plane above the quay; bright around the break, bluish slate away from it.
            const V3f p(d.x / (d.y + .16f), 0.f, d.z / (d.y + .16f));
            const float c = cloud(p * 1.3f + V3f(7.f, 2.f, 4.f)), fine = cloud(p * 4.1f);
            const float toward = std::max(0.f, d.dot(sun));
            const float breach = step(.50f, .34f, c - .22f * step(.93f, .995f, toward));
            V3f sky = V3f(.50f, .58f, .70f) * (.62f + .75f * c) + V3f(.10f, .10f, .10f) * fine;
            sky *= .75f + .45f * std::pow(1.f - d.y, 2.f);
            sky += V3f(1.f, .93f, .82f) * (1.5f * std::pow(toward, 6.f) + .9f * std::pow(toward, 40.f));
            sky += V3f(1.f, .90f, .74f) * (breach * step(.965f, .992f, toward) * 46.f);
            const float haze = std::exp(-d.y * 9.f);
            sky = sky * (1.f - haze) + V3f(.66f, .68f, .70f) * haze;
            // Warehouses and a crane along one side of the horizon, a breakwater on the other.
            const float a = std::atan2(d.x, d.z), block = std::floor(a * 9.f);
            const float roof = .035f + .075f * lattice(int(block), 3, 1) * step(-.2f, -.9f, std::cos(a - 2.6f) * -1.f);
            if (d.y < roof) {
                const float window =
                    lattice(int(std::floor(a * 160.f)), int(std::floor(d.y * 120.f)), 5) > .86f ? .05f : 0.f;
                return V3f(.105f, .10f, .098f) * (.7f + .6f * lattice(int(block), 9, 2)) + V3f(.9f, .75f, .5f) * window;
            }
            return sky;
        }
        // Wet concrete nearby, water beyond the edge of the quay.
        const V3f p(d.x / (-d.y + .02f), 0.f, d.z / (-d.y + .02f));
        const float n = cloud(p * .8f + V3f(1.f)), edge = step(3.4f, 3.7f, p.x + .3f * p.z + 2.2f);
        const V3f stone = V3f(.155f, .150f, .142f) * (.6f + .8f * n),
                  water = V3f(.10f, .135f, .15f) * (.6f + .9f * cloud(p * 3.f));
        const float fog = step(-.10f, 0.f, d.y);
        return (stone * (1.f - edge) + water * edge) * (1.f - fog) + V3f(.40f, .42f, .44f) * fog;
    });
}

Status write_studio(const std::string& file) {
    struct SoftBox {
        float azimuth, elevation, half_width, half_height, light;
        V3f color;
    };
    const SoftBox boxes[] = {{52.f, 38.f, 26.f, 20.f, 9.5f, {1.f, .97f, .93f}},
                             {-68.f, 22.f, 12.f, 34.f, 4.2f, {.90f, .95f, 1.f}},
                             {172.f, 30.f, 34.f, 9.f, 5.0f, {1.f, 1.f, 1.f}},
                             {-10.f, 82.f, 30.f, 7.f, 3.2f, {1.f, .98f, .95f}},
                             {118.f, 8.f, 4.f, 36.f, 3.0f, {1.f, .96f, .9f}}};
    return write(file, [&](const V3f& d) {
        V3f c = V3f(.050f, .052f, .056f) * (1.f + .8f * d.y) + V3f(.05f) * step(.3f, -.6f, d.y);
        for (const SoftBox& b : boxes) {
            const float az = radians(b.azimuth), el = radians(b.elevation);
            const V3f axis(std::cos(el) * std::sin(az), std::sin(el), std::cos(el) * std::cos(az));
            const float facing = d.dot(axis);
            if (facing <= 0.f) continue;
            const V3f side = V3f(0, 1, 0).cross(axis).normalized(), up = axis.cross(side);
            const float x = d.dot(side) / facing / std::tan(radians(b.half_width)),
                        y = d.dot(up) / facing / std::tan(radians(b.half_height));
            const float inside = step(1.f, .96f, std::fabs(x)) * step(1.f, .96f, std::fabs(y));
            // Cloth over a lamp: brighter in the middle, seams of the frame just visible.
            const float cloth = (.72f + .42f * std::exp(-1.6f * (x * x + y * y))) *
                                (1.f - .06f * step(.985f, 1.f, std::max(std::fabs(std::cos(x * 3.14159f)), 0.f)));
            c += b.color * (b.light * inside * cloth);
        }
        return c;
    });
}

}  // namespace vemtra::demo
