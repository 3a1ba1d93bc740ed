// The rows of detail and drawer, driven as hands do.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QToolButton>
#include <QTreeWidget>

#include "app/detail/value_field.h"
#include "nodes/description.h"
#include "nodes/plain_names.h"
#include "render/lights.h"
#include "scene/edits.h"
#include "window.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {
struct Demo {
    app::MainWindow w;
    app::Workbench& b = w.bench();
    Demo() {
        w.resize(1280, 800);
        w.show();
        REQUIRE(w.open_project(demo_project, false));
    }
    /// Rows behind a line are made when it is opened.
    void open_more() {
        for (auto* head : all_rows(w)->findChildren<QToolButton*>())
            if (head->text() == "More") head->setChecked(true);
    }
    ~Demo() { b.files().discard_autosave(); }
};
}  // namespace

TEST_CASE("the detail panel has a row for every port of every node, and each row edits its value") {
    Demo t;
    t.b.showing().set_scale(25);
    t.b.showing().set_hold(true);  // rows are looked at, not pictures
    size_t rows = 0;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        INFO(d.kind);
        std::string id;
        t.b.edit_build_up("Add", [&](scene::BuildUp& x) {
            id = scene::add_node(x, t.b.selection().layer, d.kind, nodes::type_name(d.types.front()), d.title);
        });
        t.b.select_node(id);
        t.open_more();
        for (const nodes::Port& p : d.ports) {
            if (p.stop > 4) continue;
            if (p.role == nodes::Role::knot || p.role == nodes::Role::knot_count || p.role == nodes::Role::list_order)
                continue;  // shown as a curve, or as a list
            INFO(p.name);
            const QString label = QString::fromStdString(nodes::plain_name(p));
            auto* row = all_rows(t.w)->findChild<QWidget*>(label);
            const bool vector = all_rows(t.w)->findChild<QWidget*>(label + ".x") != nullptr;
            CHECK((row || vector));
            if (auto* field = qobject_cast<app::ValueField*>(row)) {
                const float value = p.hard ? std::clamp(.5f * (p.low + p.high), p.low, p.high) : field->value() + .25f;
                Q_EMIT field->moved(p.whole ? std::round(value) : value);
                CHECK(nodes::number_of(*t.b.node(), p) == Approx(p.whole ? std::round(value) : value));
                ++rows;
            } else if (auto* box = qobject_cast<QComboBox*>(row); box && !p.choices.empty()) {
                box->setCurrentIndex(int(p.choices.size()) - 1);
                Q_EMIT box->activated(int(p.choices.size()) - 1);
                const auto value = nodes::literal_of(*t.b.node(), p);
                if (p.text)
                    CHECK(std::get<std::string>(value) == p.choices.back());
                else
                    CHECK(scene::as_number(value) == Approx(p.low + float(p.choices.size()) - 1.f));
                ++rows;
            }
        }
        t.b.edit_build_up("Delete", [&](scene::BuildUp& x) { scene::remove_node(x, id); });
    }
    CHECK(rows > 60);
}

TEST_CASE("rows below those that are seen come in free moments, in the same order, and only those of the last layer") {
    Demo t;
    auto labels = [&] {
        QStringList out;
        for (auto* l : t.w.detail()->form()->findChildren<QLabel*>()) out << l->text();
        return out;
    };
    t.b.select_part("body");
    REQUIRE(wait_until([&] { return t.w.detail()->form()->finished(); }, 10));
    const QStringList of_asset = labels();
    t.b.select_layer("base");
    t.b.select_layer("marine-enamel");
    // The board shows first what is selected; whoever asks for the rows has them at once.
    CHECK(t.w.findChild<QWidget*>("detail")->findChildren<app::Form*>().size() == 1);
    const QStringList at_once = labels();
    CHECK(at_once != of_asset);
    CHECK(at_once.size() >= 4);
    REQUIRE(wait_until([&] { return t.w.detail()->form()->finished(); }, 10));
    const QStringList in_time = labels();
    CHECK(at_once.size() < in_time.size());
    CHECK(in_time.mid(0, at_once.size()) == at_once);
    // Keys go down the panel, line by line.
    QTest::qWait(50);
    int fields = 0;
    int last = -1;
    QWidget* const form = t.w.detail()->form();
    for (QWidget* w = form->nextInFocusChain(); w != form; w = w->nextInFocusChain()) {
        if (!form->isAncestorOf(w) || !w->isVisible() || !qobject_cast<app::ValueField*>(w)) continue;
        const int y = w->mapTo(form, QPoint(0, 0)).y();
        CHECK(y >= last);
        last = y;
        ++fields;
    }
    CHECK(fields > 4);
    t.b.select_layer("base");
    t.b.select_layer("marine-enamel");
    all_rows(t.w);
    CHECK(labels() == in_time);
    // What is looked for is found before its moment came.
    t.b.select_layer("base");
    t.b.select_layer("marine-enamel");
    auto* line = t.w.detail()->findChild<QLineEdit*>("find-setting");
    REQUIRE(line);
    line->setText("anisotropy");
    CHECK(t.w.detail()->findChild<QWidget*>("specular roughness anisotropy"));
    line->clear();
}

