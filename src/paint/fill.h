// Painting without a hand: faces filled as a whole, and what is done to all of a painting.
#pragma once
#include <functional>

#include "paint/stroke.h"

namespace vemtra::paint {

enum class FillWhat : uint8_t { part, island, faces };

/// Faces of one instance.
struct FaceSet {
    uint32_t instance = 0;
    std::vector<char> faces;  ///< per face; empty: all of them
};
/// What is meant by a place of the form: all of its part, the island of the UVs that it lies in, or the faces around it
/// that are reached over edges which turn by less than `degrees`.
FaceSet faces_at(const render::Prepared& prepared, const geometry::Place& at, FillWhat what, float degrees = 30.f);

/// The painting with those faces painted (or, by the brush's mode, erased) by its opacity.
scene::Painting filled(const Canvas& canvas, const scene::Painting& before, const FaceSet& faces, const Brush& brush,
                       V3f ink, Progress* progress = nullptr);

/// All painted values, by what `change` makes of a value (each component alone); coverage stays.
scene::Painting changed(const scene::Painting& before, const std::function<float(float)>& change);
/// All sheets at another size; `canvas` null: without what it knows of the islands.
scene::Painting resampled(const scene::Painting& before, int size, const Canvas* canvas);

}  // namespace vemtra::paint
