// Example of docs/adding.md: a command of vemtra-cli. In the house: one file in src/cli/, one line in main.cpp's
// register.
#include "cli/support.h"
#include "scene/project_file.h"

namespace example {

using namespace vemtra;

void add_layers(CLI::App& app, cli::Options& all) {
    auto project = std::make_shared<std::string>();
    auto* c = app.add_subcommand("layers", "Count the layers of a project");
    c->add_option("project", *project, "Project file")->required();
    c->final_callback([project, &all] {
        const auto loaded = scene::load(*project);
        int n = 0;
        if (loaded)
            for (const scene::BuildUp& b : loaded->scene.build_ups) n += int(b.layers.size());
        all.exit = loaded && n > 0 ? cli::done : cli::failed;
    });
}

}  // namespace example
