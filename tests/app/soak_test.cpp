// Hours of work in minutes: edits, undo, imports, saving and looking around at random in the real window, watched for
// memory and file handles that grow. ./run soak [MINUTES]; a few seconds of it in every ./run test.
#include <random>

#include "app/window.h"
#include "scene/edits.h"

using namespace vemtra;
using namespace vemtra::test;

extern "C" int mallctl(const char*, void*, size_t*, void*, size_t) __attribute__((weak));  // none under sanitizers

namespace {

struct Held {
    double megabytes = 0, in_use = 0;  ///< of the process; of those, what the heap has given out
    size_t handles = 0;
};
Held held(const app::Workbench& bench) {
    size_t handles = 0;
    for (const auto& e : entries_of("/proc/self/fd")) handles += !e.path().empty();
    size_t given = 0;
    if (mallctl) {
        uint64_t now = 1;  // its figures are of the last such moment
        size_t size = sizeof now;
        mallctl("epoch", &now, &size, &now, size);
        size = sizeof given;
        mallctl("stats.allocated", &given, &size, nullptr, 0);
    }
    return {double(bench.memory()) / (1 << 20), double(given) / (1 << 20), handles};
}

/// Where VEMTRA_SOAK_HEAP names a folder and the heap keeps a profile (MALLOC_CONF=prof:true), for its tools.
void dump_heap(int number) {
    const char* folder = std::getenv("VEMTRA_SOAK_HEAP");
    if (!folder || !mallctl) return;
    const std::string file = std::string(folder) + "/heap-" + std::to_string(number);
    const char* name = file.c_str();
    mallctl("prof.dump", nullptr, nullptr, &name, sizeof name);
}

class Hands {
public:
    Hands(app::MainWindow& window, uint32_t seed) : w_(window), bench_(window.bench()), random_(seed) {}

    void do_something() {
        using Deed = void (Hands::*)();
        static constexpr Deed deeds[] = {
            &Hands::turn_a_slot, &Hands::turn_a_slot, &Hands::select_something, &Hands::add_and_remove, &Hands::undo,
            &Hands::redo,        &Hands::orbit,       &Hands::look_otherwise,   &Hands::stock,          &Hands::import,
            &Hands::save,        &Hands::keep,        &Hands::resize,           &Hands::move_part,      &Hands::type};
        (this->*deeds[below(std::size(deeds))])();
        ++done_;
    }
    size_t done() const { return done_; }
    const Scratch& scratch() const { return scratch_; }

private:
    size_t below(size_t n) { return random_() % n; }
    float unit() { return float(random_() & 0xffff) / 65535.f; }

