#include "render/build_up.h"

#include "nodes/description.h"
#include "nodes/slot_names.h"
#include "render/views.h"
#include "scene/edits.h"

namespace vemtra::render {

namespace slot = nodes::slot;

namespace {

/// Values of slots that no layer may have: told once per layer, by the value that is written in the project.
void check_ranges(const scene::BuildUp& b, const scene::Layer& layer, std::vector<Error>& problems) {
    for (const nodes::Port& port : nodes::slots_of(layer).ports) {
        const auto it = layer.surface.find(port.name);
        if (it == layer.surface.end() || !it->second.from.empty()) continue;
        const surface::SlotField* f = surface::slot_field(port.name.c_str());
        const scene::Value& value = it->second.shown();
        const V3f v = std::holds_alternative<float>(value) ? V3f(scene::as_number(value)) : scene::as_vector(value);
        for (int c = 0; f && c < f->components; ++c)
            if (!std::isfinite(v[c]) || v[c] < f->low || v[c] > f->high) {
                char range[64];
                std::snprintf(range, sizeof range, "%g to %g", double(f->low), double(f->high));
                problems.push_back(
                    {"A value is outside of its range", "", b.name + " / " + layer.name + " / " + port.name,
                     "it must lie in " + std::string(range), "It is rendered at the nearest end; set it again"});
                break;
            }
    }
}

}  // namespace

BuildUpCompiler::BuildUpCompiler(const scene::Scene& scene, const std::vector<int>& first_layer,
                                 program::Resources& resources, std::vector<Error>& problems,
                                 const geometry::Geometry* geometry, const std::vector<const scene::Part*>* parts,
                                 std::set<std::string> loud)
    : scene_(scene),
      first_layer_(first_layer),
      resources_(resources),
      problems_(problems),
      geometry_(geometry),
      parts_(parts),
      loud_(std::move(loud)),
      done_(scene.build_ups.size()) {
    for (size_t i = 0; i < scene.build_ups.size(); ++i) index_.try_emplace(scene.build_ups[i].id, i);
}

std::vector<std::shared_ptr<const PreparedBuildUp>> BuildUpCompiler::all() {
    for (const size_t i : scene::inner_first(scene_))
        done_[i] = std::make_shared<const PreparedBuildUp>(compile(scene_.build_ups[i], first_layer_[i]));
    return done_;
}

PreparedBuildUp BuildUpCompiler::compile(const scene::BuildUp& b, int first_layer) {
    PreparedBuildUp out;
    if (b.layers.size() > most_layers)
        problems_.push_back({"Layers are left out", "", b.name,
                             "a build-up shows " + std::to_string(most_layers) + " of its layers at most",
                             "Take layers out, or put some into a build-up of their own"});
    for (size_t k = b.layers.size(); k-- > 0;) {
        if (k + most_layers < b.layers.size()) k = 0;  // the outermost ones and the base
        const scene::Layer& layer = b.layers[k];
        const bool base = k == 0;
        if (!base && (!layer.on || layer.amount <= 0.f)) continue;
        PreparedLayer p;
        p.own = int(k);
        p.decal = !base && !layer.decal.pins.empty();
        if (p.decal && layer.decal.weathers)
            for (size_t below = k; below-- > 1 && p.stands_on < 0;)
                if (b.layers[below].on && scene::traits(b.layers[below].kind).hides &&
                    b.layers[below].decal.pins.empty())
                    p.stands_on = int(below);
        if (p.decal) {
            if (layer.build_up.empty() && scene::traits(layer.kind).hides) p.print = layer.decal.print;
            p.lip = layer.decal.lip;
            p.lip_width = std::max(1e-6f, layer.decal.lip_width);
            p.repeats = layer.decal.repeats;
            p.cell_size[0] = 1.f / float(std::max(1, layer.decal.columns));
            p.cell_size[1] = 1.f / float(std::max(1, layer.decal.rows));
        }
        p.index = first_layer + int(k);
        p.coat = !scene::traits(layer.kind).hides && !base;
        p.amount = base ? 1.f : clamp01(layer.amount);
        p.gate_amount = base ? 1.f : clamp01(layer.gate.amount);
        if (base) {
            p.always = true;
        } else {
            p.gate = program::compile(b, {{layer.name + " gate", nodes::Type::number, layer.gate.mask}}, resources_,
                                      problems_, &scene_.networks);
            if (const V3f* mask = p.gate.constant(0)) {
                const float coverage = p.amount * (1.f + p.gate_amount * (clamp01(mask->x) - 1.f));
                if (coverage <= 0.f) continue;
                p.always = coverage >= 1.f && !p.decal;
            }
        }
        if (loud_.contains(loud_key(b.id, layer.id)))
            be_loud(p);
        else if (!layer.build_up.empty() && !p.coat)
            nest(b, layer, out, p);
        else
            surface(b, layer, p);
        if (!p.nested) ++out.total_layers;
        out.may_open |= p.may_open;
        out.may_shine |= p.may_shine;
        const bool hides_all = p.always && !p.coat;
        out.layers.push_back(std::move(p));
        if (hides_all) break;  // what is under it cannot show
    }
    const bool any = std::any_of(out.layers.begin(), out.layers.end(), [](const PreparedLayer& l) { return l.decal; });
    if (any && geometry_ && parts_) {
        out.decals = std::make_shared<const Decals>(b, *geometry_, *parts_);
        out.place_of.assign(b.layers.size(), -1);
        out.plain_after.assign(out.layers.size(), int(out.layers.size()));
        for (size_t i = out.layers.size(); i-- > 0;) {
            out.place_of[size_t(out.layers[i].own)] = int(i);
            if (i + 1 < out.layers.size())
                out.plain_after[i] = out.layers[i + 1].decal ? out.plain_after[i + 1] : int(i + 1);
        }
    }
    return out;
}

/// Matt, and over all that is below, so that the whole of where it lies is seen.
void BuildUpCompiler::be_loud(PreparedLayer& p) {
    p.coat = false;
    p.print = scene::Print::covers;
    p.fixed = surface::Slots();
    p.fixed.base_color = coverage_color(p.own);
    p.fixed.specular_weight = 0.f;
    p.fixed.base_metalness = 0.f;
}

void BuildUpCompiler::nest(const scene::BuildUp& b, const scene::Layer& layer, PreparedBuildUp& out, PreparedLayer& p) {
    const auto it = index_.find(layer.build_up);
    if (it == index_.end() || scene_.build_ups[it->second].layers.empty())
        return left_plain(b, layer, "its build-up '" + layer.build_up + "' does not exist or is empty",
                          "Choose another one, or give the layer a surface");
    const std::shared_ptr<const PreparedBuildUp>& inner = done_[it->second];
    const std::string name = scene_.build_ups[it->second].name;
    if (!inner)
        return left_plain(b, layer, "the build-up '" + name + "' contains '" + b.name + "' itself",
                          "Choose another build-up for it");
    if (inner->height >= most_nested)
        return left_plain(
            b, layer,
            "the build-up '" + name + "' holds more than " + std::to_string(most_nested) + " others within one another",
            "Give some of them surfaces of their own");
    if (out.total_layers + inner->total_layers + std::min(b.layers.size(), most_layers) > most_total_layers)
        return left_plain(b, layer,
                          "with it the build-up would show more than " + std::to_string(most_total_layers) + " layers",
                          "Nest fewer build-ups in one another");
    p.nested = inner;
    p.may_open = inner->may_open;
    p.may_shine = inner->may_shine;
    out.height = std::max(out.height, inner->height + 1);
    out.total_layers += inner->total_layers;
}

void BuildUpCompiler::left_plain(const scene::BuildUp& b, const scene::Layer& layer, const std::string& why,
                                 const std::string& remedy) {
    problems_.push_back({"A layer is left plain", "", b.name + " / " + layer.name, why, remedy});
}

void BuildUpCompiler::surface(const scene::BuildUp& b, const scene::Layer& layer, PreparedLayer& p) {
    const nodes::NodeDescription& description = nodes::slots_of(layer);
    std::vector<program::Wanted> all;
    std::vector<program::Wanted> varying;
    std::vector<const surface::SlotField*> fields;
    for (const nodes::Port& port : description.ports) {
        const surface::SlotField* f = surface::slot_field(port.name.c_str());
        if (!f) continue;  // it moves the form: relief.h
        fields.push_back(f);
        const auto it = layer.surface.find(port.name);
        scene::Input input = it == layer.surface.end() ? scene::Input() : it->second;
        input.value = nodes::literal_of(layer.surface, port);
        all.push_back({layer.name + " / " + port.name, port.type, input});
    }
    for (const auto& [name, input] : layer.surface)
        if (!description.port(name))
            problems_.push_back(
                {"A slot is not known and is left out", "", b.name + " / " + layer.name + " / " + name,
                 "a " + std::string(scene::traits(layer.kind).name) + " has no such slot; docs/nodes.md lists them",
                 "Remove it"});
    check_ranges(b, layer, problems_);
    const program::Program whole = program::compile(b, all, resources_, problems_, &scene_.networks);
    for (size_t i = 0; i < all.size(); ++i) {
        const surface::SlotField* f = fields[i];
        if (const V3f* value = whole.constant(i)) {
            for (int c = 0; c < f->components; ++c) surface::at(p.fixed, *f)[c] = (*value)[c];
        } else {
            p.varying.push_back(f);
            varying.push_back(all[i]);
            if (const surface::SlotField* axis = surface::spread_of(*f)) {
                p.varying.push_back(axis);
                varying.push_back(all[i]);
                varying.back().spread = true;
            }
        }
    }
    p.fixed = surface::sane(p.fixed);
    std::vector<Error> told_before;
    if (!varying.empty()) p.slots = program::compile(b, varying, resources_, told_before, &scene_.networks);
    if (p.coat) return;
    auto varies = [&](const char* name) {
        return std::find(p.varying.begin(), p.varying.end(), surface::slot_field(name)) != p.varying.end();
    };
    const bool pane = (p.fixed.geometry_thin_walled > .5f || varies(slot::geometry_thin_walled)) &&
                      (p.fixed.transmission_weight > 0.f || varies(slot::transmission_weight));
    p.may_open = p.fixed.geometry_opacity < 1.f || varies(slot::geometry_opacity) || pane;
    p.may_shine = p.fixed.emission_luminance > 0.f || varies(slot::emission_luminance);
}

}  // namespace vemtra::render
