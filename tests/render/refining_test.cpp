// Final fields are computed beside the picture.
#include "render/refining.h"

#include "handed_over.h"
#include "plate_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
/// On a disk on which no field is yet: a plate whose colour follows from how closed it is.
struct ClosedPlate : Plate {
    const CacheIn cached{s.path / "cache"};
    ClosedPlate() {
        node(0, "closed", "cavity", "float", {{"reach", {scene::Value{.2f}, {}}}});
        wire(0, "base_weight", "closed");
    }
    render::LiveRequest request() {
        scene.render.samples = 12;
        render::LiveRequest r;
        r.scene = std::make_shared<const scene::Scene>(scene);
        r.folder = s.path;
        r.width = 64;
        r.height = 48;
        return r;
    }
};
std::shared_ptr<const render::Prepared> first_of(const scene::Scene& scene, const fs::path& folder,
                                                 render::Workshop& workshop) {
    render::PrepareOptions options;
    options.folder = folder;
    options.field_rays = geometry::field_rays_first;
    return render::prepare(std::make_shared<const scene::Scene>(scene), workshop, options);
}
std::shared_ptr<const render::Prepared> first_of(const Plate& p, render::Workshop& workshop) {
    return first_of(p.scene, p.s.path, workshop);
}
/// Until it has ended.
std::shared_ptr<const render::Prepared> result_of(render::Refining& refining) {
    while (!refining.ended()) ::usleep(1000);
    return refining.take();
}
}  // namespace

TEST_CASE("what is refined shows the same scene with final fields") {
    const ClosedPlate p;
    const auto workshop = std::make_shared<render::Workshop>();
    std::atomic<int> told{0};
    render::Refining refining(workshop, [&] { ++told; });
    CHECK_FALSE(refining.busy());
    const auto first = first_of(p, *workshop);
    REQUIRE_FALSE(first->fields_final);
    refining.begin(first, {.folder = p.s.path});
    CHECK(refining.busy());
    CHECK(refining.from() == first);
    const auto last = result_of(refining);
    CHECK_FALSE(refining.busy());
    CHECK(told == 1);
    REQUIRE(last);
    CHECK(last->fields_final);
    CHECK(last->scene == first->scene);
    CHECK(first_of(p, *workshop)->fields_final);  // they are in the workshop now
}

TEST_CASE("refining that is stopped gives nothing, can be begun again, and ends with its owner") {
    const ClosedPlate p;
    const auto workshop = std::make_shared<render::Workshop>();
    render::Refining refining(workshop, [] {});
    refining.begin(first_of(p, *workshop), {.folder = p.s.path});
    refining.stop();
    const auto stopped = result_of(refining);  // it may have been ready before
    refining.begin(first_of(p, *workshop), {.folder = p.s.path});
    CHECK(result_of(refining));
    refining.begin(first_of(p, *workshop), {.folder = p.s.path});
}

TEST_CASE("work on fields goes on through edits that they do not follow from") {
    ClosedPlate p;
    render::Workshop workshop;
    const auto before = first_of(p, workshop);
    p.set(0, "base_metalness", .5f);
    p.scene.cameras[0].position.x += .1f;
    CHECK(render::reads_the_same_fields(*before, *first_of(p, workshop)));
    p.layer(0).nodes[0].inputs["reach"].value = scene::Value{.9f};
    CHECK_FALSE(render::reads_the_same_fields(*before, *first_of(p, workshop)));
    scene::Scene hidden = p.scene;
    hidden.parts[0].visible = false;
    CHECK_FALSE(render::reads_the_same_fields(*before, *first_of(hidden, p.s.path, workshop)));
}

TEST_CASE("a picture with coarse fields is shown until the one with final fields is there, whatever the hands do") {
    ClosedPlate p;
    const auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    render::LiveRequest r;
    r.folder = p.s.path;
    r.width = r.height = 32;
    r.denoise = false;
    p.scene.render.samples = 12;
    uint64_t edit = 0;
    for (const float metal : {0.f, .25f, .5f, 1.f}) {
        p.set(0, "base_metalness", metal);
        r.scene = std::make_shared<const scene::Scene>(p.scene);
        edit = session.request(r);
        ::usleep(5000);
    }
    std::shared_ptr<const render::LiveImage> image;
    while (!(image = session.latest()) || image->edit != edit || image->samples < 12 || !image->fields_final)
        ::usleep(1000);
    CHECK(session.activity().empty());
    const auto whole = prepared(p.scene, p.s.path, *workshop);
    auto film = render::render_picture(
        *whole, {.width = 32, .height = 32, .samples = 12, .preview_clamp = true, .coverage = false});
    std::vector<V3f> expected;
    film->resolve(render::group_gains(*whole, p.scene), expected);
    CHECK(image->linear == expected);
}

