// What the picture shows: one row per view. Menus, command line, display and the renderer read the table.
#pragma once
#include <string>
#include <vector>

#include "geometry/shape.h"

namespace vemtra::render {

/// In the order of views(). `node` shows the output of a node, unlit.
enum class View : uint8_t { beauty, clay, coverage, normal, depth, uv, node };

/// What a view of the first hit may look at.
struct FirstHit {
    const geometry::SurfacePoint& s;  ///< normals face the eye
    V3f to_eye;
    float distance = 0.f;              ///< metres
    float nearest = 0.f, depth = 1.f;  ///< of the scene as the camera sees it: where it begins, how deep it is, metres
    int layer = -1;                    ///< that stands here; only where the view asks for it
    /// A little light from the eye, so that form is seen.
    float facing() const { return .55f + .45f * std::fabs(s.normal.dot(to_eye)); }
};

struct ViewKind {
    View view;
    const char* name;   ///< in files and on the command line
    const char* title;  ///< on the screen; & marks the letter
    const char* key;    ///< empty: none
    bool lit;  ///< light is gathered: it is exposed, tone mapped and smoothed. Else its numbers are shown as they are
    float rays_per_pixel;  ///< about, for planning the first picture
    /// The colour of the first hit; null: the view is rendered by a walk of its own.
    V3f (*color)(const FirstHit&);
    bool asks_layer;  ///< FirstHit::layer is wanted
};
const std::vector<ViewKind>& views();
const ViewKind& info(View view);
bool view_from_name(const std::string& name, View& view);
inline const char* view_name(View view) {
    return info(view).name;
}
/// "beauty, clay, ... or node": for sentences.
std::string view_names();

/// The distinct colour that the coverage view gives a layer, linear.
V3f coverage_color(int layer);

}  // namespace vemtra::render
