#include "paint/carry.h"

#include <bit>

#include "base/parallel.h"
#include "geometry/nearest.h"

namespace vemtra::paint {
namespace {

/// Reads a painting where it lies, bilinear, at the mip level that is as coarse as the texels that are written.
class Source {
public:
    explicit Source(const Carried& what) : painting_(*what.painting) {
        for (const Canvas::SheetPlace& place : what.from->sheets())
            for (const FaceUvs& uvs : place.uvs) uvs_.emplace(uvs.instance, &uvs);
    }
    int lowest_tile(const std::vector<uint32_t>& parts, const Canvas& canvas) const {
        for (const Canvas::SheetPlace& place : canvas.sheets())  // by tile
            for (const FaceUvs& uvs : place.uvs)
                if (std::find(parts.begin(), parts.end(), uvs.instance) != parts.end()) return place.tile;
        return 1001;
    }
    /// Where the place lies in the UVs; false where it lies nowhere.
    bool uv_of(const geometry::Place& at, V2f& uv) const {
        const auto it = uvs_.find(at.instance);
        if (it == uvs_.end()) return false;
        const FaceUvs& f = *it->second;
        uv = f.corner(at.face, 0) * (1.f - at.u - at.v) + f.corner(at.face, 1) * at.u + f.corner(at.face, 2) * at.v;
        return true;
    }
    /// `size`: texels a side of what is written.
    void read(const V2f& uv, int size, float out[4]) const {
        std::fill_n(out, 4, 0.f);
        if (!(uv.x >= 0.f && uv.x < 10.f && uv.y >= 0.f && uv.y < 100.f)) return;
        const int u = int(uv.x);
        const int v = int(uv.y);
        const scene::Sheet* sheet = painting_.sheet(1001 + u + 10 * v);
        if (!sheet || !sheet->texels) return;
        const scene::Texels& t = *sheet->texels;
        const int coarser = t.size() > size ? std::bit_width(unsigned(t.size() / size)) - 1 : 0;
        const int level = std::min(coarser, t.levels() - 1);
        const int across = t.size(level);
        const float x = (uv.x - float(u)) * float(across) - .5f;
        const float y = (1.f - (uv.y - float(v))) * float(across) - .5f;
        const int x0 = int(std::floor(x));
        const int y0 = int(std::floor(y));
        for (int k = 0; k < 4; ++k) {
            const float fx = x - float(x0);
            const float fy = y - float(y0);
            const float weight = (k & 1 ? fx : 1.f - fx) * (k & 2 ? fy : 1.f - fy);
            const int tx = std::clamp(x0 + (k & 1), 0, across - 1);
            const int ty = std::clamp(y0 + (k >> 1), 0, across - 1);
            const scene::TexelTile& tile = t.tile(level, tx / edge, ty / edge);
            if (!tile || weight <= 0.f) continue;
            const uint16_t* from = tile.get() + size_t((ty % edge) * edge + tx % edge) * size_t(t.lanes());
            for (int c = 0; c < t.lanes(); ++c) out[c] += weight * scene::half_to_float(from[c]);
        }
    }

private:
    const scene::Painting& painting_;
    std::unordered_map<uint32_t, const FaceUvs*> uvs_;
};

}  // namespace

scene::Painting carried(const Carried& what, const Canvas& to, const scene::Painting& into, Progress* progress) {
    scene::Painting out = into;
    const int lanes = into.lanes();
    if (what.painting->lanes() != lanes) return out;
    const Source source(what);
    std::unique_ptr<geometry::Nearest> nearest;
    if (what.by == CarryBy::place)
        nearest = std::make_unique<geometry::Nearest>(*what.from->prepared()->geometry, what.from_parts);
    const int tile_step = what.by == CarryBy::uv
                              ? source.lowest_tile(what.from_parts, *what.from) - source.lowest_tile(what.to_parts, to)
                              : 0;
    auto meant = [&](uint32_t instance) {
        return std::find(what.to_parts.begin(), what.to_parts.end(), instance) != what.to_parts.end();
    };
    size_t place_count = 0;
    for (const Canvas::SheetPlace& place : to.sheets()) {
        ++place_count;
        if (std::none_of(place.uvs.begin(), place.uvs.end(), [&](const FaceUvs& u) { return meant(u.instance); }))
            continue;
        const auto old = std::find_if(out.sheets.begin(), out.sheets.end(),
                                      [&](const scene::Sheet& s) { return s.tile == place.tile; });
        const int size = Canvas::size_of(place, into);
        const auto layout = to.layout(place, size);
        scene::TexelsEdit edit(old != out.sheets.end() && old->texels ? old->texels
                                                                      : scene::Texels::blank(size, lanes));
        std::mutex writing;  // tiles are found by several threads, and taken out of the edit by one at a time
        const int across = layout->across();
        std::atomic<int> done{0};
        parallel_ranges(size_t(across) * size_t(across), 4, [&](size_t first, size_t last) {
            std::vector<float> values(size_t(texels_of_tile) * size_t(lanes));
            for (size_t i = first; i < last && !stopped(progress); ++i) {
                const int x = int(i) % across;
                const int y = int(i) / across;
                report(progress,
                       (float(place_count - 1) + float(++done) / float(across * across)) / float(to.sheets().size()));
                if (layout->bounds(x, y).isEmpty()) continue;
                const auto laid = layout->tile(x, y);
                scene::TexelCover::Rows rows{};
                bool any = false;
                bool blank = true;
                for (const auto& leaf : laid->leaves)
                    for (size_t row = 0; row < size_t(edge); ++row)
                        for (uint64_t bits = leaf->rows[row]; bits; bits &= bits - 1) {
                            const size_t t = row * size_t(edge) + size_t(std::countr_zero(bits));
                            if (!meant(leaf->patch_of(int(t)).instance)) continue;
                            rows[row] |= bits & (~bits + 1);
                            any = true;
                            V2f uv;
                            bool found = true;
                            if (nearest) {
                                auto of = [t](const float(&v)[3][texels_of_tile]) {
                                    return V3f(v[0][t], v[1][t], v[2][t]);
                                };
                                const auto at = nearest->at(of(leaf->position), of(leaf->normal), what.reach);
                                found = geometry::hit_something(at.place) && source.uv_of(at.place, uv);
                            } else {
                                const int tile = place.tile + tile_step - 1001;
                                const float texel = 1.f / float(size);
                                uv = V2f(float(tile % 10) + (float(int(x) * edge + int(t) % edge) + .5f) * texel,
                                         float(tile / 10) + 1.f - (float(int(y) * edge + int(t) / edge) + .5f) * texel);
                            }
                            float value[4] = {};
                            if (found) source.read(uv, size, value);
                            for (size_t c = 0; c < size_t(lanes); ++c) {
                                values[t * size_t(lanes) + c] = value[c];
                                blank &= value[c] == 0.f;
                            }
                        }
                if (!any) continue;
                std::lock_guard lock(writing);
                const bool was_there = edit.before().tile(0, x, y) != nullptr;
                if (blank && !was_there) continue;
                uint16_t* texels = edit.tile(x, y);
                for (size_t row = 0; row < size_t(edge); ++row)
                    for (uint64_t bits = rows[row]; bits; bits &= bits - 1) {
                        const size_t t = row * size_t(edge) + size_t(std::countr_zero(bits));
                        for (size_t c = 0; c < size_t(lanes); ++c)
                            texels[t * size_t(lanes) + c] = scene::float_to_half(values[t * size_t(lanes) + c]);
                    }
            }
        });
        if (stopped(progress)) return into;
        const auto texels = edit.done(layout.get());
        if (old != out.sheets.end()) {
            old->texels = texels;
        } else if (!texels->empty()) {
            out.sheets.push_back({place.tile, size, place.part, texels, {}});
        }
    }
    return out;
}

}  // namespace vemtra::paint
