// export and import: hand over to, and take in from, documents of the open standard.
#include <cstdio>

#include "cli/support.h"
#include "exchange/standard/document.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::cli {
namespace {

struct StandardCall {
    std::string project, document, output;
    bool json = false;
};

int run_export(const Options& all, const StandardCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    read_paintings(all, *loaded, call.project);
    const auto problems = exchange::write_standard_file(std::move(loaded->scene), call.project, call.document);
    if (!problems) return fail(problems.error());
    warn(*problems);
    if (call.json)
        say(ordered_json{{"document", call.document}, {"problems", as_json(*problems)}});
    else
        std::printf("%s: %zu things that the standard cannot say\n", call.document.c_str(), problems->size());
    return problems->empty() ? done : incomplete;
}

int run_import(const StandardCall& call) {
    auto loaded = scene::load(call.project);
    if (!loaded) return fail(loaded.error());
    auto document = exchange::read_standard_document(call.document);
    if (!document) return fail(document.error());
    const std::vector<Error> problems = document->problems;
    const fs::path output = call.output.empty() ? call.project : call.output;
    const auto ids =
        exchange::take_in(std::move(*document), loaded->scene, absolute_path(call.document), absolute_path(output));
    if (Status s = scene::save(loaded->scene, output); !s) return fail(s.error());
    warn(problems);
    if (call.json)
        say(ordered_json{{"project", output.string()}, {"build_ups", ids}, {"problems", as_json(problems)}});
    else
        std::printf("%s: %zu build-ups taken in\n", output.c_str(), ids.size());
    return problems.empty() ? done : incomplete;
}

}  // namespace

void add_export(CLI::App& app, Options& all) {
    auto v = std::make_shared<StandardCall>();
    auto* c = app.add_subcommand("export", "Write the build-ups as a document of the open standard");
    c->add_option("project", v->project, "Project file")->required();
    c->add_option("--mtlx", v->document, "MaterialX document to write")->required();
    c->add_flag("--json", v->json, "Report as JSON on standard output");
    c->final_callback([v, &all] { all.exit = run_export(all, *v); });
}

void add_import(CLI::App& app, Options& all) {
    auto v = std::make_shared<StandardCall>();
    auto* c = app.add_subcommand("import", "Take the materials and networks of a document into a project");
    c->add_option("project", v->project, "Project file")->required();
    c->add_option("--mtlx", v->document, "MaterialX document to read")->required();
    c->add_option("-o,--output", v->output, "Project to write; else the same");
    c->add_flag("--json", v->json, "Report as JSON on standard output");
    c->final_callback([v, &all] { all.exit = run_import(*v); });
}

}  // namespace vemtra::cli
