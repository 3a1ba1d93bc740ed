// The menus of the window. Every entry is also a command of the typed list.
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenuBar>
#include <QSettings>
#include <QToolButton>

#include "app/bench/decal_tool.h"
#include "app/board/board.h"
#include "app/drawer/drawer.h"
#include "app/main_window.h"
#include "app/picture_strip.h"
#include "app/theme/theme.h"
#include "app/view/render_view.h"
#include "nodes/description.h"
#include "render/picture.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

QString asset_patterns() {
    QStringList all;
    for (const geometry::ImportFormat& f : geometry::formats())
        for (const char* e : f.extensions) all << QString("*%1").arg(e);
    return all.join(' ');
}
QString picture_patterns() {
    QStringList all;
    for (const render::PictureFormat& f : render::picture_formats()) all << QString("*%1").arg(f.extension);
    return all.join(' ');
}

}  // namespace

void MainWindow::add_command(QMenu* menu, const QString& name, const QString& help, const QKeySequence& key,
                             std::function<void()> run) {
    auto* a = menu->addAction(name);
    a->setShortcut(key);
    a->setStatusTip({});
    a->setToolTip(help);
    connect(a, &QAction::triggered, this, std::move(run));
    commands_.push_back(
        {QString(name).remove('&'), help + (key.isEmpty() ? "" : " (" + key.toString() + ")"), [a] { a->trigger(); }});
    menu->setToolTipsVisible(true);
}

void MainWindow::make_menus() {
    make_project_menu();
    make_edit_menu();
    make_parts_menu();
    make_layers_menu();
    make_nodes_menu();
    make_view_menu();
}

void MainWindow::make_project_menu() {
    auto* project = menuBar()->addMenu("&Project");
    add_command(project, "&New", "Start with an empty project", QKeySequence("Ctrl+N"), [this] {
        if (may_discard()) bench_->files().discard_autosave(), bench_->files().start_new();
    });
    add_command(project, "&Open...", "Open a project", QKeySequence("Ctrl+O"), [this] {
        if (!may_discard()) return;
        const QString f = QFileDialog::getOpenFileName(this, "Open a project",
                                                       QString::fromStdString(bench_->files().folder().string()),
                                                       "Vemtra projects (*.vemtra)");
        if (!f.isEmpty()) open_project(f.toStdString());
    });
    add_command(project, "&Save", "Save the project", QKeySequence("Ctrl+S"), [this] {
        if (bench_->files().file())
            bench_->files().save_aside();
        else
            save(false);
    });
    add_command(project, "Save &elsewhere...", "Save under another name", QKeySequence("Ctrl+Shift+S"),
                [this] { save(true); });
    project->addSeparator();
    add_command(project, "&Import asset...",
                QString("Bring in an %1").arg(QString::fromStdString(geometry::format_names())), QKeySequence("Ctrl+I"),
                [this] {
                    const QString f = QFileDialog::getOpenFileName(
                        this, "Import an asset", QString::fromStdString(bench_->files().folder().string()),
                        QString("Assets (%1)").arg(asset_patterns()));
                    if (!f.isEmpty()) bench_->files().import_asset(f.toStdString());
                });
    add_command(
        project, "&Write picture...", "Render all samples and write them to a file", QKeySequence("Ctrl+R"), [this] {
            const QString f = QFileDialog::getSaveFileName(
                this, "Write the picture", QString::fromStdString((bench_->files().folder() / "picture.exr").string()),
                QString("Pictures (%1)").arg(picture_patterns()));
            if (!f.isEmpty()) bench_->files().write_picture(f.toStdString());
        });
    project->addSeparator();
    add_command(project, "&Collect...", "Copy the project with all that it uses into one folder, to hand it on", {},
                [this] {
                    QString f = QFileDialog::getSaveFileName(
                        this, "Collect the project: choose a new folder",
                        QString::fromStdString(
                            (bench_->files().folder() / "collected" /
                             (bench_->files().file() ? bench_->files().file()->filename().string() : "project.vemtra"))
                                .string()),
                        "Vemtra projects (*.vemtra)");
                    if (f.isEmpty()) return;
                    if (!f.endsWith(".vemtra")) f += ".vemtra";
                    bench_->files().collect_into(f.toStdString());
                });
    add_command(project, "&Hand materials over...", "Write the build-ups as a document of the open standard, MaterialX",
                {}, [this] { hand_over(); });
    add_command(project, "&Take materials in...",
                "Bring in build-ups and networks of a MaterialX document written anywhere", {}, [this] { take_in(); });
    add_command(project, "&Files and folders",
                "What the project uses and whether it is there; memory and disk for maps", {}, [this] {
                    drawer_->setVisible(true);
                    drawer_->show_page(Page::files);
                });
    project->addSeparator();
    add_command(project, "&Quit", "Leave Vemtra", QKeySequence("Ctrl+Q"), [this] { close(); });
}

