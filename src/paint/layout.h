// Where the texels of a sheet lie on the form: for each texel its place, position and normal in the world, a tile of
// 64 x 64 at a time, made when a hand comes near. Where two places of the form share a texel (overlapping UVs) there is
// one leaf for each. Around the islands a few texels more are laid out, on the plane of the nearest face, so that a
// stroke goes on beyond the seam as if it were not there.
#pragma once
#include <array>
#include <memory>
#include <mutex>
#include <unordered_map>

#include "render/prepared.h"
#include "scene/texels.h"

namespace vemtra::paint {

inline constexpr int edge = scene::texel_tile;
inline constexpr int texels_of_tile = edge * edge;
inline constexpr int gutter = 4;       ///< texels around an island that are painted with it
inline constexpr int most_leaves = 8;  ///< places that may share a texel

struct Weighing;

/// A face over the texels of a tile, on which the weights of its second and third corner are linear.
struct Patch {
    uint32_t instance, face;
    int x, y;                    ///< the texel of the tile that has `u` and `v`
    float u, v, ux, uy, vx, vy;  ///< there, and how they change from texel to texel
};

/// One place of the form per texel of a tile. Texels that it does not have are not set.
struct Leaf {
    scene::TexelCover::Rows rows{};    ///< the texels that it has, those of the gutter among them
    scene::TexelCover::Rows inside{};  ///< without the gutter
    alignas(64) float position[3][texels_of_tile];
    alignas(64) float normal[3][texels_of_tile];
    uint32_t patch[texels_of_tile];                     ///< which of `patches` a texel lies on
    std::shared_ptr<const std::vector<Patch>> patches;  ///< of the tile
    Box3f bounds;
    std::array<Box3f, 64> blocks;  ///< of its 8 x 8 blocks of 8 x 8 texels
    float texel = 0.f;             ///< metres that a texel is wide, in the mean
    const Patch& patch_of(int texel) const { return (*patches)[patch[texel]]; }
    /// Where on its face a texel lies; beyond its sides in the gutter.
    geometry::Place place(int texel) const {
        const Patch& p = patch_of(texel);
        const auto dx = float(texel % edge - p.x);
        const auto dy = float(texel / edge - p.y);
        return {p.instance, p.face, p.u + (p.ux * dx + p.uy * dy), p.v + (p.vx * dx + p.vy * dy)};
    }
    /// The same, on the face.
    geometry::Place place_on_face(int texel) const {
        geometry::Place at = place(texel);
        at.u = clamp01(at.u);
        at.v = std::clamp(at.v, 0.f, 1.f - at.u);
        return at;
    }
};
inline int block_of(int texel) {
    return texel / edge / 8 * 8 + texel % edge / 8;
}
inline int first_of_block(int block) {
    return block / 8 * 8 * edge + block % 8 * 8;
}
struct LaidTile {
    std::vector<std::unique_ptr<Leaf>> leaves;
};

/// The corners of the faces of an instance in UVs that lie on whole tiles: the mesh's own, or those of its charts.
struct FaceUvs {
    uint32_t instance = 0;
    const geometry::Mesh* mesh = nullptr;
    const std::vector<V2f>* charts = nullptr;  ///< three per face; null: the mesh's first set
    V2f shift{0.f};                            ///< added to them
    float moved = 0.f;                         ///< how far heights move a point of it at most, in metres
    V2f corner(uint32_t face, int k) const {
        return charts ? (*charts)[3 * size_t(face) + size_t(k)] + shift
                      : mesh->uvs[mesh->indices[3 * size_t(face) + size_t(k)]];
    }
};

class SheetLayout final : public scene::TexelCover {
public:
    /// `tile`: 1001 + u + 10 v. Keeps `prepared`. Stopped: it has nothing.
    SheetLayout(std::shared_ptr<const render::Prepared> prepared, std::vector<FaceUvs> uvs, int tile, int size,
                Progress* progress = nullptr);
    ~SheetLayout() override;

    int size() const { return size_; }
    int across() const { return across_; }
    const Rows* rows(int level, int x, int y) const override;
    /// In the world; empty where the tile has no texel of the form.
    const Box3f& bounds(int x, int y) const { return bounds_[size_t(y) * size_t(across_) + size_t(x)]; }
    const Box3f& bounds() const { return all_; }
    /// The tiles (y * across() + x) whose bounds a box meets, by number.
    std::vector<int> tiles_in(const Box3f& box) const;
    /// From any thread. Tiles that were not asked for lately are forgotten.
    std::shared_ptr<const LaidTile> tile(int x, int y) const;
    size_t bytes() const;

private:
    struct Face {
        uint32_t uvs, face;
    };
    struct Corner {
        double x, y;  ///< texels of the sheet
    };
    void corners(const Face& f, Corner out[3]) const;
    template <class F> void each_tile_of(const Corner c[3], F&& f) const;
    void sort_faces(Progress* progress);
    void cover_texels();
    void bound_tiles();
    void lay(LaidTile& out, int x, int y) const;
    struct Plane;
    struct Ground;
    bool lay_face(LaidTile& out, Ground& ground, const Face& face, const Corner c[3], const Weighing& weighing) const;
    static void spread(Leaf& leaf, const std::vector<Plane>& planes);
    void lay_gutter(Leaf& leaf, Ground& ground, int x, int y) const;
    void complete(Leaf& leaf) const;

    std::shared_ptr<const render::Prepared> prepared_;
    std::vector<FaceUvs> uvs_;
    int u0_, v0_, size_, across_;
    std::vector<uint32_t> first_;  ///< per tile: its first among `faces_`
    std::vector<Face> faces_;
    std::vector<std::vector<Rows>> cover_;  ///< per level and tile
    std::vector<Box3f> bounds_;
    std::vector<Box3f> group_bounds_;  ///< of 8 x 8 tiles each
    Box3f all_;
    struct Kept;
    std::unique_ptr<Kept> kept_;
};

}  // namespace vemtra::paint
