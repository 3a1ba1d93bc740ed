#include "review/finding.h"

#include <algorithm>

#include "scene/edits.h"

namespace vemtra::review {

namespace {
constexpr int64_t small_map = int64_t(1) << 20;  // texels: read whole, from the original
constexpr int coarse_map = 1024;                 // of larger ones that level is read, across
}  // namespace

// The register: one line per check.
void find_noticed(Look&);
void find_gates(Look&);
void find_faults(Look&);
void find_broken_maps(Look&);
void find_uvs(Look&);
void find_no_uvs(Look&);
void find_cut_fields(Look&);
void find_cut_heights(Look&);
void find_even_masks(Look&);
void find_shared_break_up(Look&);
void find_decoded_data(Look&);
void find_raw_colour(Look&);
void find_stepping_heights(Look&);
void find_clipped_heights(Look&);
void find_full_alpha(Look&);
void find_normal_maps(Look&);
void find_light_in_maps(Look&);
void find_texel_size(Look&);
void find_implausible(Look&);

const std::vector<FindingKind>& finding_kinds() {
    static const std::vector<FindingKind> all = {
        {"noticed while preparing", find_noticed},
        {"values that no surface can have", find_faults},
        {"maps that cannot be read", find_broken_maps},
        {"gates that do not open", find_gates},
        {"UVs", find_uvs},
        {"no UVs to read", find_no_uvs},
        {"fields cut short", find_cut_fields},
        {"heights cut short", find_cut_heights},
        {"even masks", find_even_masks},
        {"masks broken alike", find_shared_break_up},
        {"data decoded as colour", find_decoded_data},
        {"colour taken raw", find_raw_colour},
        {"heights in steps", find_stepping_heights},
        {"heights cut off or beside neutral", find_clipped_heights},
        {"alpha of one", find_full_alpha},
        {"normal maps", find_normal_maps},
        {"light in colour maps", find_light_in_maps},
        {"texels against pixels", find_texel_size},
        {"implausible surfaces", find_implausible},
    };
    return all;
}

std::vector<Finding> findings(const render::Prepared& prepared, texture::TextureStore& store, const Paths& paths,
                              Remembered& remembered, const Progress* stop) {
    Look look(prepared, store, paths, remembered);
    look.stop = stop;
    for (const FindingKind& kind : finding_kinds())
        if (!stopped(stop)) kind.look(look);
    return std::move(look.found);
}

Look::Look(const render::Prepared& p, texture::TextureStore& s, const Paths& from, Remembered& r)
    : prepared(p), store(s), paths(from), remembered(r) {
}

const std::vector<render::VisiblePoint>& Look::points() {
    if (points_.empty()) points_ = measuring_points(prepared);
    return points_;
}
const Measured& Look::measured(const std::string& build_up) {
    const auto [it, fresh] = measured_.try_emplace(build_up);
    if (fresh) it->second = measure_layers(prepared, build_up, points(), stop);
    return it->second;
}
const std::vector<WiredMap>& Look::maps() {
    if (!maps_) maps_ = wired_maps(prepared, store, paths, remembered);
    return *maps_;
}
std::vector<uint32_t> Look::instances_of(size_t build_up) const {
    std::vector<uint32_t> out;
    for (size_t i = 0; i < prepared.build_up_of.size(); ++i)
        if (prepared.build_up_of[i] == int(build_up)) out.push_back(uint32_t(i));
    return out;
}
void Look::tell(Grade grade, Error error, std::string action, std::function<void(scene::Scene&)> change) {
    found.push_back({std::move(error), grade, std::move(action), std::move(change)});
}

const texture::MapFacts* Remembered::facts(const fs::path& file, const std::string& space,
                                           texture::TextureStore& store) {
    std::error_code ec;
    const auto time = fs::last_write_time(file, ec);
    if (ec) return nullptr;
    const auto prepared = store.maps().find(file, space);
    Known& k = known_[file.string()];
    if (k.facts && k.time == time && k.prepared == prepared.has_value()) return &*k.facts;
    // Small files are read whole; of large ones a coarser level of their prepared form, once there is one.
    const auto header = store.header(file);
    const bool small = header && int64_t(header->width) * header->height <= small_map;
    k = {time, prepared.has_value(), std::nullopt};
    if (!small && !prepared) return nullptr;
    if (auto f = texture::probe_map(small ? file : *prepared, nullptr, small ? 0 : coarse_map)) k.facts = std::move(*f);
    return k.facts ? &*k.facts : nullptr;
}

const geometry::UvReport& Remembered::uvs(const std::shared_ptr<const geometry::Shape>& shape) {
    std::erase_if(uvs_, [](const auto& known) { return known.second.shape.expired(); });
    const auto [it, fresh] = uvs_.try_emplace(shape.get());
    if (fresh) it->second = {shape, geometry::check_uvs(*shape)};
    return it->second.report;
}

std::function<void(scene::Scene&)> on_node(const std::string& build_up, const std::string& node,
                                           std::function<void(scene::BuildUp&, scene::Node&)> change) {
    return [=](scene::Scene& s) {
        if (scene::BuildUp* b = scene::find(s.build_ups, build_up))
            if (scene::Node* n = scene::node(*b, node)) change(*b, *n);
    };
}

std::string short_number(float v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.2g", double(v));
    return text;
}

}  // namespace vemtra::review
