// What a hand paints with, and how its way over the picture becomes single impressions (dabs) on the form.
#pragma once
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "render/visible_points.h"

namespace vemtra::paint {

/// A greyscale picture that a brush presses on: white is all, black is nothing. Square, row 0 on top.
class Tip {
public:
    Tip(std::string name, int size, std::vector<float> values);
    const std::string& name() const { return name_; }
    int size() const { return levels_[0].size; }
    /// At (x, y) in -1..1 (y up), averaged over `width` of it; 0 outside.
    float at(float x, float y, float width) const;
    float texel(int x, int y) const { return levels_[0].values[size_t(y) * size_t(levels_[0].size) + size_t(x)]; }

private:
    struct Level {
        int size;
        std::vector<float> values;
    };
    std::string name_;
    std::vector<Level> levels_;
};

enum class Mode : uint8_t { paint, erase, smudge, blur };
enum class Turning : uint8_t { fixed, along, random };

struct Brush {
    std::string id, name;
    Mode mode = Mode::paint;
    float size = 60.f;      ///< diameter: pixels of the view, or metres
    bool in_scene = false;  ///< size is in metres
    float hardness = .5f;   ///< 0..1: share of the radius up to which a round tip is whole
    float flow = .6f;       ///< 0..1: what one dab adds
    float opacity = 1.f;    ///< 0..1: what the stroke adds at most
    float spacing = .15f;   ///< between dabs, in diameters, .01..4
    Turning turning = Turning::fixed;
    float angle = 0.f;        ///< degrees
    float roundness = 1.f;    ///< height over width, .05..1
    float jitter_size = 0.f;  ///< 0..1, each: how much dabs differ by chance
    float jitter_angle = 0.f, jitter_place = 0.f, jitter_flow = 0.f;
    float smoothing = .3f;  ///< 0..1: how far the brush lags behind the hand, in diameters
    bool pressure_size = false, pressure_flow = true;
    bool tilt_turns = false;  ///< the pen's tilt gives the angle
    float steep = 110.f;      ///< degrees: what is turned away from the brush more than that is left alone
    bool through = false;     ///< also what cannot be seen
    int mirrored = 0;         ///< axes of the world across which each dab is mirrored: 1 x, 2 y, 4 z, added
    std::vector<std::shared_ptr<const Tip>> tips;  ///< one of them for each dab; none: a round one
};

/// What the hand does at a moment. Numbers that are none are taken as not said.
struct HandSample {
    float x = 0.f, y = 0.f;            ///< pixels of the view
    float pressure = 1.f;              ///< 0..1
    float tilt_x = 0.f, tilt_y = 0.f;  ///< degrees
};

/// One impression, in the world.
struct Dab {
    V3f centre{0.f}, axis{0, 1, 0}, across{1, 0, 0};  ///< unit; across is the tip's x
    float radius = .01f;                              ///< metres
    float roundness = 1.f, hardness = .5f, flow = 1.f;
    bool mirrored = false;     ///< the tip's x goes the other way
    bool behind = false;       ///< the surface is met from its inner side
    const Tip* tip = nullptr;  ///< null: round
    float steep = 110.f;
};

/// The view that is painted in.
struct View {
    scene::Camera camera;
    int width = 1, height = 1;  ///< pixels
    float framed = 0.f;         ///< as render::Pinhole
};

/// The dabs of one stroke, as the hand moves. The same samples give the same dabs.
class Hand {
public:
    Hand(std::shared_ptr<const render::Prepared> prepared, View view, Brush brush, uint32_t seed);
    /// The first sample makes a dab at once.
    std::vector<Dab> move(const HandSample& sample);
    /// The brush comes up with the hand.
    std::vector<Dab> end();
    /// One dab here; nothing where there is no surface. `towards`: along the stroke, in pixels.
    std::optional<Dab> dab_at(const HandSample& sample, V2f towards);
    /// Of a dab in the middle of the last one, metres; 0 before there was one.
    float radius() const { return last_radius_; }

private:
    void go_to(const HandSample& to, std::vector<Dab>& out);
    float random();
    std::shared_ptr<const render::Prepared> prepared_;
    View view_;
    Brush brush_;
    uint32_t seed_;
    uint32_t count_ = 0;
    bool begun_ = false;
    HandSample last_, hand_;
    V2f towards_{1.f, 0.f};
    float left_ = 0.f, last_radius_ = 0.f, pixel_radius_ = 1.f;
};

/// The dabs that a dab gives by the brush's mirrors, itself first.
std::vector<Dab> mirrored(const Dab& dab, int axes);

}  // namespace vemtra::paint
