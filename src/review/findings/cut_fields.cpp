// Fields whose samples came to the end of their memory before the form's detail did.
#include "render/borders.h"
#include "review/finding.h"

namespace vemtra::review {

void find_cut_fields(Look& look) {
    if (!look.prepared.fields) return;
    const auto& all = look.prepared.fields->all();
    for (size_t i = 0; i < all.size() && i < look.prepared.resources.fields.size(); ++i) {
        if (!all[i] || !all[i]->cut) continue;
        const nodes::FieldRequest& request = look.prepared.resources.fields[i];
        const scene::BuildUp* b = scene::find(look.prepared.scene->build_ups, request.build_up);
        const std::string megabytes = std::to_string((all[i]->bytes() + (1 << 19)) >> 20);
        look.tell(
            Grade::hint,
            {"A field has less detail than the form", "", (b ? b->name : request.build_up) + " / " + request.field,
             "its samples between the mesh's points came to the end of their memory (" + megabytes + " MB)",
             "Let it look less far, or give the part a finer mesh where the mask needs it"});
    }
    for (const nodes::BorderRequest& request : look.prepared.resources.borders) {
        if (!render::is_cut(look.prepared, request)) continue;
        const scene::BuildUp* b = scene::find(look.prepared.scene->build_ups, request.build_up);
        look.tell(
            Grade::hint,
            {"A mask whose border is asked for has less detail than the picture", "", b ? b->name : request.build_up,
             "it is computed at " + std::to_string(render::most_border_points / 1000000) +
                 " million points of a part at most, and of all parts together " +
                 std::to_string(render::borders_in_full_detail * render::most_border_points / 1000000) +
                 "; the camera is nearer than that",
             "Look from farther off, or split the part: what is finer than those points is missed"});
    }
}

}  // namespace vemtra::review
