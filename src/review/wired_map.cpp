#include "review/wired_map.h"

#include <algorithm>

#include "review/finding.h"

namespace vemtra::review {
namespace {

constexpr size_t tiles_looked_at = 4;  // what holds for a set is seen in a few of its tiles

std::optional<texture::MapFacts> facts_of(const WiredMap& m, texture::TextureStore& store, Remembered& remembered) {
    std::optional<texture::MapFacts> f;
    for (size_t k = 0; k < std::min(tiles_looked_at, m.files.size()); ++k) {
        const texture::MapFacts* one = remembered.facts(m.files[k].second, m.space, store);
        if (!one) continue;
        if (!f) {
            f = *one;
            continue;
        }
        f->constant &= one->constant;
        f->alpha_all_one &= one->alpha_all_one;
        f->normal_tilt = std::max(f->normal_tilt, one->normal_tilt);
        if (std::fabs(one->green_up) > std::fabs(f->green_up)) f->green_up = one->green_up;
    }
    return f;
}

}  // namespace

bool is_color_slot(const std::string& slot) {
    return slot.ends_with("color");
}
bool WiredMap::feeds_straight_color() const {
    return std::any_of(ends.begin(), ends.end(),
                       [](const scene::LayerEnd& e) { return e.straight && is_color_slot(e.slot); });
}
bool WiredMap::feeds_color() const {
    return std::any_of(ends.begin(), ends.end(), [](const scene::LayerEnd& e) { return is_color_slot(e.slot); });
}
bool WiredMap::feeds(const std::string& slot) const {
    return std::any_of(ends.begin(), ends.end(), [&](const scene::LayerEnd& e) { return e.slot == slot; });
}
bool WiredMap::read_by(nodes::Use use) const {
    return std::any_of(readers.begin(), readers.end(), [&](const scene::Node* r) { return nodes::has_use(*r, use); });
}

constexpr size_t most_looked_at = 500;  // maps of one build-up: where each goes is followed to the end

std::vector<WiredMap> wired_maps(const render::Prepared& p, texture::TextureStore& store, const Paths& paths,
                                 Remembered& remembered) {
    std::vector<WiredMap> out;
    for (size_t at = 0; at < p.scene->build_ups.size(); ++at) {
        const scene::BuildUp& b = p.scene->build_ups[at];
        if (std::find(p.build_up_of.begin(), p.build_up_of.end(), int(at)) == p.build_up_of.end()) continue;
        const scene::Graph graph(b);
        size_t looked = 0;
        scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer* layer) {
            const nodes::NodeDescription* d = nodes::describe(n.kind);
            if (!d || (layer && !layer->on) || (d->use != nodes::Use::map && d->use != nodes::Use::relief)) return;
            WiredMap m;
            m.build_up = &b;
            m.build_up_index = at;
            m.node = &n;
            m.place = b.name + " / " + (n.name.empty() ? n.id : n.name);
            const std::string file = nodes::word_of(n, nodes::Role::file);
            if (file.empty() || looked == most_looked_at) return;
            const auto path = paths.find(file);
            if (path) m.files = tile_files(*path);
            const auto header =
                m.files.empty() ? Result<texture::ImageHeader>(Error{}) : store.header(m.files.front().second);
            if (!header) return;  // told elsewhere
            m.ends = graph.ends(n.id);
            if (m.ends.empty()) return;
            m.readers = graph.readers(n.id);
            ++looked;
            m.path = *path;
            m.header = *header;
            m.type = d->output_type(n);
            nodes::Resources asked;
            d->ask({n, *d, d->components_of(n), b.id, nullptr}, asked);
            m.request = asked.images.front();
            m.space = texture::space_of(m.request, *header);
            m.facts = facts_of(m, store, remembered);
            out.push_back(std::move(m));
        });
    }
    return out;
}

}  // namespace vemtra::review
