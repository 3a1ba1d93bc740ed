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
    int layer = -1;  ///< that stands here, by its place in its build-up; only where the view asks for it
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

/// Draws lines over what is true black, rising, and true white, falling, of a picture of numbers as it is shown: `bgra`
/// is `enlarge` times as wide and high as `numbers`, of which `width` are a row.
void hatch_ends(const std::vector<V3f>& numbers, int width, int enlarge, std::vector<uint8_t>& bgra);

/// The distinct colour that the coverage view gives a layer by its place in its build-up, linear; grey below 0. The
/// hues are those of Okabe and Ito 2008, "Color Universal Design", which keep apart for eyes that see fewer colours;
/// after each round they come darker, then paler.
V3f coverage_color(int layer);
/// What it is called: "orange", "dark orange".
std::string coverage_color_name(int layer);

}  // namespace vemtra::render
