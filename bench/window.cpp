#include "bench.h"

#ifdef VEMTRA_WITH_APP
#include <fcntl.h>
#include <unistd.h>
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QProcess>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QThread>
#include <QTimer>

#include <atomic>
#include <cstring>
#include <ctime>

#include "app/board/board.h"
#include "app/main_window.h"
#include "app/theme/theme.h"
#include "app/view/render_view.h"
#include "scene/edits.h"

namespace vemtra::bench {

namespace {
/// Hundredths of a second that the host of a virtual machine kept its processors to itself, since its start; 0 on a
/// real one.
long stolen() {
    static const int file = ::open("/proc/stat", O_RDONLY);
    char text[256] = {};
    if (file < 0 || ::pread(file, text, sizeof text - 1, 0) <= 0) return 0;
    long steal = 0;
    std::sscanf(text, "cpu %*d %*d %*d %*d %*d %*d %*d %ld", &steal);
    return steal;
}

/// Seconds since this process was started, its libraries' loading with it.
double since_start() {
    const int file = ::open("/proc/self/stat", O_RDONLY);
    char text[1024] = {};
    const ssize_t got = file < 0 ? 0 : ::read(file, text, sizeof text - 1);
    if (file >= 0) ::close(file);
    const char* rest = got > 0 ? std::strrchr(text, ')') : nullptr;  // the name may hold anything
    unsigned long long ticks = 0;
    if (!rest ||
        std::sscanf(rest + 1, " %*c %*d %*d %*d %*d %*d %*u %*u %*u %*u %*u %*u %*u %*d %*d %*d %*d %*d %*d %llu",
                    &ticks) != 1)
        return 0;
    timespec now{};
    clock_gettime(CLOCK_BOOTTIME, &now);
    return double(now.tv_sec) + double(now.tv_nsec) * 1e-9 - double(ticks) / double(sysconf(_SC_CLK_TCK));
}

/// Notes the longest time that the interface thread needed for one event. Events during which the machine itself stood
/// still are kept apart: they say nothing of the program.
class Watch : public QApplication {
public:
    using QApplication::QApplication;
    double longest = 0, longest_stolen = 0;
    QString longest_of;
    int depth = 0;
    bool notify(QObject* o, QEvent* e) override {
        QElapsedTimer t;
        const QString name =
            depth == 0 ? QString("%1, event %2").arg(o->metaObject()->className()).arg(int(e->type())) : QString();
        const long before = depth == 0 ? stolen() : 0;
        t.start();
        ++depth;
        const bool r = QApplication::notify(o, e);
        --depth;
        const double ms = double(t.nsecsElapsed()) / 1e6;
        if (depth > 0 || ms <= longest) return r;
        if (stolen() != before)
            longest_stolen = std::max(longest_stolen, ms);
        else
            longest = ms, longest_of = name;
        return r;
    }
};
}  // namespace

namespace {
/// Works off what there is to do, asleep until there is something, at most `most` ms: as an application's own loop is,
/// which leaves the processors to the picture while the hand rests.
void events(int most) {
    QTimer wake;
    wake.setSingleShot(true);
    wake.start(most);
    QCoreApplication::processEvents(QEventLoop::AllEvents | QEventLoop::WaitForMoreEvents);
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);  // an application's own loop does that, too
}

/// Layers and nodes are selected in turn beside the live picture.
void selecting(app::MainWindow& w, Watch& application) {
    auto& bench = w.bench();
    auto holds = [&](const char* what, const std::vector<std::string>& ids, auto&& select) {
        std::vector<double> all;
        for (int round = 0; round < 3; ++round)
            for (const std::string& id : ids) {
                application.longest = 0;
                QElapsedTimer t;
                t.start();
                select(id);
                const double own = double(t.nsecsElapsed()) / 1e6;
                for (int i = 0; i < 30; ++i) events(10);
                all.push_back(std::max(own, application.longest));
            }
        std::sort(all.begin(), all.end());
        std::printf("  %s, longest hold: median %.1f ms, slowest of %zu %.1f ms\n", what, all[all.size() / 2],
                    all.size(), all.back());
        return all[all.size() / 2];
    };
    bench.select_part("body");
    std::vector<std::string> layers;
    std::vector<std::string> nodes;
    for (const scene::Layer& l : bench.build_up()->layers) {
        layers.push_back(l.id);
        for (const scene::Node& n : l.nodes)
            if (nodes.size() < 12) nodes.push_back(n.id);
    }
    const double layer = holds("selecting a layer", layers, [&](const std::string& id) { bench.select_layer(id); });
    line("selecting a layer holds the interface thread, median", layer, "ms", "<= 16 ms", layer <= 16);
    const double node = holds("selecting a node", nodes, [&](const std::string& id) { bench.select_node(id); });
    line("selecting a node, median", node, "ms", "<= 16 ms", node <= 16);
}

/// A build-up of ten layers with thirty nodes each, laid out and drawn.
void board_of_300(app::MainWindow& w) {
    auto& bench = w.bench();
    bench.edit_build_up("Many", [](scene::BuildUp& b) {
        for (int l = 0; l < 10; ++l) {
            const std::string layer = scene::add_layer(b, "Layer " + std::to_string(l));
            std::string last;
            for (int n = 0; n < 30; ++n) {
                const std::string id = scene::add_node(b, layer, n % 6 ? "levels" : "fractal3d", "float", "Node");
                if (n % 6) scene::node(b, id)->inputs["in"].from = last;
                last = id;
            }
            scene::find(b.layers, layer)->gate.mask.from = last;
        }
    });
    app::Board& board = *w.board();
    board.zoom_to_fit();
    auto laid_out_and_drawn = [&](const char* what) {
        std::vector<double> taken;
        for (int k = 0; k < 21; ++k) {
            QElapsedTimer t;
            t.start();
            board.resize(board.width() - (k % 2 ? 1 : -1), board.height());
            board.viewport()->grab();
            taken.push_back(double(t.nsecsElapsed()) / 1e6);
        }
        std::sort(taken.begin(), taken.end());
        line(what, taken[10], "ms", "<= 16 ms", taken[10] <= 16);
    };
    laid_out_and_drawn("board of 300 nodes, all in sight: laid out and drawn, median");
    std::vector<double> times;
    const auto* b = bench.build_up();
    for (int k = 0; k < 21; ++k) {
        QElapsedTimer t;
        t.start();
        const app::BoardLayout layout = app::lay_out(*b, 700, &bench.scene());
        times.push_back(double(t.nsecsElapsed()) / 1e6);
        if (layout.tiles.size() < 300) std::abort();
    }
    std::sort(times.begin(), times.end());
    line("the same, laid out alone", times[10], "ms", "<= 4 ms", times[10] <= 4);
    QElapsedTimer t;
    t.start();
    const std::string first = b->layers.back().nodes.front().id;
    bench.edit_build_up("Upstream", [&](scene::BuildUp& x) { scene::node(x, first)->inputs["octaves"].value = 2.f; });
    const auto wanted = bench.snapshot();
    while (bench.measured_scene() != wanted && t.elapsed() < 20000) events(5);
    line("from an edit upstream to the pictures of all nodes", double(t.elapsed()) / 1000, "s", "<= 2 s",
         t.elapsed() <= 2000);
    laid_out_and_drawn("board of 300 nodes with their pictures, median");
    board.zoom_to_fit();
    bench.undo();
    bench.undo();
}

/// Strokes of the demo's mask begin at places of the picture; the time runs from the hand's first touch until the
/// window has a picture whose pixels there are others.
void brush(app::MainWindow& w, Watch& application) {
    auto& bench = w.bench();
    bench.select_part("body");
    bench.select_layer("rust");
    bench.painter().arm_selected();
    QElapsedTimer t;
    t.start();
    auto until = [&](auto&& met, qint64 most) {
        t.start();
        while (!met() && t.elapsed() < most) events(1);
        return double(t.nsecsElapsed()) / 1e6;
    };
    auto settled = [&](int samples) {
        until(
            [&] {
                const auto image = bench.image();
                return image->request.scene == bench.snapshot() && image->samples >= samples && image->coarse == 1;
            },
            30000);
    };
    settled(8);
    bench.painter().change_brush([](paint::StockBrush& b) {
        b = paint::shipped_brushes()[1];
        b.brush.size = 24.f;  // so that no mark covers where the next one is looked for
        b.brush.flow = 1.f;
    });
    application.longest = application.longest_stolen = 0;
    std::vector<double> first;
    std::vector<double> next;
    app::RenderView& view = *w.view();
    for (int k = 0; k < 12; ++k) {
        const QPointF at(view.width() * (.46 + .01 * k), view.height() * .80);
        auto pixels = [&](const QPointF& p) {
            const auto image = bench.image();
            const int x = int(p.x() / view.width() * image->width);
            const int y = int(p.y() / view.height() * image->height);
            std::vector<uint8_t> out;
            for (int j = -6; j <= 6; j += 3)
                for (int i = -6; i <= 6; i += 3)
                    for (int c = 0; c < 3; ++c)
                        out.push_back(
                            image->bgra[4 * (size_t(y + j) * size_t(image->width) + size_t(x + i)) + size_t(c)]);
            return out;
        };
        auto apart = [&](const std::vector<uint8_t>& before, const QPointF& p) {
            const auto now = pixels(p);
            int most = 0;
            for (size_t i = 0; i < now.size(); ++i) most = std::max(most, std::abs(int(now[i]) - int(before[i])));
            return most;
        };
        auto other = [&](const std::vector<uint8_t>& before, const QPointF& p) { return apart(before, p) > 24; };
        auto send = [&](QEvent::Type type, const QPointF& p) {
            QMouseEvent e(type, p, view.mapToGlobal(p), Qt::LeftButton,
                          type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(&view, &e);
        };
        auto before = pixels(at);
        t.start();
        send(QEvent::MouseButtonPress, at);
        first.push_back(until([&] { return other(before, at); }, 1000));
        // The hand goes on.
        for (int step = 1; step <= 3; ++step) {
            const QPointF to = at + QPointF(0, -20. * step);
            before = pixels(to);
            send(QEvent::MouseMove, to);
            next.push_back(until([&] { return other(before, to); }, 1000));
            if (next.back() > 200)
                std::printf("  stroke %d, movement %d: %.0f ms; colours apart before and after: %d\n", k, step,
                            next.back(), apart(before, to));
        }
        send(QEvent::MouseButtonRelease, at);
        bench.painter().finish();
        until([&] { return false; }, 300);
        bench.undo();  // the next stroke meets bare places again: on painted ones nothing would change
        settled(4);
    }
    std::sort(first.begin(), first.end());
    std::sort(next.begin(), next.end());
    std::printf("  slowest first touch %.0f ms, slowest further one %.0f ms; longest event: %s\n", first.back(),
                next.back(), qPrintable(application.longest_of));
    line("from a touch of the brush to changed pixels, median", first[first.size() / 2], "ms", "<= 50 ms",
         first[first.size() / 2] <= 50);
    line("from a further movement to changed pixels, median", next[next.size() / 2], "ms", "<= 50 ms",
         next[next.size() / 2] <= 50);
    line("longest hold of the interface thread meanwhile", application.longest, "ms", "<= 16 ms",
         application.longest <= 16);
    bench.painter().put_down();
    while (bench.document().can_undo()) bench.undo();
}
}  // namespace

/// A hand that does not rest: a movement every 8 ms for two seconds, as mice report them.
struct Moved {
    int pictures = 0, carried = 0;
};
template <class Move> Moved dragged_on(app::Workbench& bench, const Move& move) {
    QElapsedTimer clock;
    clock.start();
    int movements = 0;
    Moved moved;
    double longest_wait = 0;
    double last_seen = 0;
    auto seen = bench.image();
    while (clock.elapsed() < 2000) {
        if (clock.elapsed() >= 8 * movements) {
            ++movements;
            move(movements);
        }
        events(1);
        if (bench.image() == seen) continue;
        seen = bench.image();
        ++moved.pictures;
        moved.carried += seen->carried;
        const double now = double(clock.nsecsElapsed()) / 1e6;
        longest_wait = std::max(longest_wait, now - last_seen);
        last_seen = now;
    }
    longest_wait = std::max(longest_wait, 2000 - last_seen);
    std::printf("  %d movements in two seconds: %d pictures, at most %.0f ms between them\n", movements, moved.pictures,
                longest_wait);
    return moved;
}
void dragged_on(app::Workbench& bench) {
    const Moved slider = dragged_on(bench, [&](int movement) {
        bench.edit_build_up(
            "amount",
            [&](scene::BuildUp& b) { scene::find(b.layers, "lacquer")->amount = .5f + .002f * float(movement); },
            "amount");
    });
    line("pictures a second while a slider is dragged without rest", slider.pictures * .5, "", ">= 8",
         slider.pictures >= 16);
    bench.undo();
    while (!bench.image() || !bench.image()->complete || bench.image()->samples < 8 ||
           bench.image()->request.scene != bench.snapshot())
        events(5);
    const Moved camera = dragged_on(bench, [&](int) {
        bench.edit(
            "Orbit",
            [&](scene::Scene& s) {
                scene::Camera& c = *scene::find(s.cameras, scene::active_camera(s)->id);
                const V3f d = c.position - c.target;
                const float a = .005f;
                c.position =
                    c.target + V3f(d.x * std::cos(a) + d.z * std::sin(a), d.y, d.z * std::cos(a) - d.x * std::sin(a));
            },
            "orbit");
    });
    line("the same while the camera goes around", camera.pictures * .5, "", ">= 8", camera.pictures >= 16);
    line("of them, with what the picture before showed", double(camera.carried) / std::max(1, camera.pictures), "",
         ">= 0.9", camera.carried * 10 >= camera.pictures * 9);
    bench.undo();
}

/// From edits of the selected build-up to a picture of each, milliseconds, sorted. The time runs until the picture has
/// been handed to the window's painter.
std::vector<double> delays_of(app::Workbench& bench, const char* label,
                              const std::function<void(scene::BuildUp&, int)>& change) {
    std::vector<double> delays;
    for (int k = 0; k < 40; ++k) {
        QElapsedTimer t;
        t.start();
        bench.edit_build_up(
            label, [&](scene::BuildUp& b) { change(b, k); }, label);
        const auto wanted = bench.snapshot();
        while (bench.image()->request.scene != wanted) events(2);
        QCoreApplication::processEvents();
        delays.push_back(double(t.nsecsElapsed()) / 1e6);
        QElapsedTimer pause;
        pause.start();
        while (pause.elapsed() < 30) events(5);
    }
    std::sort(delays.begin(), delays.end());
    return delays;
}

/// Heights are dragged: one of a map alone, and the computed ones of three layers.
void heights(app::MainWindow& w) {
    app::Workbench& bench = w.bench();
    w.open_project(fs::path(test::source_folder) / "demo" / "relief.vemtra", false);
    while (!bench.image() || bench.image()->request.scene != bench.snapshot() || bench.image()->samples < 9) events(5);
    auto drag = [&](const char* what, const char* part, const char* layer) {
        bench.select_part(part);
        bench.select_layer(layer);
        for (int i = 0; i < 30; ++i) events(10);
        const std::vector<double> delays = delays_of(bench, "height", [&](scene::BuildUp& b, int k) {
            scene::Layer* l = scene::find(b.layers, layer);
            if (!l) return;
            scene::Input& scale = l->surface["height_scale"];
            scale.value = (1.f + .02f * float(k % 2 ? 1 : -1)) * std::max(1e-5f, scene::as_number(scale.value));
        });
        std::printf("  %s: slowest of 40 %.0f ms\n", what, delays.back());
        line(what, delays[20], "ms", "<= 150 ms", delays[20] <= 150);
    };
    drag("computed heights of a rope dragged, to a picture", "rope", "hemp");
    drag("computed heights of three layers dragged, to a picture", "body", "galvanised-steel");
}

namespace {

void open_demo(app::MainWindow& w) {
    w.resize(1280, 800);
    w.show();
    w.open_project(fs::path(test::source_folder) / "demo" / "lantern.vemtra", false);
}
/// Up to the first picture of its bare forms, or of what they wear.
void wait_for_picture(app::MainWindow& w, bool bare) {
    const auto shown = [&] {  // the window shows a picture of nothing before
        const auto& image = w.bench().image();
        return image && !image->prepared->parts.empty() && (bare || !image->prepared->scene->build_ups.empty());
    };
    while (!shown()) events(2);
}
/// Seconds from start to the first picture, to that of what the forms wear, and how much longer the loading of
/// libraries took before, in a process of its own.
std::array<double, 3> opened_in(const QString& caches) {
    QProcess one;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    if (!caches.isEmpty()) environment.insert("XDG_CACHE_HOME", caches);
    one.setProcessEnvironment(environment);
    one.start("/proc/self/exe", {"opening"});
    const std::array<double, 3> none{INFINITY, INFINITY, INFINITY};
    if (!one.waitForFinished(60000)) return none;
    const QList<QByteArray> told = one.readAllStandardOutput().trimmed().split(' ');
    return told.size() == 3 ? std::array{told[0].toDouble(), told[1].toDouble(), told[2].toDouble()} : none;
}

}  // namespace

void opening(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QElapsedTimer clock;
    clock.start();
    const Watch application(argc, argv);
    app::load_fonts();
    app::use_theme(false);
    app::MainWindow w;
    open_demo(w);
    wait_for_picture(w, true);
    const double bare = double(clock.elapsed()) / 1000;
    const double loading = since_start() - bare;
    wait_for_picture(w, false);
    std::printf("%.3f %.3f %.3f\n", bare, double(clock.elapsed()) / 1000, loading);
    std::fflush(stdout);
    w.bench().files().discard_autosave();
    std::_Exit(0);  // its caches are nobody's
}

void window(int argc, char** argv) {
    if (!qEnvironmentVariableIsSet("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
    Watch application(argc, argv);
    const QTemporaryDir nothing;
    const auto [bare, dressed, loading] = opened_in(nothing.path());
    line("from start to the first picture (bare forms), nothing cached", bare, "s", "<= 0.6 s", bare <= .6);
    std::printf("  to what the forms wear %.2f s; the loading of libraries before %.2f s\n", dressed, loading);
    app::load_fonts();
    app::use_theme(false);
    app::MainWindow w;
    open_demo(w);
    wait_for_picture(w, false);
    auto& bench = w.bench();
    while (!(bench.image()->coarse == 1 && bench.image()->samples >= 9 && bench.image()->fields_final)) events(5);

    // A slider is moved; the time runs until a picture of that edit has been handed to the window's painter.
    bench.select_part("body");
    bench.select_layer("lacquer");
    for (int i = 0; i < 30; ++i) events(10);
    application.longest = application.longest_stolen = 0;
    auto amount_of = [&](const char* layer) {
        return delays_of(bench, "amount", [&](scene::BuildUp& b, int k) {
            scene::find(b.layers, layer)->amount = .5f + .01f * float(k);
        });
    };
    const std::vector<double> delays = amount_of("lacquer");
    std::printf("  slider to picture: median %.0f ms, slowest of 40 %.0f ms; longest event: %s\n", delays[20],
                delays.back(), qPrintable(application.longest_of));
    line("from a slider movement to a changed picture, median", delays[20], "ms", "<= 50 ms", delays[20] <= 50);
    bench.undo();
    const std::vector<double> thick = amount_of("marine-enamel");  // it has an edge: heights are computed anew
    std::printf("  the same of paint that has a thickness: slowest of 40 %.0f ms\n", thick.back());
    line("the same of paint that has a thickness", thick[20], "ms", "<= 150 ms", thick[20] <= 150);
    bench.undo();
    dragged_on(bench);
    line("longest hold of the interface thread meanwhile", application.longest, "ms", "<= 16 ms",
         application.longest <= 16);
    std::printf("  longest event while the machine's host held its processors: %.0f ms\n", application.longest_stolen);
    line("memory of the window with the demo", double(bench.memory()) / (1 << 20), "MB", "< 600 MB",
         bench.memory() < (600u << 20));
    selecting(w, application);
    brush(w, application);
    board_of_300(w);
    heights(w);
    bench.files().discard_autosave();
}

}  // namespace vemtra::bench
#else
namespace vemtra::bench {
void opening(int, char**) {
}
void window(int, char**) {
    std::printf("  (built without the window)\n");
}
}  // namespace vemtra::bench
#endif
