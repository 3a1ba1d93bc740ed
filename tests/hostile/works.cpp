#include "hostile/works.h"

#include <OpenImageIO/imageio.h>

#include "base/hash.h"
#include "exchange/collect.h"
#include "exchange/map_pack.h"
#include "geometry/field.h"
#include "render_support.h"
#include "scene/autosave.h"
#include "scene/paint_journal.h"
#include "support.h"
#include "texture/paint_files.h"
#include "texture/texture.h"

namespace vemtra::hostile {
namespace {

using scene::Scene;

void begun(const fs::path& folder) {
    std::ofstream(folder / "begun") << "x";
}

/// A scene whose name is a number and whose size depends on it: what is read back tells whether it is whole.
Scene numbered(int number) {
    Scene s = test::plain_scene("square.obj");
    s.name = std::to_string(number);
    s.kept_values.resize(size_t(number % 7) * 20);
    return s;
}
std::string wrong_numbered(const fs::path& file) {
    auto loaded = scene::load(file);
    if (!loaded) return loaded.error().line();
    if (!loaded->problems.empty()) return loaded->problems.front().line();
    const std::string& name = loaded->scene.name;
    if (name.empty() || name.find_first_not_of("0123456789") != std::string::npos) return "the name is '" + name + "'";
    if (loaded->scene.kept_values.size() != size_t(std::stoi(name) % 7) * 20) return "values are missing";
    return "";
}

void save(const fs::path& folder, bool once) {
    for (int i = 0; i == 0 || !once; ++i) {
        (void)scene::save(numbered(i), folder / "p.vemtra");
        if (!i) begun(folder);
    }
}
std::string wrong_save(const fs::path& folder) {
    return wrong_numbered(folder / "p.vemtra");
}

void autosave(const fs::path& folder, bool once) {
    scene::Autosaver saver;
    const fs::path file = scene::autosave_path(folder / "p.vemtra");
    for (int i = 0; i == 0 || !once; ++i) {
        saver.keep(std::make_shared<const Scene>(numbered(i)), file);
        if (i % 50 == 0) saver.finish();  // without its rest between writings
        if (!i) begun(folder);
    }
}
std::string wrong_autosave(const fs::path& folder) {
    return wrong_numbered(scene::autosave_path(folder / "p.vemtra"));
}

void picture(const fs::path& folder, bool once) {
    test::Scratch asset;
    asset.write("square.obj", test::square_obj);
    render::Workshop workshop(16);
    const auto p = test::prepared(test::plain_scene("square.obj"), asset.path, workshop);
    const render::PictureSettings settings{.width = 200, .height = 120, .samples = 1};
    const auto film = render::render_picture(*p, settings);
    for (int i = 0; i == 0 || !once; ++i) {
        for (const char* name : {"o.exr", "o.png"})
            (void)render::write_picture(*p, *film, settings, {"p", double(i)}, folder / name);
        if (!i) begun(folder);
    }
}
std::string wrong_picture(const fs::path& folder) {
    for (const char* name : {"o.exr", "o.png"}) {
        const auto picture = texture::read_linear_image(folder / name);
        if (!picture) return picture.error().line();
        if (picture->width != 200 || picture->height != 120) return std::string(name) + " has another size";
    }
    return "";
}

void write_map(const fs::path& file, int edge, int seed) {
    std::vector<uint8_t> texels(size_t(edge) * size_t(edge) * 3);
    for (size_t i = 0; i < texels.size(); ++i) texels[i] = uint8_t(mix32(uint32_t(i) + uint32_t(seed) * 7919u) >> 24);
    auto out = OIIO::ImageOutput::create(file.string());
    out->open(file.string(), OIIO::ImageSpec(edge, edge, 3, OIIO::TypeDesc::UINT8));
    out->write_image(OIIO::TypeDesc::UINT8, texels.data());
    out->close();
}
std::string wrong_images(const fs::path& folder) {
    std::error_code ec;
    for (const auto& e : fs::directory_iterator(folder, ec)) {
        if (e.path().filename().string()[0] == '.' || e.path().extension() == ".note") continue;
        auto in = OIIO::ImageInput::open(e.path().string());
        if (!in) return e.path().string() + ": " + OIIO::geterror();
        for (int level = 0; in->seek_subimage(0, level); ++level) {
            std::vector<float> texels(size_t(in->spec().width) * size_t(in->spec().height) *
                                      size_t(in->spec().nchannels));
            if (!in->read_image(0, level, 0, -1, OIIO::TypeDesc::FLOAT, texels.data()))
                return e.path().string() + ": " + in->geterror();
        }
        in->geterror();
    }
    return "";
}

void pack(const fs::path& folder, bool once) {
    const test::Scratch maps;
    write_map(maps.path / "crate_basecolor.png", 128, 1);
    write_map(maps.path / "crate_roughness.png", 128, 2);
    std::vector<Error> problems;
    const auto sets = texture::find_map_sets({maps.path}, problems);
    const auto recipe = exchange::read_recipe(shipped_assets() / "recipes" / "each-slot-8bit.json");
    for (int i = 0; i == 0 || !once; ++i) {
        (void)exchange::pack(sets.at(0), *recipe, folder / "packed");
        if (!i) begun(folder);
    }
}
std::string wrong_pack(const fs::path& folder) {
    return wrong_images(folder / "packed");
}

void collect(const fs::path& folder, bool once) {
    const test::Scratch from;
    from.write("square.obj", test::square_obj);
    write_map(from.path / "a.png", 256, 3);
    Scene s = test::plain_scene("square.obj");
    s.name = "0";
    scene::Node n;
    n.id = "i";
    n.kind = "image";
    n.type = "color3";
    n.inputs["file"].value = std::string("a.png");
    s.build_ups[0].layers[0].nodes.push_back(n);
    for (int i = 0; i == 0 || !once; ++i) {
        (void)exchange::collect(s, Paths(from.path, {}, nullptr), folder / "to" / "p.vemtra");
        if (!i) begun(folder);
    }
}
std::string wrong_collect(const fs::path& folder) {
    const fs::path to = folder / "to";
    if (std::string w = wrong_numbered(to / "p.vemtra"); !w.empty()) return w;
    const auto asset = read_file(to / "assets" / "square.obj");
    if (!asset || *asset != test::square_obj) return "the asset is not what it was";
    return wrong_images(to / "maps");
}

void prepare(const fs::path& folder, bool once) {
    const test::Scratch from;
    texture::MapCache cache(folder / "cache", uint64_t(3) << 20);
    for (int i = 0; i == 0 || !once; ++i) {
        write_map(from.path / "m.png", 300, i);
        cache.prepare_all({{from.path / "m.png", "srgb_texture"}});
        if (!i) begun(folder);
    }
}
std::string wrong_prepare(const fs::path& folder) {
    return wrong_images(folder / "cache");
}

/// Fields of a square, whose wanted reach is the number.
struct FieldOfSquare {
    std::vector<geometry::Instance> instances;
    std::unique_ptr<geometry::Geometry> geometry;
    FieldOfSquare() {
        auto mesh = std::make_shared<geometry::Mesh>();
        mesh->positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        mesh->normals.assign(3, V3f(0, 0, 1));
        mesh->indices = {0, 1, 2};
        geometry =
            std::make_unique<geometry::Geometry>(std::vector<geometry::Instance>{{geometry::make_shape(mesh), M44f()}});
    }
    static nodes::FieldRequest request(int number) {
        nodes::FieldRequest r;
        r.field = "cavity";
        r.parameters.assign(geometry::field_kinds()[0].parameters.size(), .01f + .001f * float(number));
        return r;
    }
    static constexpr size_t bytes = 1200000;  // a large one: a kill shall meet its writing
};
void fields(const fs::path& folder, bool once) {
    ::setenv("XDG_CACHE_HOME", folder.c_str(), 1);
    const FieldOfSquare square;
    for (int i = 0; i == 0 || !once; ++i) {
        geometry::FormField field;
        auto part = std::make_shared<geometry::FormField::PartField>();
        part->at_vertex.shares.assign(3 * geometry::reach_knots, uint8_t(i));
        part->first.assign(1, geometry::FormField::uncut);
        part->inside.shares.assign(FieldOfSquare::bytes, uint8_t(i));
        field.parts = {part};
        field.content =
            geometry::field_content(*square.geometry, {1}, FieldOfSquare::request(i % 5), geometry::field_rays_final);
        geometry::keep_field(field);
        if (!i) begun(folder);
    }
}
std::string wrong_fields(const fs::path& folder) {
    const test::CacheIn cache(folder);
    const FieldOfSquare square;
    std::string wrong;
    size_t whole = 0, there = 0;
    for (const auto& e : fs::directory_iterator(folder / "vemtra" / "fields"))
        there += e.path().extension() == ".field" && e.path().filename().string()[0] != '.';
    for (int i = 0; i < 5; ++i) {
        const auto field = geometry::cached_field(*square.geometry, {1}, FieldOfSquare::request(i));
        if (!field) continue;
        ++whole;
        if (field->parts[0]->inside.shares.size() != FieldOfSquare::bytes) wrong = "a field is not whole";
    }
    if (whole != there || !whole)
        wrong = std::to_string(there) + " fields, " + std::to_string(whole) + " of them whole";
    return wrong;
}

/// Two sheets that are painted all over with the number of the state.
Scene painted(Scene before, int number) {
    before.name = std::to_string(number);
    before.kept_values.resize(size_t(number % 7) * 20);
    if (before.paintings.empty()) before.paintings.push_back({.id = "p", .name = "P", .size = 128});
    scene::Painting& p = before.paintings[0];
    for (const int tile : {1001, 1002}) {
        if (!p.sheet(tile)) p.sheets.push_back({tile, 128, "", scene::Texels::blank(128, 2), {}});
        for (scene::Sheet& sheet : p.sheets) {
            if (sheet.tile != tile) continue;
            scene::TexelsEdit edit(sheet.texels);
            for (int i = 0; i < 4; ++i)
                std::fill_n(edit.tile(i % 2, i / 2), sheet.texels->halves(),
                            scene::float_to_half(float(number % 1000)));
            sheet.texels = edit.done();
        }
    }
    return before;
}
void paint(const fs::path& folder, bool once) {
    const fs::path project = folder / "p.vemtra";
    const fs::path autosave = scene::autosave_path(project);
    const Paths paths(folder);
    Scene saved;
    if (auto loaded = scene::load(project)) {
        saved = std::move(loaded->scene);
        std::vector<Error> problems;
        texture::load_paintings(saved, paths, problems);
    }
    Scene now = saved;
    scene::PaintJournal journal;
    journal.begin(saved);
    for (int i = 0; i == 0 || !once; ++i) {
        now = painted(now, i);
        (void)scene::save_in_progress(now, autosave, journal);
        if (i % 3 == 0) {
            const auto gone = texture::save_paintings(now, project, paths, &saved);
            if (!gone || !scene::save(now, project)) continue;
            saved = now;
            fs::remove(autosave);
            journal.discard();
            journal.begin(saved);
            for (const fs::path& f : *gone) fs::remove(f);
        }
        if (!i) begun(folder);
    }
}
std::string wrong_painted(const fs::path& file, const fs::path& folder) {
    auto loaded = scene::load(file);
    if (!loaded) return loaded.error().line();
    Scene& s = loaded->scene;
    const int state = scene::take_paint_state(s);
    texture::load_paintings(s, Paths(folder), loaded->problems);
    if (!loaded->problems.empty()) return loaded->problems.front().line();
    if (!scene::PaintJournal::replay(scene::journal_path(file), state, s)) return "the journal does not have the state";
    const float number = float(std::stoi(s.name) % 1000);
    for (const int tile : {1001, 1002}) {
        const scene::Sheet* sheet = s.paintings.empty() ? nullptr : s.paintings[0].sheet(tile);
        if (!sheet || !sheet->texels) return "a sheet is missing";
        for (int i = 0; i < 4; ++i) {
            const scene::TexelTile& t = sheet->texels->tile(0, i % 2, i / 2);
            const float value = t ? scene::half_to_float(t[0]) : 0.f;
            if (value != number)
                return "sheet " + std::to_string(tile) + " has " + std::to_string(value) + " for " + s.name;
        }
    }
    return "";
}
std::string wrong_paint(const fs::path& folder) {
    if (std::string w = wrong_painted(folder / "p.vemtra", folder); !w.empty()) return "project: " + w;
    const fs::path autosave = scene::autosave_path(folder / "p.vemtra");
    if (!fs::exists(autosave)) return "";
    const std::string w = wrong_painted(autosave, folder);
    return w.empty() ? "" : "autosave: " + w;
}

}  // namespace

const std::vector<Work>& works() {
    static const std::vector<Work> all = {
        {"save", save, wrong_save},       {"autosave", autosave, wrong_autosave}, {"picture", picture, wrong_picture},
        {"pack", pack, wrong_pack},       {"collect", collect, wrong_collect},    {"prepare", prepare, wrong_prepare},
        {"fields", fields, wrong_fields}, {"paint", paint, wrong_paint},
    };
    return all;
}
const Work* work(const std::string& name) {
    for (const Work& w : works())
        if (name == w.name) return &w;
    return nullptr;
}

size_t unfinished_files(const fs::path& folder) {
    size_t n = 0;
    for (const auto& e : fs::recursive_directory_iterator(folder))
        n += e.path().filename().string().find(".part") != std::string::npos;
    return n;
}

bool was_work(int argc, char** argv) {
    if (argc < 4 || std::string(argv[1]) != "--work") return false;
    if (const Work* w = work(argv[2])) w->go(argv[3], argc > 4);
    return true;
}

}  // namespace vemtra::hostile
