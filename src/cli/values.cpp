#include <cmath>
#include <cstdio>
#include <optional>

#include "base/text.h"
#include "cli/support.h"
#include "exchange/standard/evaluate.h"
#include "nodes/description.h"
#include "review/evaluate_at.h"
#include "scene/graph.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

struct ValuesCall {
    std::string project, node, slot, part, output;
    int uv_grid = 8, tile = 1001;
    float z = 0.f;
    bool json = false;
};

/// PART/LAYER/SLOT
struct SlotName {
    std::string part, layer, slot;
    static std::optional<SlotName> of(const std::string& text) {
        const size_t a = text.find('/');
        const size_t b = text.rfind('/');
        if (a == std::string::npos || a == b) return std::nullopt;
        return SlotName{text.substr(0, a), text.substr(a + 1, b - a - 1), text.substr(b + 1)};
    }
};

/// The first visible part that has what is asked for; -1: none.
int part_with(const render::Prepared& p, const std::string& part_id, const std::string& node) {
    for (size_t i = 0; i < p.parts.size(); ++i) {
        const scene::Part& part = *p.parts[i];
        const scene::BuildUp* b = scene::find(p.scene->build_ups, part.build_up);
        if (!b || (!part_id.empty() && part.id != part_id)) continue;
        if (node.empty() || scene::find_node(*b, node).node) return int(i);
    }
    return -1;
}

Result<program::Wanted> wanted_of(const scene::Scene& scene, const scene::BuildUp& b, const ValuesCall& call,
                                  const SlotName& name) {
    program::Wanted wanted{"value", nodes::Type::number, {}};
    if (!call.node.empty()) {
        const scene::Node& node = *scene::find_node(b, call.node).node;
        if (const auto d = nodes::describe(scene, node)) wanted.type = d->output_type(node);
        wanted.input.from = call.node;
        return wanted;
    }
    const scene::Layer* layer = scene::find(b.layers, name.layer);
    const nodes::Port* port = layer ? nodes::slots_of(*layer).port(name.slot) : nullptr;
    if (!layer || (!port && name.slot != scene::gate_slot))
        return Error{"Nothing to evaluate", call.project, call.slot,
                     layer ? "there is no slot '" + name.slot + "'" : "there is no layer '" + name.layer + "'",
                     "Slots bear the names of OpenPBR Surface, or 'gate'"};
    if (!port) {
        wanted.input = layer->gate.mask;
        return wanted;
    }
    wanted.type = port->type;
    if (auto it = layer->surface.find(name.slot); it != layer->surface.end()) wanted.input = it->second;
    wanted.input.value = nodes::literal_of(layer->surface, *port);
    return wanted;
}

void print_grid(const std::vector<float>& values, int grid, size_t components) {
    for (int y = grid; y-- > 0;)
        for (int x = 0; x < grid; ++x) {
            for (size_t c = 0; c < components; ++c) {
                const float v = values[(size_t(y) * size_t(grid) + size_t(x)) * components + c];
                if (std::isfinite(v))
                    std::printf("%s%.5g", c ? "," : "", double(v));
                else
                    std::printf("%s-", c ? "," : "");
            }
            std::printf(x + 1 < grid ? " " : "\n");
        }
}

void answer(const std::vector<float>& values, const ValuesCall& call, nodes::Type type, size_t components) {
    if (!call.json) return print_grid(values, call.uv_grid, components);
    ordered_json grid = ordered_json::array();
    for (float v : values) grid.push_back(std::isfinite(v) ? ordered_json(v) : ordered_json());
    say(ordered_json{{"type", nodes::type_name(type)},
                     {"components", components},
                     {"uv_grid", call.uv_grid},
                     {"tile", call.tile},
                     {"grid", grid}});
}