TEST_CASE("a picture that stands on after an edit does so when its fields become final, and waits while it is held") {
    ClosedPlate p;
    const auto workshop = std::make_shared<render::Workshop>();
    render::LiveSession session(workshop);
    render::LiveRequest r;
    r.folder = p.s.path;
    r.width = r.height = 32;
    p.scene.render.samples = 1000000;
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    auto wait = [&](uint64_t edit, uint32_t samples) {
        std::shared_ptr<const render::LiveImage> image;
        while (!(image = session.latest()) || image->edit != edit || image->coarse > 1 || !image->fields_final ||
               image->samples < samples)
            ::usleep(1000);
        return image;
    };
    CHECK_FALSE(wait(session.request(r), 9)->stands_on);
    p.layer(0).nodes[0].inputs["reach"].value = scene::Value{.9f};
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    session.request(r);
    r.hold = true;
    session.request(r);
    ::usleep(50000);
    r.hold = false;
    CHECK(wait(session.request(r), 2)->stands_on);
}

TEST_CASE("a part that is moved shows the fields that are known of it until there are right ones") {
    ClosedPlate p;
    render::LiveRequest r = p.request();
    render::LiveSession session(std::make_shared<render::Workshop>());
    auto wait = [&](uint64_t edit, bool final) {
        std::shared_ptr<const render::LiveImage> image;
        while (!(image = session.latest()) || image->edit != edit || (final && !image->fields_final)) ::usleep(200);
        return image;
    };
    const auto before = wait(session.request(r), true);
    auto field_of = [](const render::LiveImage& image) { return image.prepared->fields->all().at(0)->parts.at(0); };
    p.scene.parts[0].placement.position.x += .1f;
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    const uint64_t moved = session.request(r);
    const auto first = wait(moved, false);
    CHECK(first->prepared->fields_as_before);
    CHECK_FALSE(first->fields_final);
    CHECK(field_of(*first) == field_of(*before));
    const auto last = wait(moved, true);
    CHECK_FALSE(last->prepared->fields_as_before);
    render::Workshop fresh;
    render::PrepareOptions options;
    options.folder = p.s.path;
    const auto plain = render::prepare(r.scene, fresh, options);
    CHECK(plain->fields->all().at(0)->parts.at(0)->at_vertex == field_of(*last)->at_vertex);
    CHECK(plain->fields->all().at(0)->contents == last->prepared->fields->all().at(0)->contents);
}

TEST_CASE("what is opened shows its forms, a glance at its fields, then closer looks; kept ones it shows at once") {
    ClosedPlate p;
    render::LiveRequest r = p.request();
    constexpr int in_clay = -1000;
    // Every picture is looked at as it is handed over: the next may follow before another thread has looked once.
    auto looks = [&](render::LiveSession& session, const render::LiveRequest& request) {
        const HandedOver handed_over(session);
        const uint64_t edit = session.request(request);
        std::vector<HandedOver::Image> images;
        for (; images.empty() || !images.back()->fields_final; images = handed_over.of(edit)) ::usleep(200);
        std::vector<int> rays;
        for (const auto& image : images) {
            const bool bare = image->prepared->scene->build_ups.empty();
            const int n = bare ? in_clay : image->prepared->fields->all().at(0)->rays;
            if (bare) {
                CHECK(image->request.scene == request.scene);
                CHECK(image->prepared->parts.size() == 1);
                CHECK_FALSE(image->complete);
                CHECK_FALSE(image->fields_final);
            }
            if (rays.empty() || rays.back() != n) rays.push_back(n);
        }
        return rays;
    };
    render::LiveSession session(std::make_shared<render::Workshop>());
    const std::vector<int> opened = looks(session, r);
    REQUIRE(opened.size() >= 3);
    CHECK(opened[0] == in_clay);
    CHECK(opened[1] < geometry::field_rays_first);
    CHECK(opened.back() >= geometry::field_rays_final);
    CHECK(std::is_sorted(opened.begin(), opened.end()));
    // A mask that is wired into what stands is looked at closely at once.
    p.node(0, "closed", "cavity", "float", {{"reach", {scene::Value{.3f}, {}}}});
    r.scene = std::make_shared<const scene::Scene>(p.scene);
    CHECK(looks(session, r).front() >= geometry::field_rays_first);
    render::LiveSession again(std::make_shared<render::Workshop>());
    CHECK(looks(again, r) == std::vector{in_clay, geometry::field_rays_final});
}

TEST_CASE("a mask that names parts follows their names, and what it names in vain is told") {
    Plate p;
    p.node(0, "near", "nearby", "float", {{"parts", {scene::Value{std::string("Oth*")}, {}}}});
    p.wire(0, "base_weight", "near");
    render::Workshop workshop;
    auto told = [&](const render::Prepared& prepared) {
        return std::any_of(prepared.problems.begin(), prepared.problems.end(), [](const Error& e) {
            return e.what == "A mask names a part that is not there" && e.why.find("'Oth*'") != std::string::npos;
        });
    };
    const auto first = first_of(p, workshop);
    CHECK(told(*first));
    scene::Scene renamed = p.scene;
    renamed.parts[0].name = "Other";
    const auto second = first_of(renamed, p.s.path, workshop);
    CHECK_FALSE(told(*second));
    CHECK_FALSE(render::reads_the_same_fields(*first, *second));
    renamed.parts[0].name = "Others";  // is meant as well
    CHECK(render::reads_the_same_fields(*second, *first_of(renamed, p.s.path, workshop)));
    scene::node(p.scene.build_ups[0], "near")->inputs["parts"].value = std::string();
    CHECK_FALSE(told(*first_of(p, workshop)));
}
