#include <cmath>
#include <cstdio>

#include "cli/support.h"
#include "nodes/description.h"
#include "review/evaluate_at.h"
#include "scene/graph.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

struct ValuesCall {
    std::string project, node, slot, part;
    int uv_grid = 8, tile = 1001;
    bool json = false;
};

int run(const Options& all, const ValuesCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    if (call.node.empty() == call.slot.empty())
        return wrong_call("values takes either --node ID or --slot PART/LAYER/SLOT");
    if (call.uv_grid < 1 || call.uv_grid > 4096) return wrong_call("--uv-grid takes 1 to 4096");
    render::Workshop workshop;
    auto scene = std::make_shared<const scene::Scene>(loaded->scene);
    render::PrepareOptions options;
    place(options, all, loaded->scene, call.project);
    auto prepared = render::prepare(scene, workshop, options);
    std::string part_id = call.part, layer_id, slot;
    if (!call.slot.empty()) {
        const size_t a = call.slot.find('/'), b = call.slot.rfind('/');
        if (a == std::string::npos || a == b)
            return wrong_call("--slot takes PART/LAYER/SLOT, not '" + call.slot + "'");
        part_id = call.slot.substr(0, a);
        layer_id = call.slot.substr(a + 1, b - a - 1);
        slot = call.slot.substr(b + 1);
    }
    int mesh = -1;
    const scene::BuildUp* build_up = nullptr;
    for (size_t i = 0; i < prepared->parts.size() && mesh < 0; ++i) {
        const scene::Part& part = *prepared->parts[i];
        const scene::BuildUp* b = scene::find(scene->build_ups, part.build_up);
        if (!b || (!part_id.empty() && part.id != part_id)) continue;
        if (!call.node.empty() && !scene::find_node(*b, call.node).node) continue;
        mesh = int(i);
        build_up = b;
    }
    if (mesh < 0)
        return fail({"Nothing to evaluate", call.project, call.node + call.slot, "no visible part has it",
                     "See 'vemtra-cli info' for the parts, and the project for its nodes"});
    program::Wanted wanted{"value", nodes::Type::number, {}};
    if (!call.node.empty()) {
        const scene::Node& node = *scene::find_node(*build_up, call.node).node;
        if (const auto d = nodes::describe(*scene, node)) wanted.type = d->output_type(node);
        wanted.input.from = call.node;
    } else {
        const scene::Layer* layer = scene::find(build_up->layers, layer_id);
        const nodes::Port* port = layer ? nodes::slots_of(*layer).port(slot) : nullptr;
        if (!layer || (!port && slot != scene::gate_slot))
            return fail({"Nothing to evaluate", call.project, call.slot,
                         layer ? "there is no slot '" + slot + "'" : "there is no layer '" + layer_id + "'",
                         "Slots bear the names of OpenPBR Surface, or 'gate'"});
        if (port) {
            wanted.type = port->type;
            if (auto it = layer->surface.find(slot); it != layer->surface.end()) wanted.input = it->second;
            wanted.input.value = nodes::literal_of(layer->surface, *port);
        } else
            wanted.input = layer->gate.mask;
    }
    std::vector<Error> problems;
    program::Resources resources = prepared->resources;
    const program::Program program = program::compile(*build_up, {wanted}, resources, problems, &scene->networks);
    if (!resources.within(prepared->resources)) {
        // The node feeds nothing that shows, so that its maps and fields were not prepared: show it, then they are.
        options.shown_build_up = build_up->id;
        options.shown_node = call.node;
        if (call.node.empty())
            return fail(
                {"Nothing to evaluate", call.project, call.slot, "the layer does not show", "Switch it on first"});
        prepared = render::prepare(scene, workshop, options);
        resources = prepared->resources;
    }
    const program::Program final_program = program::compile(*build_up, {wanted}, resources, problems, &scene->networks);
    warn(problems);
    const auto points = geometry::uv_grid_points(prepared->geometry->shape(uint32_t(mesh)), call.uv_grid, call.tile);
    const std::vector<float> values = review::evaluate_at(*prepared, uint32_t(mesh), points, final_program);
    const size_t components = size_t(final_program.component_count());
    if (call.json) {
        ordered_json grid = ordered_json::array();
        for (float v : values) grid.push_back(std::isfinite(v) ? ordered_json(v) : ordered_json());
        say(ordered_json{{"type", nodes::type_name(wanted.type)},
                         {"components", components},
                         {"uv_grid", call.uv_grid},
                         {"tile", call.tile},
                         {"grid", grid}});
        return done;
    }
    for (int y = call.uv_grid; y-- > 0;) {
        for (int x = 0; x < call.uv_grid; ++x) {
            for (size_t c = 0; c < components; ++c) {
                const float v = values[(size_t(y) * size_t(call.uv_grid) + size_t(x)) * components + c];
                if (std::isfinite(v))
                    std::printf("%s%.5g", c ? "," : "", double(v));
                else
                    std::printf("%s-", c ? "," : "");
            }
            std::printf(x + 1 < call.uv_grid ? " " : "\n");
        }
    }
    return done;
}

}  // namespace

void add_values(CLI::App& app, Options& all) {
    auto v = std::make_shared<ValuesCall>();
    auto* c = app.add_subcommand("values", "Evaluate a network over a grid of UVs");
    c->add_option("project", v->project, "Project file")->required();
    c->add_option("--node", v->node, "Node id");
    c->add_option("--slot", v->slot, "PART/LAYER/SLOT; the slot 'gate' is the mask");
    c->add_option("--part", v->part, "Part to evaluate on; else the first that has the node");
    c->add_option("--uv-grid", v->uv_grid, "N: points at the centres of N x N pixels of the tile");
    c->add_option("--tile", v->tile, "UDIM tile")->check(CLI::Range(1001, 1999));
    c->add_flag("--json", v->json, "As JSON");
    c->final_callback([v, &all] { all.exit = run(all, *v); });
}

}  // namespace vemtra::cli