/// An output of a document of the open standard, on the unit square.
int run_document(const ValuesCall& call) {
    if (call.uv_grid < 1 || call.uv_grid > 4096) return wrong_call("--uv-grid takes 1 to 4096");
    const auto document = exchange::read_standard_document(call.project);
    if (!document) return fail(document.error());
    warn(document->problems);
    const auto values = exchange::evaluate(*document, call.output, call.uv_grid, call.z, call.project);
    if (!values) return fail(values.error());
    warn(values->problems);
    answer(values->grid, call, values->type, size_t(nodes::components(values->type)));
    return values->problems.empty() ? done : incomplete;
}

int run(const Options& all, const ValuesCall& call) {
    if (lower(fs::path(call.project).extension().string()) == ".mtlx") return run_document(call);
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    read_paintings(all, *loaded, call.project);
    if (call.node.empty() == call.slot.empty())
        return wrong_call("values takes either --node ID or --slot PART/LAYER/SLOT");
    if (call.uv_grid < 1 || call.uv_grid > 4096) return wrong_call("--uv-grid takes 1 to 4096");
    const auto slot = call.slot.empty() ? SlotName{call.part, "", ""} : SlotName::of(call.slot);
    if (!slot) return wrong_call("--slot takes PART/LAYER/SLOT, not '" + call.slot + "'");
    render::Workshop workshop;
    const auto scene = std::make_shared<const scene::Scene>(loaded->scene);
    render::PrepareOptions options;
    place(options, all, loaded->scene, call.project);
    auto prepared = render::prepare(scene, workshop, options);
    const int mesh = part_with(*prepared, slot->part, call.node);
    if (mesh < 0)
        return fail({"Nothing to evaluate", call.project, call.node + call.slot, "no visible part has it",
                     "See 'vemtra-cli info' for the parts, and the project for its nodes"});
    const scene::BuildUp& b = *scene::find(scene->build_ups, prepared->parts[size_t(mesh)]->build_up);
    const auto wanted = wanted_of(*scene, b, call, *slot);
    if (!wanted) return fail(wanted.error());
    std::vector<Error> problems;
    program::Resources resources = prepared->resources;
    program::compile(b, {*wanted}, resources, problems, &scene->networks);
    if (!resources.within(prepared->resources)) {
        // The node feeds nothing that shows, so that its maps and fields were not prepared: show it, then they are.
        options.shown_build_up = b.id;
        options.shown_node = call.node;
        if (call.node.empty())
            return fail(
                {"Nothing to evaluate", call.project, call.slot, "the layer does not show", "Switch it on first"});
        prepared = render::prepare(scene, workshop, options);
        resources = prepared->resources;
    }
    problems.clear();
    const program::Program program = program::compile(b, {*wanted}, resources, problems, &scene->networks);
    warn(problems);
    const auto points = geometry::uv_grid_points(prepared->geometry->shape(uint32_t(mesh)), call.uv_grid, call.tile);
    answer(review::evaluate_at(*prepared, uint32_t(mesh), points, program), call, wanted->type,
           size_t(program.component_count()));
    return done;
}

}  // namespace

void add_values(CLI::App& app, Options& all) {
    auto v = std::make_shared<ValuesCall>();
    auto* c = app.add_subcommand("values", "Evaluate a network over a grid of UVs");
    c->add_option("project", v->project, "Project file, or a document of the open standard (.mtlx)")->required();
    c->add_option("--node", v->node, "Node id");
    c->add_option("--slot", v->slot, "PART/LAYER/SLOT; the slot 'gate' is the mask");
    c->add_option("--part", v->part, "Part to evaluate on; else the first that has the node");
    c->add_option("--output", v->output, "Of a document: GRAPH/OUTPUT, or OUTPUT outside of any nodegraph");
    c->add_option("--z", v->z, "Of a document: the third coordinate of the position")->check(CLI::Range(-1e6f, 1e6f));
    c->add_option("--uv-grid", v->uv_grid, "N: points at the centres of N x N pixels of the tile");
    c->add_option("--tile", v->tile, "UDIM tile")->check(CLI::Range(1001, 1999));
    c->add_flag("--json", v->json, "As JSON");
    c->final_callback([v, &all] { all.exit = run(all, *v); });
}

}  // namespace vemtra::cli
