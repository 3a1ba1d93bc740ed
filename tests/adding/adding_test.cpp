// The examples of docs/adding.md work: each row is used as its table uses it.
#include "cli/support.h"
#include "geometry/field.h"
#include "geometry/import.h"
#include "nodes/description.h"
#include "render/picture.h"
#include "render_support.h"
#include "review/finding.h"
#include "support.h"

namespace example {
vemtra::nodes::NodeDescription describe_stripes();
vemtra::nodes::NodeDescription describe_height_mask();
vemtra::geometry::FieldKind over_lowest_field();
extern const vemtra::geometry::ImportFormat triangles_format;
extern const vemtra::render::PictureFormat ppm_format;
extern const vemtra::review::FindingKind nameless_finding;
extern const vemtra::render::ViewKind facing_view;
vemtra::render::LightKind disc_light();
void add_layers(CLI::App& app, vemtra::cli::Options& all);
}  // namespace example

using namespace vemtra;
using namespace vemtra::test;

TEST_CASE("adding: a pure node is a description and a kernel") {
    const nodes::NodeDescription d = example::describe_stripes();
    REQUIRE(d.port("share"));
    CHECK(d.port(nodes::Role::subject) == d.port("in"));
    const float in[] = {.05f, .2f, .3f, .49f}, share[] = {.5f, .5f, .5f, .5f}, uniform[] = {4.f};
    float out[4];
    const float* from[] = {in, share};
    float* to[] = {out};
    nodes::PointBatch points;
    d.kernel.get()({4, 1, from, to, uniform, -1, &points});
    CHECK(std::vector<float>(out, out + 4) == std::vector<float>{1, 0, 1, 0});
}

TEST_CASE("adding: a node with a resource asks for it, and its field is computed by its row") {
    const nodes::NodeDescription d = example::describe_height_mask();
    scene::Node n;
    n.kind = d.kind;
    n.inputs["up"].value = 2.f;
    nodes::Resources resources;
    CHECK(d.ask({n, d, 1, "b", nullptr}, resources) == 0);
    REQUIRE(resources.fields.size() == 1);
    CHECK(resources.fields[0].parameters == std::vector<float>{2.f});
    Scratch s;
    auto r = geometry::import(s.write("m.obj", square_obj).string(), {});
    const geometry::Geometry g({geometry::Instance(geometry::make_shape(r->parts[0].mesh), M44f())});
    const geometry::FieldKind kind = example::over_lowest_field();
    const geometry::FieldSampler sample = kind.samplers(g, {resources.fields[0].parameters})();
    float out = 0.f;
    sample({V3f(0, 1, 0), V3f(0, 0, 1), V3f(0.f)}, &out);
    CHECK(out == Approx(.5f));
}

TEST_CASE("adding: a value type is a row that literals and conversions follow") {
    // "color4" came by such a row; nothing else in the program knows it by name.
    const nodes::TypeInfo& row = nodes::info(nodes::Type::color4);
    CHECK(row.components == 4);
    scene::BuildUp b = scene::default_build_up("b", "B");
    program::Resources resources;
    std::vector<Error> problems;
    const auto p = program::compile(b, {{"w", nodes::Type::color4, {scene::Value{V4f(.1f, .2f, .3f, .4f)}, {}}}},
                                    resources, problems);
    CHECK(p.component_count() == 4);
}

TEST_CASE("adding: a format of meshes is a reader in a row") {
    std::vector<Error> warnings;
    ByteStream bytes = ByteStream::of("0 0 0 1 0 0 0 1 0");
    const auto raw = example::triangles_format.read({"one.tri", bytes}, warnings, nullptr);
    REQUIRE(raw);
    CHECK((*raw)[0].positions.size() == 3);
    CHECK_FALSE(geometry::format_of("one.tri"));  // until its line stands in the register
}

TEST_CASE("adding: a format of pictures is a writer in a row") {
    Scratch s;
    s.write("square.obj", square_obj);
    render::Workshop workshop;
    const auto p = prepared(plain_scene("square.obj"), s.path, workshop);
    const render::PictureSettings settings{.width = 8, .height = 4, .samples = 1};
    const auto film = render::render_picture(*p, settings);
    REQUIRE(example::ppm_format.write(*p, *film, settings, {"t", 0}, s.path / "p.ppm"));
    CHECK(read_file(s.path / "p.ppm")->size() == std::string("P6 8 4 255\n").size() + 8 * 4 * 3);
}

TEST_CASE("adding: a check tells and brings its remedy") {
    scene::Scene scene;
    scene.build_ups.push_back(scene::default_build_up("b", "B"));
    scene.build_ups[0].layers[0].name.clear();
    render::Workshop workshop;
    review::Remembered remembered;
    const auto p = prepared(scene, fs::current_path(), workshop);
    const Paths paths(fs::current_path());
    review::Look look(*p, *workshop.textures(), paths, remembered);
    example::nameless_finding.look(look);
    REQUIRE(look.found.size() == 1);
    look.found[0].change(scene);
    CHECK_FALSE(scene.build_ups[0].layers[0].name.empty());
}

TEST_CASE("adding: a view is a colour of the first hit") {
    geometry::SurfacePoint s;
    s.normal = V3f(0, 0, 1);
    CHECK(example::facing_view.color({s, V3f(0, 0, 1)}).x == 1.f);
}

TEST_CASE("adding: a kind of light samples what its density says") {
    const render::LightKind kind = example::disc_light();
    scene::Light l;
    l.position = V3f(.2f, .1f, 1.f);
    l.target = V3f(0.f);
    l.size = V2f(.5f);
    render::AreaLight a;
    a.kind = &kind;
    a.center = l.position;
    a.radiance = V3f(1.f);
    kind.prepare(l, a);
    for (float u : {.1f, .5f, .9f}) {
        const auto s = kind.sample(a, V3f(0.f), u, .3f);
        CHECK(kind.pdf(a, V3f(0.f), s.direction) == Approx(s.pdf).epsilon(1e-3));
        CHECK(kind.intersect(a, V3f(0.f), s.direction) == Approx(s.distance).epsilon(1e-3));
    }
}

TEST_CASE("adding: a kind of layer is a row of traits") {
    for (const scene::LayerTraits& t : scene::layer_kinds()) {
        CHECK(scene::traits(t.kind).name == t.name);
        scene::Layer layer;
        layer.kind = t.kind;
        CHECK_FALSE(nodes::slots_of(layer).ports.empty());
        std::vector<Error> problems;
        CHECK(scene::parse_layer(scene::layer_json(layer), "", "", problems).kind == t.kind);
        CHECK(problems.empty());
    }
}

TEST_CASE("adding: a command of the command line is its words and what runs") {
    CLI::App app;
    cli::Options all;
    example::add_layers(app, all);
    app.parse("layers " + demo_project.string());
    CHECK(all.exit == cli::done);
}
