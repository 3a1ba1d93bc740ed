// A window with the demo in it, and hands that count what they do.
#pragma once
#include <QLineEdit>

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
        REQUIRE(w.open_project(demo_project, false));
        bench.select_part(bench.scene().parts.front().id);
    }
    ~Hands() { bench.discard_autosave(); }
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
        wait_until([&] { return !w.command_list()->isVisible(); }, 5);
        QApplication::setActiveWindow(&w);
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

}  // namespace vemtra::test
