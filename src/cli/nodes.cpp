#include <cstdio>

#include "cli/support.h"
#include "nodes/description.h"

namespace vemtra::cli {
namespace {

int run() {
    std::printf(
        "# Nodes and slots\n\nMade from the descriptions by `vemtra-cli nodes`. Types: N number (float), C colour "
        "(color3), D direction (vector2, vector3).\n");
    auto text = [](const scene::Value& v) -> std::string {
        if (auto* t = std::get_if<std::string>(&v)) return t->empty() ? "-" : *t;
        char b[64];
        if (auto* x = std::get_if<V3f>(&v))
            return std::snprintf(b, sizeof b, "%g, %g, %g", double(x->x), double(x->y), double(x->z)), b;
        if (auto* x = std::get_if<V2f>(&v)) return std::snprintf(b, sizeof b, "%g, %g", double(x->x), double(x->y)), b;
        return std::snprintf(b, sizeof b, "%g", double(scene::as_number(v))), b;
    };
    auto print = [&](const nodes::NodeDescription& d) {
        std::printf("\n## %s `%s`\n\n%s%s%s", d.title.c_str(), d.kind.c_str(), d.help.c_str(),
                    d.standard.empty() ? "" : " Standard: ", d.standard.c_str());
        if (d.family != "surface") {
            std::printf("%s Types:", d.standard.empty() ? "" : ".");
            for (nodes::Type t : d.types) std::printf(" %s", nodes::type_name(t));
        }
        std::printf(".\n");
        if (const std::string& says = nodes::formula(d.kind); !says.empty()) std::printf("\n    %s\n", says.c_str());
        if (d.ports.empty()) return;
        std::printf("\n| input | type | default | usual range | meaning |\n|---|---|---|---|---|\n");
        for (const nodes::Port& p : d.ports) {
            std::string value = p.reads == nodes::Reads::literal ? text(p.value) : nodes::info(p.reads).title;
            std::string range = "-";
            if (!p.choices.empty()) {
                range.clear();
                for (const auto& c : p.choices) range += (range.empty() ? "" : ", ") + c;
            } else if (!p.text) {
                char b[64];
                std::snprintf(b, sizeof b, "%g to %g%s%s%s", double(p.low), double(p.high), p.unit.empty() ? "" : " ",
                              p.unit.c_str(), p.hard ? ", clamped" : "");
                range = b;
            }
            std::printf("| `%s` | %s%s | %s | %s | %s |\n", p.name.c_str(),
                        p.text             ? "word"
                        : p.same_as_output ? "as output"
                                           : nodes::type_name(p.type),
                        p.uniform ? ", fixed" : "", value.c_str(), range.c_str(), p.help.c_str());
        }
    };
    print(nodes::surface_description());
    print(nodes::coat_description());
    for (const auto& d : nodes::catalogue()) print(d);
    return done;
}

}  // namespace

void add_nodes(CLI::App& app, Options& all) {
    app.add_subcommand("nodes", "Describe every node and slot (docs/nodes.md)")->final_callback([&all] {
        all.exit = run();
    });
}

}  // namespace vemtra::cli