    void turn_a_slot() {
        if (!bench_.layer()) return select_something();
        const char* slots[] = {"specular_roughness", "base_metalness", "specular_weight", "coat_weight"};
        const std::string slot = slots[below(std::size(slots))], layer = bench_.layer()->id;
        for (int step = 0; step < 5; ++step) {
            const float value = unit();
            bench_.edit_build_up(
                "turn",
                [&](scene::BuildUp& b) {
                    if (scene::Layer* l = scene::find(b.layers, layer)) l->surface[slot].value = value;
                },
                "soak-" + slot);
            QTest::qWait(15);
        }
        bench_.end_merge();
    }
    void select_something() {
        const auto& parts = bench_.scene().parts;
        if (parts.empty()) return;
        bench_.select_part(parts[below(parts.size())].id);
        if (const scene::BuildUp* b = bench_.build_up(); b && !b->layers.empty())
            bench_.select_layer(b->layers[below(b->layers.size())].id);
        if (const scene::Layer* l = bench_.layer(); l && !l->nodes.empty())
            bench_.select_node(l->nodes[below(l->nodes.size())].id);
    }
    void add_and_remove() {
        bench_.edit_build_up("layer", [&](scene::BuildUp& b) {
            if (b.layers.size() < 12)
                scene::add_layer(b, "Soaked");
            else
                scene::remove_layer(b, b.layers.back().id);
        });
    }
    void undo() {
        for (size_t i = below(6); i > 0 && bench_.document().can_undo(); --i) bench_.undo();
    }
    void redo() {
        for (size_t i = below(4); i > 0 && bench_.document().can_redo(); --i) bench_.redo();
    }
    void orbit() {
        QWidget* view = w_.view();
        const QPoint from = view->rect().center(), to = from + QPoint(int(below(120)) - 60, int(below(60)) - 30);
        QTest::mousePress(view, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 4; ++i) QTest::mouseMove(view, from + (to - from) * i / 4, 8);
        QTest::mouseRelease(view, Qt::LeftButton, {}, to);
    }
    void look_otherwise() {
        const render::View views[] = {render::View::beauty, render::View::beauty, render::View::clay,
                                      render::View::coverage, render::View::normal};
        bench_.showing().show_view(views[below(std::size(views))]);
    }
    void stock() {
        const auto& items = bench_.stockroom().stock().items;
        if (!items.empty() && bench_.layer()) bench_.stockroom().apply_stock(items[below(items.size())].layer.id);
    }
    void import() {
        if (bench_.scene().assets.size() < 3)
            bench_.files().import_asset(root / "demo" / "buoy.glb");
        else
            w_.open_project(demo_project, false);
    }
    void save() { bench_.files().save(scratch_.path / "soaked.vemtra"); }
    void keep() {
        bench_.kept_pictures().keep_picture();
        while (bench_.kept_pictures().kept().size() > 4) bench_.kept_pictures().forget_picture(0);
    }
    void resize() { w_.resize(1100 + int(below(4)) * 60, 760 + int(below(3)) * 40); }
    void move_part() {
        if (!bench_.part()) return select_something();
        bench_.arranging().move_by(V3f(.01f * (unit() - .5f), 0.f, .01f * (unit() - .5f)), "Move", "soak-move");
        bench_.end_merge();
    }
    void type() {
        const Qt::Key keys[] = {Qt::Key_O, Qt::Key_A, Qt::Key_F, Qt::Key_Escape};
        QTest::keyClick(&w_, keys[below(std::size(keys))]);
    }

    app::MainWindow& w_;
    app::Workbench& bench_;
    std::mt19937 random_;
    Scratch scratch_;
    size_t done_ = 0;
};

/// Works for so long; what is held is looked at when a sixth of the time is over, and at the end, each time at rest
/// with the demo as it is.
void soak(double minutes) {
    app::MainWindow w;
    w.resize(1280, 800);
    w.show();
    REQUIRE(w.open_project(demo_project, false));
    Hands hands(w, 20261126u);
    QElapsedTimer clock;
    clock.start();
    auto at_rest = [&] {
        wait_until([&] { return !w.bench().jobs().busy(); });
        w.bench().showing().show_view(render::View::beauty);
        w.resize(1280, 800);
        while (!w.bench().kept_pictures().kept().empty()) w.bench().kept_pictures().forget_picture(0);
        w.open_project(demo_project, false);
        picture(w, 2);
        // Memory that was given back goes to the system after ten seconds without use.
        if (minutes >= 5) QTest::qWait(15000);
        return held(w.bench());
    };
    auto work_until = [&](double end) {
        while (double(clock.elapsed()) / 60000. < end) {
            hands.do_something();
            QTest::qWait(20);
        }
        return at_rest();
    };
    std::vector<Held> all;  // of much work after each sixth: what fills up and what grows on look alike at two moments
    std::string told;
    const int rests = minutes < 5 ? 2 : 6;
    for (int rest = 1; rest <= rests; ++rest) {
        all.push_back(work_until(minutes * rest / rests));
        char line[160];
        std::snprintf(line, sizeof line,
                      "\n  after %zu deeds %.0f MB, of which the heap has given out %.0f, and %zu handles",
                      hands.done(), all.back().megabytes, all.back().in_use, all.back().handles);
        told += line;
        dump_heap(rest);
    }
    const Held& early = all.front();
    const Held& late = all.back();
    WARN(minutes << " minutes:" << told);
    if (times_slower == 1)  // a sanitizer keeps back what is freed
        CHECK(late.megabytes < early.megabytes * 1.05 + (minutes < 5 ? 100 : 0));  // the first minutes fill shelves
    CHECK(late.handles <= early.handles + 4);
    w.bench().files().discard_autosave();
}

}  // namespace

TEST_CASE("a few seconds of work at random in the window") {
    soak(.25);
}
TEST_CASE("half an hour of work at random in the window", "[.soak]") {
    const char* asked = std::getenv("VEMTRA_SOAK_MINUTES");
    soak(asked ? std::atof(asked) : 30.);
}
