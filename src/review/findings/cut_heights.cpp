// Computed heights whose points came to their end before the picture's detail did.
#include "render/relief.h"
#include "review/finding.h"

namespace vemtra::review {

void find_cut_heights(Look& look) {
    const render::Prepared& p = look.prepared;
    if (p.cut_heights.empty()) return;
    const size_t first = p.cut_heights.front();
    std::string where = "part " + (first < p.parts.size() ? p.parts[first]->name : std::to_string(first));
    if (p.cut_heights.size() > 1) where += " and " + std::to_string(p.cut_heights.size() - 1) + " more";
    const int points = p.scene->render.relief_points;
    look.tell(Grade::hint,
              {"Heights have less detail than the picture", "", where,
               "they are computed at " + std::to_string(points) + " million points of a part at most, and at " +
                   std::to_string(size_t(points) * render::parts_in_full_detail) + " million of all parts",
               "Allow more relief points with the picture's settings, or look from farther off"});
}

}  // namespace vemtra::review
