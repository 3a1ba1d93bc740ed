// What is odd about a part's UVs, told before maps are painted or baked on them.
#include <cmath>
#include <set>
#include "review/finding.h"

#include "review/findings/uvs.h"

namespace vemtra::review {

std::vector<Error> uv_findings(const geometry::UvReport& r, const std::string& part) {
    std::vector<Error> out;
    const std::string place = "part " + part;
    auto percent = [](float share) { return std::to_string(std::max(1, int(std::lround(share * 100.f)))) + " %"; };
    auto number = [](float x) {
        char text[24];
        std::snprintf(text, sizeof text, "%.1f", double(x));
        return std::string(text);
    };
    auto tell = [&](const char* what, const std::string& why, const char* remedy) {
        out.push_back({what, "", place, why, remedy});
    };
    if (r.missing) return out;  // no error: noises and projections need none; no_uvs.cpp looks at who does
    if (r.no_area > .01f)
        tell("UVs have no area", percent(r.no_area) + " of the triangles", "Unwrap them; maps are one colour there");
    if (r.overlapping > .005f)
        tell("UVs overlap", percent(r.overlapping) + " of the used area belongs to two places",
             "Harmless for repeating maps; paint and bakes would show twice");
    if (r.flipped > .005f && r.flipped < .995f)
        tell("UV islands are flipped", percent(r.flipped) + " of the surface is mirrored against the rest",
             "Text reads backwards there; turn the islands over");
    if (r.outside > .002f)
        tell("UVs lie outside of the tiles", percent(r.outside) + " of the surface",
             "Move them into the tiles 1001 to 1999; below zero no tile can have a number");
    if (r.stretch > 4.f)
        tell("UVs are stretched", "a tenth of the surface is " + number(r.stretch) + " times as long as wide, or more",
             "Relax them, or use a projection");
    if (r.density_spread > 6.f)
        tell("UV density differs",
             "the densest tenth has " + number(r.density_spread) + " times the texels per metre of the loosest",
             "Scale the islands alike, or the maps look coarse in places");
    return out;
}

void find_uvs(Look& look) {
    std::set<std::pair<const geometry::Shape*, std::string>> told;  // copies of a part share their UVs
    for (size_t i = 0; i < look.prepared.parts.size(); ++i) {
        const auto& shape = look.prepared.geometry->instances()[i].shape;
        if (!told.emplace(shape.get(), look.prepared.parts[i]->source).second) continue;
        for (const Error& e : uv_findings(look.remembered.uvs(shape), look.prepared.parts[i]->name))
            look.tell(Grade::hint, e);
    }
}

}  // namespace vemtra::review
