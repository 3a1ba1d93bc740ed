// Where parts and assets stand, and how hands move them: every change ends in an edit of a scene::Placement.
#pragma once
#include <functional>

#include "scene/scene.h"

namespace vemtra::app {

class Workbench;

class Arranging {
public:
    explicit Arranging(Workbench& bench) : bench_(bench) {}

    /// Whether parts are being placed: handles in the picture, their rows in the detail panel.
    bool on() const { return on_; }
    void arrange(bool on);
    /// Whether the handles and rows are those of the selected part's asset.
    bool whole_asset() const { return whole_asset_; }
    void set_whole_asset(bool whole);
    enum class Snap : uint8_t { free, grid, stage, surface };
    Snap snap() const { return snap_; }  ///< what the knob in the picture holds to
    void set_snap(Snap snap);

    scene::Placement placement() const;  ///< of what is arranged; at rest where nothing is selected
    /// Edits that placement.
    void place(const std::string& label, const std::function<void(scene::Placement&)>& change,
               const std::string& merge_key = {});
    M44f standing() const;          ///< to_world of the selected part's instance in the last picture
    Box3f standing_bounds() const;  ///< in the world: of the part, or of the whole asset; empty where it does not show
    V3f standing_pivot() const;     ///< in the world: what its placement turns and scales about
    /// Moves what is arranged in the world, by this much.
    void move_by(const V3f& world, const std::string& label, const std::string& merge_key);
    /// Turns it in the world about its pivot: axis of unit length, angle in degrees.
    void turn_by(const V3f& axis, float degrees, const std::string& merge_key);
    void sit_down();        ///< its lowest point comes to lie on the stage
    void duplicate_part();  ///< another instance of it, beside it
    void remove_part();

private:
    Workbench& bench_;
    bool on_ = false, whole_asset_ = false;
    Snap snap_ = Snap::free;
};

}  // namespace vemtra::app