void MainWindow::make_edit_menu() {
    auto* edit = menuBar()->addMenu("&Edit");
    add_command(edit, "&Undo", "Take the last change back", QKeySequence("Ctrl+Z"), [this] { bench_->undo(); });
    add_command(edit, "&Redo", "Do it again", QKeySequence("Ctrl+Shift+Z"), [this] { bench_->redo(); });
    add_command(edit, "&Find a command...", "Type to find any command or node", QKeySequence("Ctrl+Space"),
                [this] { open_command_list(); });
    add_command(edit, "Find on the &boards...", "A layer or a node of any build-up, by its name, kind or value",
                QKeySequence("Ctrl+F"), [this] { open_search(); });
}

void MainWindow::make_parts_menu() {
    auto* parts = menuBar()->addMenu("P&arts");
    add_command(parts, "&Place", "Move, turn and scale the selected part in the picture; again leaves",
                QKeySequence("P"), [this] { bench_->arranging().arrange(!bench_->arranging().on()); });
    add_command(parts, "Place whole &asset", "The same for all parts of its asset together", QKeySequence("Shift+P"),
                [this] {
                    const bool whole = !(bench_->arranging().on() && bench_->arranging().whole_asset());
                    bench_->arranging().arrange(true);
                    bench_->arranging().set_whole_asset(whole);
                });
    add_command(parts, "&Sit down", "The lowest point of what is placed comes to lie on the stage",
                QKeySequence("Shift+S"), [this] { bench_->arranging().sit_down(); });
    add_command(parts, "A&nother one", "An instance of the selected part beside it, which shares its mesh",
                QKeySequence("Ctrl+Shift+D"), [this] { bench_->arranging().duplicate_part(); });
    add_command(parts, "&Remove part", "Takes the selected part out of the project", QKeySequence("Shift+Del"),
                [this] { bench_->arranging().remove_part(); });
}

