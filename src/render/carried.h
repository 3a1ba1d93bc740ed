// A picture carried over to a camera that has moved: what a pixel sees now is looked up where it was seen before, and a
// coarse picture made anew brings the light up to date, so that highlights wander. (Walter, Drettakis, Parker 1999,
// "Interactive Rendering using the Render Cache"; here backwards, from the new pixels to the old ones.) It only bridges
// the time until there is a picture of the new camera's own.
#pragma once
#include <optional>

#include "render/prepared.h"

namespace vemtra::render {

/// What the middles of a picture's pixels meet first. The lights, and what is seen through clear bodies, are not asked.
struct SeenPlaces {
    static constexpr uint32_t nothing = ~0u;
    struct Pixel {
        V3f place;  ///< in the world; where nothing is met, the direction
        V3f normal;
        uint32_t instance = nothing;  ///< nothing - 1: the stage
    };
    int width = 0, height = 0;
    scene::Camera camera;
    float framed = 0.f;  ///< see Pinhole
    std::vector<Pixel> pixels;
    std::vector<uint8_t> edges;  ///< per pixel: another form is right beside it, whose colour it may have a part of
    size_t bytes() const { return pixels.capacity() * sizeof(Pixel) + edges.capacity(); }
};
/// Nothing where it was stopped.
std::optional<SeenPlaces> seen_places(const Prepared& prepared, int width, int height,
                                      const std::atomic<bool>* stop = nullptr);

/// A picture of what `SeenPlaces` of its size tell.
struct CarriedPicture {
    enum Known : uint8_t {
        hidden,  ///< or out of sight before: black
        seen,
        guessed,  ///< from pixels that show other forms as well
    };
    std::vector<V3f> linear;
    std::vector<uint8_t> known;  ///< empty: all is seen
};
/// `picture`: of `before`. What is guessed in it is not taken.
CarriedPicture carried_over(const SeenPlaces& before, const CarriedPicture& picture, const SeenPlaces& now);
/// What the second one, of the same size, knows better is taken from it.
void complete(CarriedPicture& picture, const CarriedPicture& other);

/// A picture and its size in pixels.
struct Pixels {
    int width = 0, height = 0;
    std::vector<V3f> linear;
};
/// In fewer pixels: each the mean of those that it covers.
Pixels made_smaller(const Pixels& picture, int width, int height);

/// Gives a carried picture the light of a new one of the same sight, in which every pixel is as bright in the mean as
/// those that it covers are to be. What is hidden gets its colour from `fine`, another such picture.
void bring_up_to_date(CarriedPicture& picture, const SeenPlaces& now, const Pixels& light, const Pixels& fine);

}  // namespace vemtra::render
