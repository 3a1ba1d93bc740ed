#include <cstdio>

#include "base/json_text.h"
#include "cli/support.h"
#include "geometry/import.h"
#include "scene/project_file.h"
#include "texture/picture_formats.h"
#include "texture/texture.h"

namespace vemtra::cli {
namespace {

std::string in_words(const ordered_json& value) {
    return printable(value.is_string() ? value.get<std::string>() : json_text(value, -1));
}

int run(const std::string& file, bool json) {
    ordered_json j{{"file", file}};
    const std::string extension = fs::path(file).extension().string();
    if (extension == ".vemtra" || extension == ".autosave") {
        auto loaded = scene::load(file);
        if (!loaded) return fail(loaded.error());
        const scene::Scene& s = loaded->scene;
        j["kind"] = "project";
        j["name"] = s.name;
        for (const auto& a : s.assets) j["assets"].push_back(a.file);
        for (const auto& p : s.parts) j["parts"].push_back({{"id", p.id}, {"name", p.name}, {"build_up", p.build_up}});
        for (const auto& b : s.build_ups) {
            ordered_json layers = ordered_json::array();
            for (const auto& l : b.layers) layers.push_back(l.name);
            j["build_ups"].push_back({{"id", b.id}, {"name", b.name}, {"layers", layers}});
        }
        for (const auto& r : s.rigs) j["rigs"].push_back(r.id);
        for (const auto& c : s.cameras) j["cameras"].push_back(c.id);
    } else if (texture::is_picture_name(file)) {
        auto picture = texture::read_linear_image(file);
        if (!picture) return fail(picture.error());
        j["kind"] = "image";
        j["width"] = picture->width;
        j["height"] = picture->height;
    } else {
        auto imported = geometry::import(file, {});
        if (!imported) return fail(imported.error());
        j["kind"] = "asset";
        j["triangles"] = imported->triangles();
        for (const auto& part : imported->parts) {
            const Box3f b = part.bounds();
            const geometry::Mesh& m = *part.mesh;
            j["parts"].push_back({{"name", part.name},
                                  {"triangles", m.triangles()},
                                  {"vertices", m.positions.size()},
                                  {"uvs", !m.uvs.empty()},
                                  {"colors", !m.colors.empty()},
                                  {"min", {b.min.x, b.min.y, b.min.z}},
                                  {"max", {b.max.x, b.max.y, b.max.z}}});
        }
        warn(imported->warnings);
    }
    if (json) {
        say(j);
        return done;
    }
    for (const auto& [key, value] : j.items()) {
        if (!value.is_array()) {
            std::printf("%-10s %s\n", key.c_str(), in_words(value).c_str());
            continue;
        }
        std::printf("%s\n", key.c_str());
        for (const auto& item : value) std::printf("           %s\n", in_words(item).c_str());
    }
    return done;
}

}  // namespace

void add_info(CLI::App& app, Options& all) {
    auto file = std::make_shared<std::string>();
    auto json = std::make_shared<bool>(false);
    auto* c = app.add_subcommand("info", "Say what is in a project, an asset or an image");
    c->add_option("file", *file, "File")->required();
    c->add_flag("--json", *json, "As JSON");
    c->final_callback([file, json, &all] { all.exit = run(*file, *json); });
}

}  // namespace vemtra::cli
