// Masks computed over a whole form, so that programs read how far their borders are (nodes::BorderRequest).
#pragma once
#include <optional>

#include "render/prepared.h"

namespace vemtra::render {

/// Points over a part at which a mask is asked: for the first picture, and as many as there may be.
inline constexpr size_t first_border_points = 100000, most_border_points = 4000000;
/// All parts and requests have no more together than so many parts may have each.
inline constexpr size_t borders_in_full = 12, borders_in_full_detail = 4;

/// How closely borders are looked at: at a sixteenth of the points of a first picture, as that, or as finely as the
/// camera can tell.
enum class BorderLook { glance, first, whole };

/// Answers one of the requests of `p.resources`. Forms are those of `forms`, before heights move them; the same
/// instances as p's. `final` becomes false where the camera could tell a closer look. `fields`: what the mask may read,
/// of the same resources. Nothing if stopped.
std::optional<geometry::PartBorders> find_border(const Prepared& p, const geometry::Geometry& forms, Workshop& workshop,
                                                 const nodes::BorderRequest& request, BorderLook look,
                                                 const geometry::Fields& fields, bool& final, Progress* progress);

/// Whether there may be fewer points than the camera can tell, on some part that wears it.
bool is_cut(const Prepared& p, const nodes::BorderRequest& request);

/// Of all that programs with these needs read at the places of a part, in this run or another, but for what the
/// programs themselves are: its form and where it stands, the texels, fields and borders by what is in them. Null
/// fields: there are none.
uint64_t content_read(const Prepared& p, const geometry::Instance& part, uint32_t instance,
                      const nodes::Resources& needs, const geometry::Fields* fields);

/// Of what is painted on the scene's paintings that `resources` reads.
uint64_t painted(const scene::Scene& scene, const nodes::Resources& resources);

}  // namespace vemtra::render