TEST_CASE("rows behind a line are made when it is opened, or when what is looked for is in them") {
    Demo t;
    t.b.showing().set_hold(true);
    t.b.select_layer(t.b.build_up()->layers.front().id);
    auto row = [&](const char* name) {
        auto* w = all_rows(t.w)->findChild<QWidget*>(name);
        return w && w->isVisible() ? w : nullptr;
    };
    auto head = [&](const char* title) {
        for (auto* b : all_rows(t.w)->findChildren<QToolButton*>())
            if (b->text() == title) return b;
        return static_cast<QToolButton*>(nullptr);
    };
    CHECK_FALSE(all_rows(t.w)->findChild<QWidget*>("fuzz weight"));
    REQUIRE(head("fuzz"));
    head("fuzz")->setChecked(true);
    auto* weight = qobject_cast<app::ValueField*>(row("fuzz weight"));
    REQUIRE(weight);
    Q_EMIT weight->moved(.25f);
    CHECK(scene::as_number(t.b.layer()->surface.at("fuzz_weight").value) == Approx(.25f));
    t.b.undo();
    REQUIRE(row("fuzz weight"));  // what is open stays open
    CHECK(qobject_cast<app::ValueField*>(row("fuzz weight"))->value() == 0.f);
    // What is looked for is found behind lines that were never opened, in names and in what is told of them.
    auto* line = all_rows(t.w)->findChild<QLineEdit*>("find-setting");
    line->setText("thin film ior");
    CHECK(row("thin film ior"));
    CHECK_FALSE(row("fuzz weight"));
    CHECK_FALSE(all_rows(t.w)->findChild<QWidget*>("subsurface weight"));
    // A node has no such line: nothing of it is hidden by what was looked for in a layer.
    t.b.select_node("wear");
    CHECK(row("name"));
    t.b.select_layer(t.b.build_up()->layers.front().id);
    CHECK_FALSE(row("name"));
    CHECK(row("thin film ior"));
}

TEST_CASE("parts that a mask leaves out are typed or chosen by name, and each choice is undone alone") {
    Demo t;
    t.b.showing().set_scale(25);
    t.b.showing().set_hold(true);
    const nodes::NodeDescription& d = nodes::description_for(nodes::Use::field);
    const nodes::Port* port = d.port(nodes::Role::part_names);
    REQUIRE(port);
    std::string id;
    t.b.edit_build_up("Add", [&](scene::BuildUp& x) {
        id = scene::add_node(x, t.b.selection().layer, d.kind, nodes::type_name(d.types.front()), d.title);
    });
    t.b.select_node(id);
    t.open_more();
    const QString label = QString::fromStdString(nodes::plain_name(*port));
    auto* line = all_rows(t.w)->findChild<QLineEdit*>(label);
    auto* choose = all_rows(t.w)->findChild<QPushButton*>(label + ": choose");
    REQUIRE((line && choose && choose->menu()));
    auto entries = [&] {
        Q_EMIT choose->menu()->aboutToShow();
        std::vector<QAction*> all;
        for (QAction* a : choose->menu()->actions()) all.push_back(a);
        return all;
    };
    REQUIRE(entries().size() == t.b.scene().parts.size());
    entries()[0]->trigger();
    entries()[3]->trigger();
    const std::string names = t.b.scene().parts[0].name + "; " + t.b.scene().parts[3].name;
    CHECK(nodes::word_of(*t.b.node(), *port) == names);
    CHECK(line->text().toStdString() == names);
    CHECK(entries()[0]->isChecked());
    CHECK_FALSE(entries()[1]->isChecked());
    entries()[0]->trigger();
    CHECK(nodes::word_of(*t.b.node(), *port) == t.b.scene().parts[3].name);
    t.b.undo();
    CHECK(nodes::word_of(*t.b.node(), *port) == names);
    line->setText("b*");
    Q_EMIT line->editingFinished();
    CHECK(nodes::word_of(*t.b.node(), *port) == "b*");
    CHECK(entries()[0]->isChecked() == (t.b.scene().parts[0].name[0] == 'B'));
}

