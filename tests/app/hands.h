// A window with the demo in it and hands that count what they do; an empty one that waits for an asset.
#pragma once
#include <QLineEdit>
#include <fstream>

#include "app/command_list.h"
#include "app/window.h"
#include "scene/edits.h"

namespace vemtra::test {

struct Hands {
    app::MainWindow w;
    app::Workbench& bench = w.bench();
    int keys = 0;
    Hands() {
        w.resize(1280, 800);
        w.show();
        QApplication::setActiveWindow(&w);
        bench.showing().set_scale(25);  // hands are tried with it, not pictures
        REQUIRE(w.open_project(demo_project, false));
        bench.select_part(bench.scene().parts.front().id);
    }
    ~Hands() { bench.files().discard_autosave(); }
    void key(Qt::Key k) {
        QTest::keyClick(&w, k);
        ++keys;
    }
    /// Finds a node in the typed list by its first letters.
    std::string node(const char* letters) {
        key(Qt::Key_N);
        auto* line = w.command_list()->findChild<QLineEdit*>();
        REQUIRE(w.command_list()->isVisible());
        for (const char* c = letters; *c; ++c, ++keys) QTest::keyClick(line, *c);
        QTest::keyClick(line, Qt::Key_Return);
        ++keys;
        // Without a window manager the server may hand the keys to the list's window after it went.
        auto has_keys = [&] {
            QApplication::setActiveWindow(&w);
            QTest::qWait(20);
            return !w.command_list()->isVisible() && QApplication::activeWindow() == &w;
        };
        wait_until(has_keys, 5);
        return bench.selection().node;
    }
    const scene::Node& at(const std::string& id) { return *scene::find_node(*bench.build_up(), id).node; }
    void drag(QPoint from, QPoint to) {
        QWidget* on = w.board()->viewport();
        QTest::mousePress(on, Qt::LeftButton, {}, from);
        QTest::mouseMove(on, from + (to - from) / 2);
        QTest::mouseMove(on, to);
        QTest::mouseRelease(on, Qt::LeftButton, {}, to);
    }
};

inline const char* cube_obj =
    "o crate\nv -1 -1 -1\nv 1 -1 -1\nv 1 1 -1\nv -1 1 -1\nv -1 -1 1\nv 1 -1 1\nv 1 1 1\nv -1 1 1\nf 4 3 2 1\nf 5 6 7 "
    "8\nf 1 2 6 5\nf 3 4 8 7\nf 2 3 7 6\nf 1 5 8 4\n";

struct Open {
    Scratch scratch;
    app::MainWindow w;
    Open() {
        w.resize(1280, 800);
        w.show();
        QApplication::setActiveWindow(&w);  // keys go to it, with or without a window manager
        w.bench().showing().set_denoise(false);
        w.bench().showing().set_scale(25);
    }
    ~Open() { w.bench().files().discard_autosave(); }
    void import(const std::string& name, const std::string& text) {
        std::ofstream(scratch.path / name) << text;
        w.bench().files().import_asset(scratch.path / name);
        wait_until([&] { return !w.bench().jobs().busy() && !w.bench().scene().parts.empty(); });
    }
    void click(QWidget* on, QPoint at, Qt::KeyboardModifiers m = {}) { QTest::mouseClick(on, Qt::LeftButton, m, at); }
    void drag(QWidget* on, QPoint from, QPoint to) {
        QTest::mousePress(on, Qt::LeftButton, {}, from);
        QTest::mouseMove(on, from + (to - from) / 2);
        QTest::mouseMove(on, to);
        QTest::mouseRelease(on, Qt::LeftButton, {}, to);
    }
    /// Once all samples are there, where those are few: the same picture whatever it stood at before.
    std::vector<V3f> pixels() { return picture(w, uint32_t(std::min(4, w.bench().scene().render.samples)))->linear; }
};

}  // namespace vemtra::test
