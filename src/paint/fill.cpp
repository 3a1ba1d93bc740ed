#include "paint/fill.h"

#include <bit>
#include <cstring>
#include <unordered_map>

#include "base/parallel.h"
#include "geometry/places.h"

namespace vemtra::paint {

FaceSet faces_at(const render::Prepared& p, const geometry::Place& at, FillWhat what, float degrees) {
    FaceSet set;
    set.instance = at.instance;
    if (what == FillWhat::part) return set;
    const geometry::Mesh& mesh = p.geometry->shape(at.instance).faces_as_triangles();
    if (at.face >= mesh.triangles()) return set;
    const bool island = what == FillWhat::island;
    const std::vector<uint32_t> places = geometry::first_at_place(mesh);
    // Of an island two corners are the same where their place and their UVs are.
    std::unordered_map<uint64_t, uint32_t> corner;
    std::vector<uint32_t> ids(mesh.positions.size());
    for (uint32_t i = 0; i < ids.size(); ++i) {
        if (!island || mesh.uvs.empty()) {
            ids[i] = places[i];
            continue;
        }
        const uint64_t uv =
            uint64_t(__builtin_bit_cast(uint32_t, mesh.uvs[i].x)) << 32 | __builtin_bit_cast(uint32_t, mesh.uvs[i].y);
        ids[i] = corner.try_emplace(uv * 0x9e3779b97f4a7c15ull ^ places[i], i).first->second;
    }
    const auto beside = geometry::faces_beside(mesh, ids);
    auto normal = [&](uint32_t f) {
        const uint32_t* c = &mesh.indices[3 * size_t(f)];
        return (mesh.positions[c[1]] - mesh.positions[c[0]])
            .cross(mesh.positions[c[2]] - mesh.positions[c[0]])
            .normalized();
    };
    const float limit = std::cos(radians(std::clamp(degrees, 0.f, 180.f)));
    set.faces.assign(mesh.triangles(), 0);
    std::vector<uint32_t> open{at.face};
    set.faces[at.face] = 1;
    while (!open.empty()) {
        const uint32_t f = open.back();
        open.pop_back();
        for (const int n : beside[f]) {
            if (n < 0 || set.faces[size_t(n)]) continue;
            if (!island && normal(f).dot(normal(uint32_t(n))) < limit) continue;
            set.faces[size_t(n)] = 1;
            open.push_back(uint32_t(n));
        }
    }
    return set;
}

scene::Painting filled(const Canvas& canvas, const scene::Painting& before, const FaceSet& set, const Brush& brush,
                       V3f ink, Progress* progress) {
    scene::Painting out = before;
    const int lanes = before.lanes();
    if (!finite(ink)) ink = V3f(0.f);
    const float a = clamp01(brush.opacity);
    const bool erases = brush.mode == Mode::erase;
    for (const Canvas::SheetPlace& place : canvas.sheets()) {
        if (std::none_of(place.uvs.begin(), place.uvs.end(),
                         [&](const FaceUvs& u) { return u.instance == set.instance; }))
            continue;
        scene::Sheet* sheet = nullptr;
        for (scene::Sheet& s : out.sheets)
            if (s.tile == place.tile) sheet = &s;
        if (!sheet) {
            out.sheets.push_back({place.tile, Canvas::size_of(place, before), place.part, nullptr, {}});
            sheet = &out.sheets.back();
        }
        const auto layout = canvas.layout(place, sheet->size);
        scene::TexelsEdit edit(sheet->texels ? sheet->texels : scene::Texels::blank(sheet->size, lanes));
        std::vector<std::pair<int, int>> tiles;
        for (int y = 0; y < layout->across(); ++y)
            for (int x = 0; x < layout->across(); ++x)
                if (!layout->bounds(x, y).isEmpty()) tiles.emplace_back(x, y);
        // A band of tiles at a time: what is laid out is not kept for all of them.
        constexpr size_t band = 64;
        for (size_t first = 0; first < tiles.size(); first += band) {
            if (stopped(progress)) return before;
            report(progress, float(first) / float(tiles.size()));
            const size_t n = std::min(band, tiles.size() - first);
            std::vector<scene::TexelCover::Rows> wanted(n);
            parallel_ranges(n, 1, [&](size_t from, size_t to) {
                for (size_t i = from; i < to; ++i) {
                    wanted[i].fill(0);
                    const auto laid = layout->tile(tiles[first + i].first, tiles[first + i].second);
                    for (const auto& leaf : laid->leaves)
                        for (size_t y = 0; y < edge; ++y)
                            for (uint64_t row = leaf->rows[y]; row; row &= row - 1) {
                                const size_t t = y * edge + size_t(std::countr_zero(row));
                                const Patch& at = leaf->patch_of(int(t));
                                if (at.instance == set.instance && (set.faces.empty() || set.faces[at.face]))
                                    wanted[i][y] |= row & (~row + 1);
                            }
                }
            });
            for (size_t i = 0; i < n; ++i) {
                bool any = false;
                for (const uint64_t row : wanted[i]) any |= row != 0;
                if (!any) continue;
                uint16_t* texels = edit.tile(tiles[first + i].first, tiles[first + i].second);
                for (size_t y = 0; y < edge; ++y)
                    for (uint64_t row = wanted[i][y]; row; row &= row - 1) {
                        uint16_t* t = texels + (y * edge + size_t(std::countr_zero(row))) * size_t(lanes);
                        for (int c = 0; c < lanes; ++c) {
                            const float full = erases ? 0.f : c == lanes - 1 ? 1.f : ink[c];
                            t[c] = scene::float_to_half(scene::half_to_float(t[c]) * (1.f - a) + full * a);
                        }
                    }
            }
        }
        sheet->texels = edit.done(layout.get());
    }
    return out;
}

scene::Painting changed(const scene::Painting& before, const std::function<float(float)>& change) {
    scene::Painting out = before;
    for (scene::Sheet& s : out.sheets) {
        if (!s.texels) continue;
        scene::TexelsEdit edit(s.texels);
        const size_t lanes = size_t(s.texels->lanes());
        s.texels->for_each([&](int level, int x, int y, const scene::TexelTile& tile) {
            auto next = std::make_shared<uint16_t[]>(s.texels->halves());
            for (size_t i = 0; i < s.texels->halves(); i += lanes) {
                const float cover = scene::half_to_float(tile[i + lanes - 1]);
                next[i + lanes - 1] = tile[i + lanes - 1];
                for (size_t c = 0; c + 1 < lanes; ++c)
                    next[i + c] = cover > 1e-4f
                                      ? scene::float_to_half(change(scene::half_to_float(tile[i + c]) / cover) * cover)
                                      : tile[i + c];
            }
            edit.put(level, x, y, std::move(next));
        });
        s.texels = edit.done();
    }
    return out;
}

scene::Painting resampled(const scene::Painting& before, int size, const Canvas* canvas) {
    scene::Painting out = before;
    out.size = size;
    for (scene::Sheet& s : out.sheets) {
        s.size = size;
        if (!s.texels) continue;
        std::shared_ptr<const SheetLayout> layout;
        if (canvas)
            for (const Canvas::SheetPlace& place : canvas->sheets())
                if (place.tile == s.tile) layout = canvas->layout(place, size);
        s.texels = scene::resampled(*s.texels, size, layout.get());
        s.size = s.texels->size();
    }
    return out;
}

}  // namespace vemtra::paint