TEST_CASE("a part's build-up is chosen in its row, and rows stay through edits that keep the parts") {
    Demo t;
    t.w.drawer()->show_page(app::Page::parts);
    auto* tree = t.w.drawer()->findChild<QTreeWidget*>("parts");
    REQUIRE(tree);
    REQUIRE(t.b.scene().build_ups.size() > 1);
    const std::string id = t.b.scene().parts.front().id, before = t.b.scene().parts.front().build_up;
    auto worn = [&] { return scene::find(t.b.scene().parts, id)->build_up; };
    QTreeWidgetItem* row = tree->topLevelItem(0);
    REQUIRE(row);
    CHECK(row->data(1, Qt::UserRole).toString().toStdString() == before);
    auto choose = [&](int (*entry)(QComboBox*, const std::string&)) {
        QTest::mouseClick(tree->viewport(), Qt::LeftButton, {},
                          QPoint(tree->columnViewportPosition(1) + 20, tree->visualItemRect(row).center().y()));
        auto* list = tree->viewport()->findChild<QComboBox*>();
        REQUIRE(list);
        QTest::qWait(20);
        const int i = entry(list, before);
        list->setCurrentIndex(i);
        list->hidePopup();
        Q_EMIT list->activated(i);
        QTest::qWait(20);
    };
    choose([](QComboBox* list, const std::string& now) {
        return list->itemData(0).toString().toStdString() == now ? 1 : 0;
    });
    CHECK(worn() != before);
    CHECK(row->text(1).toStdString() == scene::find(t.b.scene().build_ups, worn())->name);
    CHECK(tree->topLevelItem(0) == row);
    t.b.undo();
    CHECK(worn() == before);
    const size_t build_ups = t.b.scene().build_ups.size();
    choose([](QComboBox* list, const std::string&) { return list->count() - 1; });  // a new one
    CHECK(t.b.scene().build_ups.size() == build_ups + 1);
    CHECK(worn() == t.b.scene().build_ups.back().id);
    CHECK(tree->viewport()->findChildren<QComboBox*>().isEmpty());
    t.b.select_part(id);
    t.b.arranging().move_by(V3f(.01f, 0.f, 0.f), "Move", "move");
    CHECK(tree->topLevelItem(0) == row);
    CHECK(row->text(7).endsWith("moved"));
}

