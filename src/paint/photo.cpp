// A picture that is brushed through: where a point of the view lies in it, and what is there.
#include "base/vec.h"
#include "paint/stroke.h"

namespace vemtra::paint {

// The map of a unit square to a quadrilateral, turned round (Heckbert 1989, "Fundamentals of Texture Mapping and Image
// Warping", 2.2.3).
bool Photo::place(V2f p, V2f& at) const {
    const V2f& a = corners[0];
    const V2f& b = corners[1];
    const V2f& c = corners[2];
    const V2f& d = corners[3];
    const double sx = double(a.x) - b.x + c.x - d.x;
    const double sy = double(a.y) - b.y + c.y - d.y;
    const double dx1 = double(b.x) - c.x;
    const double dx2 = double(d.x) - c.x;
    const double dy1 = double(b.y) - c.y;
    const double dy2 = double(d.y) - c.y;
    const double det = dx1 * dy2 - dx2 * dy1;
    if (!(std::fabs(det) > 1e-9)) return false;
    const double g = (sx * dy2 - dx2 * sy) / det;
    const double h = (dx1 * sy - sx * dy1) / det;
    const double m[3][3] = {
        {b.x - a.x + g * b.x, d.x - a.x + h * d.x, a.x}, {b.y - a.y + g * b.y, d.y - a.y + h * d.y, a.y}, {g, h, 1.}};
    // The inverse by cofactors, at (p, 1).
    const double u = (m[1][1] * m[2][2] - m[1][2] * m[2][1]) * p.x + (m[0][2] * m[2][1] - m[0][1] * m[2][2]) * p.y +
                     (m[0][1] * m[1][2] - m[0][2] * m[1][1]);
    const double v = (m[1][2] * m[2][0] - m[1][0] * m[2][2]) * p.x + (m[0][0] * m[2][2] - m[0][2] * m[2][0]) * p.y +
                     (m[0][2] * m[1][0] - m[0][0] * m[1][2]);
    const double w = (m[1][0] * m[2][1] - m[1][1] * m[2][0]) * p.x + (m[0][1] * m[2][0] - m[0][0] * m[2][1]) * p.y +
                     (m[0][0] * m[1][1] - m[0][1] * m[1][0]);
    if (!(std::fabs(w) > 1e-12)) return false;
    at = V2f(float(u / w), float(v / w));
    return at.x >= 0.f && at.x <= 1.f && at.y >= 0.f && at.y <= 1.f;
}

V3f Photo::read(V2f at, float& amount) const {
    const float x = at.x * float(width) - .5f;
    const float y = at.y * float(height) - .5f;
    const int ix = int(std::floor(x));
    const int iy = int(std::floor(y));
    auto index = [&](int i, int j) {
        return size_t(std::clamp(j, 0, height - 1)) * size_t(width) + size_t(std::clamp(i, 0, width - 1));
    };
    V3f color(0.f);
    float there = 0.f;
    for (int k = 0; k < 4; ++k) {
        const float w = (k & 1 ? x - float(ix) : 1.f - x + float(ix)) * (k & 2 ? y - float(iy) : 1.f - y + float(iy));
        const size_t i = index(ix + (k & 1), iy + (k >> 1));
        const float a = alpha.empty() ? 1.f : alpha[i];
        color += pixels[i] * (w * a);
        there += w * a;
    }
    amount = there;
    if (there > 1e-6f) color /= there;
    if (!as_mask) return color;
    const float light = linear_to_srgb(clamp01(luminance(color)));
    const float level = clamp01((light - black) / std::max(1e-4f, white - black));
    amount *= inverse ? 1.f - level : level;
    return color;
}

}  // namespace vemtra::paint