void MainWindow::make_layers_menu() {
    auto* layers = menuBar()->addMenu("&Layers");
    add_command(layers, "&Add cover", "A new layer above the selected one", QKeySequence("L"), [this] {
        const std::string above = bench_->selection().layer;
        std::string made;
        bench_->edit_build_up("Add layer", [&](scene::BuildUp& b) { made = scene::add_layer(b, "New cover", above); });
        bench_->select_layer(made);
    });
    add_command(layers, "Add &coat", "A clear layer above the selected one that is looked through",
                QKeySequence("Shift+L"), [this] {
                    const std::string above = bench_->selection().layer;
                    std::string made;
                    bench_->edit_build_up("Add coat", [&](scene::BuildUp& b) {
                        made = scene::add_layer(b, "New coat", above, scene::LayerKind::coat);
                    });
                    bench_->select_layer(made);
                });
    add_command(layers, "Add from &stock", "Open the stock of ready surfaces", QKeySequence("T"), [this] {
        drawer_->setVisible(true);
        drawer_->show_page(Page::stock);
        if (auto* line = drawer_->findChild<QLineEdit*>("stock-search")) {
            line->setFocus();
            line->selectAll();
        }
    });
    add_command(layers, "&Paint on it", "A brush for the layer's mask, or for a base's colour; again puts it down",
                QKeySequence("Q"), [this] { bench_->painter().arm_selected(); });
    add_command(layers, "&Stick a decal on",
                "The next drag on the asset places it: one more of the selected one, or a new one", QKeySequence("J"),
                [this] { bench_->decals().begin(); });
    add_command(layers, "Decal of a p&icture...", "A picture stuck on with a drag; its alpha cuts it out",
                QKeySequence("Shift+J"), [this] {
                    const QString f = QFileDialog::getOpenFileName(
                        this, "A picture to stick on", QString::fromStdString(bench_->files().folder().string()));
                    if (!f.isEmpty()) bench_->decals().begin(f.toStdString());
                });
    add_command(layers, "Decal of &words...", "Letters stuck on with a drag; face, arc and stencil are chosen after",
                QKeySequence("Ctrl+J"), [this] {
                    bool good = false;
                    const QString words = QInputDialog::getText(this, "Words to stick on", "Words; \\n begins a line",
                                                                QLineEdit::Normal, "", &good);
                    if (good && !words.trimmed().isEmpty()) bench_->decals().begin_lettering(words.toStdString());
                });
    add_command(layers, "Texture &maps...", "Find a map set in a folder and wire it to the selected layer",
                QKeySequence("M"), [this] {
                    const QString f = QFileDialog::getExistingDirectory(
                        this, "Look for texture maps", QString::fromStdString(bench_->files().folder().string()));
                    if (!f.isEmpty()) bench_->map_intake().look_for_maps({f.toStdString()});
                });
    add_command(layers, "&Duplicate", "A copy of the selected layer above it", QKeySequence("Ctrl+D"), [this] {
        bench_->edit_build_up("Duplicate layer",
                              [&](scene::BuildUp& b) { scene::duplicate_layer(b, bench_->selection().layer); });
    });
    auto move = [this](int by) {
        const auto* b = bench_->build_up();
        const auto* l = bench_->layer();
        if (!b || !l) return;
        const int to = int(l - b->layers.data()) + by;
        bench_->edit_build_up("Move layer",
                              [&](scene::BuildUp& x) { scene::move_layer(x, bench_->selection().layer, to); });
    };
    add_command(layers, "Move &outward", "One place up, away from the base", QKeySequence("Alt+Up"), [=] { move(1); });
    add_command(layers, "Move &inward", "One place down, towards the base", QKeySequence("Alt+Down"),
                [=] { move(-1); });
    add_command(layers, "&On or off", "Switch the selected layer", QKeySequence("O"), [this] {
        bench_->edit_build_up("Switch layer", [&](scene::BuildUp& b) {
            if (auto* l = scene::find(b.layers, bench_->selection().layer); l && l != b.layers.data()) l->on = !l->on;
        });
    });
    add_command(layers, "&Loud colour",
                "The selected layer in a flat colour, to see where it lies; its surface is not touched, and pictures "
                "that are written have that. Again goes back",
                QKeySequence("Shift+O"), [this] {
                    const Selection& at = bench_->selection();
                    if (at.layer.empty()) return;
                    bench_->showing().set_loud(at.build_up, at.layer,
                                               !bench_->showing().is_loud(at.build_up, at.layer));
                });
    add_command(layers, "De&lete", "Delete the selected tile or layer", QKeySequence(Qt::Key_Delete),
                [this] { board_->delete_selected(); });
}

void MainWindow::make_nodes_menu() {
    auto* nodes_menu = menuBar()->addMenu("&Nodes");
    add_command(nodes_menu, "&Add node...", "Type to find a node for the selected layer", QKeySequence("N"),
                [this] { open_node_list(); });
    add_command(nodes_menu, "&Show on asset", "The selected tile's output, unlit; again goes back", QKeySequence("S"),
                [this] {
                    const std::string n = bench_->selection().node;
                    bench_->showing().show_node(n.empty() || bench_->showing().live().shown_node == n ? "" : n);
                });
    add_command(nodes_menu, "&Lines over the ends",
                "Where a node on the asset is true black or true white lines lie over it; again takes them away",
                QKeySequence("V"), [this] { bench_->showing().set_hatch_ends(!bench_->showing().live().hatch_ends); });
    add_command(nodes_menu, "S&wap...", "Another kind of node in place of the selected one, which keeps what fits",
                QKeySequence("Shift+N"), [this] { open_swap_list(); });
    add_command(nodes_menu, "&Wire...", "A wire from the selected tile: letters choose where it goes",
                QKeySequence("W"), [this] { board_->start_wire(false); });
    add_command(nodes_menu, "Wire &into...", "A wire into the selected tile: letters choose where it comes from",
                QKeySequence("Shift+W"), [this] { board_->start_wire(true); });
    nodes_menu->addSeparator();
    add_command(nodes_menu, "&Bypass", "What the selected tiles work on passes as it is; again lets it through",
                QKeySequence("Y"), [this] { board_->bypass_marked(); });
    add_command(nodes_menu, "&Hold this version", "Keeps the tile's settings beside those that you go on changing",
                QKeySequence("Shift+X"), [this] { bench_->node_work().hold_version(); });
    add_command(nodes_menu, "&Flip versions", "The held settings and those that stand change places", QKeySequence("X"),
                [this] { bench_->node_work().flip_version(); });
    nodes_menu->addSeparator();
    add_command(nodes_menu, "&Group...", "One node of the marked tiles, to be used wherever it is wanted",
                QKeySequence("Ctrl+G"), [this] { board_->group_marked(); });
    add_command(nodes_menu, "&Open or close group",
                "A group's nodes in its place, to be changed; closing makes it anew", QKeySequence("Shift+G"),
                [this] { board_->open_or_close_group(); });
    nodes_menu->addSeparator();
    add_command(nodes_menu, "&Copy", "The selected node, or all that a frame was drawn around, onto the clipboard",
                QKeySequence("Ctrl+C"), [this] { board_->copy_nodes(); });
    add_command(nodes_menu, "Cu&t", "The same, and off the board", QKeySequence("Ctrl+X"),
                [this] { board_->cut_nodes(); });
    add_command(nodes_menu, "&Paste", "Into the selected layer's lane, of any build-up or project",
                QKeySequence("Ctrl+V"), [this] { board_->paste_nodes(); });
    add_command(nodes_menu, "&Twice, inputs shared", "A copy that reads what the original reads",
                QKeySequence("Shift+D"), [this] { board_->duplicate_marked(false); });
    add_command(nodes_menu, "Twice &with its inputs", "A copy of it and of all that it reads",
                QKeySequence("Ctrl+Alt+D"), [this] { board_->duplicate_marked(true); });
    nodes_menu->addSeparator();
    std::map<std::string, QMenu*> groups;
    for (const auto& d : nodes::catalogue()) {
        QMenu*& group = groups[d.family];
        if (!group) {
            const QString title = QString::fromStdString(d.family).replace(0, 1, QChar(d.family[0]).toUpper());
            group = nodes_menu->addMenu(title);
            group->menuAction()->setToolTip("Nodes of the group " + title);
        }
        add_command(group, QString::fromStdString(d.title), QString::fromStdString(d.help), {},
                    [this, kind = d.kind] { add_node(kind); });
    }
}