TEST_CASE("what is chosen on the rigs page is edited in detail, and a light's rows follow its kind") {
    Demo t;
    t.w.drawer()->show_page(app::Page::rigs);
    t.b.edit("Add light", [](scene::Scene& s) {
        scene::Light l;
        l.id = l.name = "Lamp";
        scene::find(s.rigs, s.rig)->lights.push_back(l);
    });
    auto lamp = [&]() -> const scene::Light& { return *scene::find(scene::active_rig(t.b.scene())->lights, "Lamp"); };
    auto* tree = t.w.drawer()->findChild<QTreeWidget*>("rigs");
    REQUIRE(tree);
    auto choose = [&](const QString& name) {
        const auto items = tree->findItems(name, Qt::MatchExactly | Qt::MatchRecursive);
        REQUIRE_FALSE(items.isEmpty());
        tree->setCurrentItem(items.front());
        QTest::qWait(20);
    };
    choose("Lamp");
    CHECK(t.b.selection().form == "light/Lamp");
    auto* detail = all_rows(t.w);
    auto* shape = detail->findChild<QComboBox*>("shape");
    REQUIRE(shape);
    CHECK(shape->count() == int(render::light_kinds().size()));
    CHECK(detail->findChild<QWidget*>("size.x"));
    Q_EMIT shape->activated(1);
    CHECK(lamp().shape == "sphere");
    REQUIRE(wait_until([&] { return detail->findChild<QWidget*>("diameter") != nullptr; }, 10));
    auto* diameter = detail->findChild<app::ValueField*>("diameter");
    REQUIRE(diameter);
    Q_EMIT diameter->moved(.4f);
    CHECK(lamp().size.x == Approx(.4f));
    auto* exposure = detail->findChild<app::ValueField*>("exposure");
    REQUIRE(exposure);
    Q_EMIT exposure->moved(1.5f);
    CHECK(lamp().exposure == Approx(1.5f));
    choose(QString::fromStdString(scene::active_rig(t.b.scene())->name));
    auto* on = all_rows(t.w)->findChild<QCheckBox*>("stage on");
    REQUIRE(on);
    const bool was = scene::active_rig(t.b.scene())->stage.on;
    on->click();
    CHECK(scene::active_rig(t.b.scene())->stage.on != was);
    choose("Pictures");
    auto* samples = all_rows(t.w)->findChild<app::ValueField*>("samples");
    REQUIRE(samples);
    Q_EMIT samples->moved(33.f);
    CHECK(t.b.scene().render.samples == 33);
    t.b.select_layer(t.b.selection().layer);  // the board takes the panel back
    CHECK_FALSE(all_rows(t.w)->findChild<app::ValueField*>("samples"));
    t.b.show_form("light/Lamp");
    for (int i = 0; i < 6; ++i) t.b.undo();
    CHECK_FALSE(scene::find(scene::active_rig(t.b.scene())->lights, "Lamp"));
    CHECK_FALSE(all_rows(t.w)->findChild<QComboBox*>("shape"));  // the form of what is gone goes too
}

TEST_CASE("every page of the drawer is reached by its own name, and findings tell their number") {
    Demo t;
    for (const app::DrawerPage& page : app::drawer_pages()) {
        t.w.drawer()->show_page(page.id);
        CHECK(t.w.drawer()->tabText(t.w.drawer()->currentIndex()).startsWith(page.title));
    }
    t.b.edit("Break", [](scene::Scene& s) { s.parts[0].build_up = "gone"; });
    CHECK(wait_until([&] { return t.w.drawer()->tabText(t.w.drawer()->count() - 1).contains("("); }));
}

TEST_CASE("the undo budget is shown and kept") {
    Demo t;
    t.w.drawer()->show_page(app::Page::files);
    auto* budget = t.w.drawer()->findChild<app::ValueField*>("undo-budget");
    REQUIRE(budget);
    budget->set_value(16.f);
    Q_EMIT budget->settled();
    CHECK(t.b.document().budget() == size_t(16) << 20);
    for (int i = 0; i < 20; ++i) t.b.edit("Name", [&](scene::Scene& s) { s.name = std::to_string(i); });
    auto* held = t.w.drawer()->findChild<QLabel*>("undo-held");
    REQUIRE(held);
    CHECK(wait_until([&] { return held->text().contains("20 steps"); }, 10));
}

TEST_CASE("swatches of the stock are made anew when a light that lights them changes, and not by a mere balance") {
    Demo t;
    t.w.drawer()->show_page(app::Page::stock);
    auto* list = t.w.drawer()->findChild<QListWidget*>("stock");
    REQUIRE(list);
    auto picture_of = [&] { return list->item(0)->icon().cacheKey(); };
    const auto waiting = picture_of();
    REQUIRE(wait_until([&] { return picture_of() != waiting; }));
    const auto lit = picture_of();
    t.b.edit("Balance", [](scene::Scene& s) { scene::find(s.rigs, s.rig)->groups[0].exposure = 1.f; });
    QTest::qWait(50);
    CHECK(picture_of() == lit);
    t.b.edit("Tint", [](scene::Scene& s) { scene::find(s.rigs, s.rig)->environment.tint = V3f(1.f, .5f, .3f); });
    CHECK(picture_of() != lit);
}
