#include "paint/sight.h"

#include <bit>

namespace vemtra::paint {
namespace {

/// Columns and rows 0, 2, 5 and 7: gaps of two texels at most, and the block's rim is seen.
constexpr uint64_t spread = 0xa500a50000a500a5ull;
constexpr float texels_a_pixel = 1.25f;  // from which on it is enough

/// The texels of a block in the rows of its leaf.
uint64_t of_rows(const scene::TexelCover::Rows& rows, int block) {
    uint64_t out = 0;
    for (size_t r = 0; r < 8; ++r) out |= (rows[size_t(block / 8) * 8 + r] >> (block % 8 * 8) & 0xff) << (8 * r);
    return out;
}

}  // namespace

Sight::Sight(std::shared_ptr<const render::Prepared> prepared, const View& view)
    : prepared_(std::move(prepared)), eye_(view.camera, view.width, view.height, view.framed) {
}

V3f Sight::place(const Leaf& leaf, int i) const {
    if (leaf.inside[size_t(i) / edge] >> (i % edge) & 1)
        return V3f(leaf.position[0][i], leaf.position[1][i], leaf.position[2][i]);
    return prepared_->geometry->at(leaf.place_on_face(i)).position;
}

uint64_t Sight::of_block(const Leaf& leaf, int block) const {
    const uint64_t there = of_rows(leaf.rows, block);
    const Box3f& box = leaf.blocks[size_t(block)];
    if (!there || box.isEmpty()) return 0;
    if (there != ~uint64_t(0) || of_rows(leaf.inside, block) != there) return ask(leaf, block, there);
    const float depth = (box.center() - eye_.origin).dot(eye_.forward);
    if (depth * eye_.pixel_angle < texels_a_pixel * leaf.texel) return ask(leaf, block, there);
    const uint64_t some = ask(leaf, block, spread);
    if (some == spread) return there;
    return some ? some | ask(leaf, block, there & ~spread) : 0;
}

uint64_t Sight::ask(const Leaf& leaf, int block, uint64_t texels) const {
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    context.flags = RTC_INTERSECT_CONTEXT_FLAG_COHERENT;
    uint64_t seen = 0;
    const int first = first_of_block(block);
    while (texels) {
        alignas(64) RTCRay16 rays;
        alignas(64) int valid[16];
        int bits[16];
        for (int k = 0; k < 16; ++k) {
            valid[k] = texels ? -1 : 0;
            bits[k] = texels ? std::countr_zero(texels) : bits[k - 1];
            texels &= texels - 1;
            const int i = first + bits[k] / 8 * edge + bits[k] % 8;
            const V3f p = place(leaf, i);
            const V3f to_eye = eye_.origin - p;
            const float distance = to_eye.length();
            V3f normal(leaf.normal[0][i], leaf.normal[1][i], leaf.normal[2][i]);
            if (normal.dot(to_eye) < 0.f) normal = -normal;
            geometry::set_ray(rays, k, p + normal * (.75f * leaf.texel), to_eye / distance, distance * .999f);
        }
        rtcOccluded16(valid, prepared_->geometry->scene(), &context, &rays);
        for (int k = 0; k < 16; ++k)
            if (valid[k] && !(rays.tfar[k] < 0.f)) seen |= uint64_t(1) << bits[k];
    }
    return seen;
}

}  // namespace vemtra::paint