void MainWindow::make_view_menu() {
    auto* view = menuBar()->addMenu("&View");
    add_command(view, "&Frame part", "Fill the picture with the selected part", QKeySequence("F"),
                [this] { view_->frame_part(); });
    add_command(view, "Frame &all", "Fill the picture with everything", QKeySequence("A"),
                [this] { view_->frame_all(); });
    for (const render::ViewKind& v : render::views())
        if (*v.key)
            add_command(view, v.title, "Show it in the picture", QKeySequence(v.key),
                        [this, shown = v.view] { bench_->showing().show_view(shown); });
    view->addSeparator();
    add_command(view, "&Hold", "Stop and go on", QKeySequence("H"), [this] { strip_->hold()->click(); });
    auto relief = [this](render::Relief other) {
        const bool full = bench_->showing().live().relief == render::Relief::full;
        bench_->showing().set_relief(full ? other : render::Relief::full);
    };
    add_command(view, "No r&elief", "Leave heights of layers out of the picture; again brings them back",
                QKeySequence("E"), [relief] { relief(render::Relief::off); });
    add_command(view, "&Quick relief", "Keep computed heights coarse, for slow moments; again goes back",
                QKeySequence("Shift+E"), [relief] { relief(render::Relief::quick); });
    add_command(view, "&Region", "Render only a part of the picture", QKeySequence("R"),
                [this] { strip_->region()->click(); });
    add_command(view, "&Keep picture", "Keep it as a snapshot", QKeySequence("K"),
                [this] { bench_->kept_pictures().keep_picture(); });
    add_command(view, "Com&pare with last kept", "Split the view with the last snapshot", QKeySequence("C"), [this] {
        bench_->kept_pictures().compare_with(
            bench_->kept_pictures().compared() >= 0 ? -1 : int(bench_->kept_pictures().kept().size()) - 1);
    });
    add_command(view, "&Wide board", "The board over the whole window, the picture small beside it; again goes back",
                QKeySequence("B"), [this] { widen_board(); });
    add_command(view, "Whole b&oard", "All lanes open, as large as they fit; again as they are laid out",
                QKeySequence("Shift+B"), [this] { board_->zoom_to_fit(); });
    add_command(view, "Dra&wer", "Show or hide the strip under the picture", QKeySequence("D"),
                [this] { drawer_->setVisible(!drawer_->isVisible()); });
    add_command(view, "Dark roo&m", "The darker grey, for dark rooms", {}, [this] {
        use_theme(!theme().dark);
        QSettings("Vemtra", "Vemtra").setValue("dark", theme().dark);
        for (QWidget* w : findChildren<QWidget*>()) w->update();
    });
}

}  // namespace vemtra::app
