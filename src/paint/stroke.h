// One stroke on a painting: dabs in, the painted texels out, as often as somebody wants to see them. What a stroke adds
// to a texel never exceeds its opacity, however often it passes; what was there before shows through by the rest.
#pragma once
#include <array>

#include "paint/brush.h"
#include "paint/canvas.h"
#include "paint/sight.h"
#include "program/compile.h"

namespace vemtra::paint {

/// A picture held before the view, to be brushed through onto the form.
struct Photo {
    int width = 0, height = 0;
    std::vector<V3f> pixels;   ///< linear Rec.709, row 0 on top
    std::vector<float> alpha;  ///< empty: all of it is there
    std::array<V2f, 4>
        corners;           ///< where its corners lie in the view: upper left, upper right, lower right, lower left
    bool as_mask = false;  ///< its lightness says how much of the ink is laid on; else its colour is the ink
    bool inverse = false;  ///< dark is much
    float black = 0.f, white = 1.f;  ///< lightness (of a display) that is nothing, and all
    /// From a point of the view into the picture, 0..1 across and down; false beside it.
    bool place(V2f view, V2f& at) const;
    /// Colour and how much of it is there, over `width` pixels of the picture.
    V3f read(V2f at, float& amount) const;
};

/// Where strokes may go.
struct Limits {
    bool through = false;                          ///< also where the camera does not see
    std::vector<V2f> outline;                      ///< in the view; only inside of it; empty: everywhere
    std::shared_ptr<const program::Program> mask;  ///< of one number: only as much as it says; null: everywhere
};

class Stroke {
public:
    /// `before`: as it is before the stroke. `ink`: a number in x where the painting is one of numbers.
    Stroke(std::shared_ptr<const Canvas> canvas, scene::Painting before, const Brush& brush, V3f ink, View view,
           Limits limits = {}, std::shared_ptr<const Photo> photo = nullptr);
    ~Stroke();

    /// Dabs wait until somebody wants to see what they have done: then each tile takes all of its own in one go. Those
    /// of brushes that rub are made at once.
    void dab(const Dab& dab);
    void dabs(const std::vector<Dab>& all) {
        for (const Dab& d : all) dab(d);
    }
    /// The painting as it is with the stroke so far.
    const scene::Painting& now();
    const scene::Painting& before() const { return before_; }
    /// What has changed since it was asked last, in the world; empty: nothing.
    Box3f changed();
    /// As if no dab had been made.
    void again();
    /// Of the last dab: texels of the painting across its radius; below about 2 it is finer than they are. Infinite
    /// before a dab has met any.
    float texels_across() { return make_dabs(), texels_across_; }
    size_t tiles() { return make_dabs(), tiles_.size(); }

private:
    struct Tile;
    Tile& tile_at(size_t sheet, int x, int y);
    std::vector<Tile*> met_by(const Dab& dab);
    void make_dabs();
    void allow(Tile& t, size_t leaf, uint64_t blocks, const float* shape, const Dab& dab);
    void limit(Tile& t, size_t leaf, const std::vector<int>& texels, std::vector<float>& allowed);
    void lay_on(Tile& t, const Dab& dab);
    void show(const Tile& t, const uint16_t* base, int lanes, uint16_t* out) const;
    void blend_photo(const Tile& t, size_t first, int lanes, float* row) const;
    void rub(const std::vector<Tile*>& hits, const Dab& dab);

    std::shared_ptr<const Canvas> canvas_;
    scene::Painting before_, now_;
    Brush brush_;
    V3f ink_;
    View view_;
    Limits limits_;
    std::shared_ptr<const Photo> photo_;
    Sight sight_;
    std::map<std::array<int, 3>, std::unique_ptr<Tile>> tiles_;  ///< sheet, x, y
    std::vector<Dab> waiting_;
    std::vector<std::shared_ptr<const SheetLayout>> layouts_;  ///< per sheet of the canvas, once it was met
    struct Carried;
    std::unique_ptr<Carried> carried_;  ///< what a smudging brush has on it
    Box3f changed_;
    float texels_across_ = __builtin_inff();
};

/// Whether a point lies within a closed outline (even-odd).
bool inside(const std::vector<V2f>& outline, V2f p);

}  // namespace vemtra::paint
