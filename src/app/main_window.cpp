#include "app/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QFileDialog>
#include <QLabel>
#include <QMenuBar>
#include <QMessageBox>
#include <QProgressBar>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStatusBar>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/board/board.h"
#include "app/detail/detail_panel.h"
#include "app/detail/value_field.h"
#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "app/view/render_view.h"
#include "nodes/description.h"
#include "render/picture.h"
#include "scene/edits.h"
#include "scene/project_file.h"

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

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent), bench_(new Workbench(this)) {
    setWindowTitle("Vemtra");
    resize(1280, 800);
    view_ = new RenderView(*bench_);
    board_ = new Board(*bench_);
    detail_ = new DetailPanel(*bench_);
    drawer_ = new Drawer(*bench_);
    command_list_ = new CommandList(this);

    auto* picture = new QWidget;
    auto* box = new QVBoxLayout(picture);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(0);
    box->addWidget(make_strip());
    error_bar_ = new QWidget;
    auto* error_row = new QHBoxLayout(error_bar_);
    error_row->setContentsMargins(10, 4, 6, 4);
    error_text_ = new QLabel;
    error_text_->setWordWrap(true);
    error_text_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    error_text_->setObjectName("error-text");
    auto* dismiss = new QPushButton("Close");
    connect(dismiss, &QPushButton::clicked, error_bar_, &QWidget::hide);
    error_row->addWidget(error_text_, 1);
    error_row->addWidget(dismiss);
    error_bar_->hide();
    box->addWidget(error_bar_);
    box->addWidget(view_, 1);

    left_ = new QSplitter(Qt::Vertical);
    left_->addWidget(picture);
    left_->addWidget(drawer_);
    left_->setStretchFactor(0, 1);
    left_->setSizes({560, 176});
    right_ = new QSplitter(Qt::Vertical);
    right_->addWidget(board_);
    right_->addWidget(detail_);
    right_->setSizes({440, 290});
    across_ = new QSplitter(Qt::Horizontal);
    across_->addWidget(left_);
    across_->addWidget(right_);
    across_->setStretchFactor(0, 1);
    across_->setSizes({680, 600});
    for (QSplitter* s : {left_, right_, across_}) s->setHandleWidth(3), s->setChildrenCollapsible(false);
    left_->setCollapsible(1, true);
    setCentralWidget(across_);

    auto* status = statusBar();
    status->setSizeGripEnabled(false);
    auto cell = [&](int width, const QString& help) {
        auto* l = new QLabel;
        l->setMinimumWidth(width);
        l->setToolTip(help);
        status->addWidget(l);
        return l;
    };
    samples_ = cell(96, "Samples per pixel so far, of those asked for. The live picture clamps single bright indirect samples, caustics among them, at preview_clamp; written pictures do not");
    noise_ = cell(80, "Mean relative error of the picture");
    rays_ = cell(96, "Rays followed per second");
    memory_ = cell(94, "Memory that Vemtra holds");
    findings_ = new QPushButton;
    findings_->setToolTip("What the checks noticed");
    findings_->setFlat(true);
    connect(findings_, &QPushButton::clicked, this, [this] { drawer_->show_page(Page::findings); });
    status->addWidget(findings_);
    message_ = new QLabel;
    message_->setObjectName("message");
    status->addWidget(message_, 1);
    activity_ = new QLabel;
    progress_ = new QProgressBar;
    progress_->setFixedWidth(120);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    stop_ = new QPushButton("Stop");
    connect(stop_, &QPushButton::clicked, this, [this] { bench_->jobs().stop(); });
    status->addPermanentWidget(activity_);
    status->addPermanentWidget(progress_);
    status->addPermanentWidget(stop_);

    make_menus();
    connect(bench_, &Workbench::changed, this, &MainWindow::refresh);
    connect(bench_, &Workbench::selection_changed, this, &MainWindow::refresh);
    connect(bench_, &Workbench::failed, this, &MainWindow::show_error);
    connect(bench_, &Workbench::maps_changed, this, [this] {
        drawer_->setVisible(true);
        drawer_->show_page(Page::maps);
        if (QList<int> sizes = left_->sizes(); sizes.size() == 2 && sizes[1] < 260) left_->setSizes({sizes[0] + sizes[1] - 260, 260});
    });
    connect(bench_, &Workbench::said, message_, &QLabel::setText);
    connect(view_, &RenderView::open_wanted, this, [this](const fs::path& file) {
        if (may_discard()) open_project(file);
    });
    connect(board_, &Board::add_node_wanted, this, [this] { open_node_list(); });
    auto* pulse = new QTimer(this);
    connect(pulse, &QTimer::timeout, this, &MainWindow::refresh_status);
    pulse->start(200);

    QSettings settings("Vemtra", "Vemtra");
    if (settings.contains("geometry")) {
        restoreGeometry(settings.value("geometry").toByteArray());
        left_->restoreState(settings.value("left").toByteArray());
        right_->restoreState(settings.value("right").toByteArray());
        across_->restoreState(settings.value("across").toByteArray());
    }
    refresh();
    refresh_status();
}

QWidget* MainWindow::make_strip() {
    auto* strip = new QWidget;
    auto* row = new QHBoxLayout(strip);
    row->setContentsMargins(6, 3, 6, 3);
    row->setSpacing(3);
    auto combo = [&](const QString& help, int width) {
        auto* c = new QComboBox;
        c->setToolTip(help);
        c->setFixedWidth(width);
        row->addWidget(c);
        return c;
    };
    camera_ = combo("Camera", 92);
    connect(camera_, &QComboBox::activated, this, [this](int i) {
        const std::string id = camera_->itemData(i).toString().toStdString();
        if (!id.empty()) return bench_->edit("Choose camera", [&](scene::Scene& s) { s.camera = id; });
        bench_->edit("Keep camera", [](scene::Scene& s) {
            const scene::Camera* now = scene::active_camera(s);
            if (!now) return;
            scene::Camera copy = *now;
            copy.name = "Camera " + std::to_string(s.cameras.size() + 1);
            copy.id = scene::FreshIds(scene::ids_of(s.cameras)).take(scene::stem_of(copy.name));
            s.camera = copy.id;
            s.cameras.push_back(copy);
        });
    });
    focal_ = new ValueField({12.f, 200.f, 50.f, false, false, "mm"});
    focal_->setFixedWidth(62);
    focal_->setToolTip("Focal length on a sensor 36 mm wide");
    row->addWidget(focal_);
    connect(focal_, &ValueField::moved, this, [this](float v) {
        bench_->edit("Focal length", [&](scene::Scene& s) {
            if (auto* c = const_cast<scene::Camera*>(scene::active_camera(s))) c->focal_length = std::clamp(v, 1.f, 5000.f);
        }, "focal");
    });
    shown_ = combo("What the picture shows", 88);
    for (const render::ViewKind& v : render::views()) shown_->addItem(QString(v.title).remove('&'));
    connect(shown_, &QComboBox::activated, this, [this](int i) {
        if (i == int(render::View::node)) {
            if (bench_->selection().node.empty()) {
                message_->setText("Choose a tile on the board first, then show it");
                return refresh();
            }
            return bench_->show_node(bench_->selection().node);
        }
        bench_->show_view(render::View(i));
    });
    look_ = combo("How light becomes screen colour: filmic (ACES), plain sRGB, or raw numbers", 70);
    look_->addItems({"filmic", "srgb", "raw"});
    connect(look_, &QComboBox::activated, this, [this](int i) {
        bench_->edit("Display view", [&](scene::Scene& s) { s.display.view = texture::display_views()[size_t(i)]; });
    });
    exposure_ = new ValueField({-6.f, 6.f, 0.f, false, false, "stops"});
    exposure_->setFixedWidth(72);
    exposure_->setToolTip("Exposure of the display; the render is not touched");
    row->addWidget(exposure_);
    connect(exposure_, &ValueField::moved, this, [this](float v) {
        bench_->edit("Exposure", [&](scene::Scene& s) { s.display.exposure = std::clamp(v, -32.f, 32.f); }, "exposure");
    });
    for (ValueField* f : {focal_, exposure_}) connect(f, &ValueField::settled, this, [this] { bench_->end_merge(); });
    row->addStretch();
    auto button = [&](const QString& text, const QString& help, bool checkable) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setToolTip(help);
        b->setCheckable(checkable);
        row->addWidget(b);
        return b;
    };
    region_ = button("Region", "Render only a part of the picture (R)", true);
    connect(region_, &QToolButton::clicked, this, [this] { view_->start_region(); });
    hold_ = button("Hold", "Stop and go on (H)", true);
    connect(hold_, &QToolButton::clicked, this, [this](bool on) {
        bench_->live.hold = on;
        bench_->refresh();
        view_->update();
    });
    denoise_ = button("Smooth", "Denoise the preview, guided by form and colour", true);
    denoise_->setChecked(true);
    connect(denoise_, &QToolButton::clicked, this, [this](bool on) {
        bench_->live.denoise = on;
        bench_->refresh();
    });
    scale_ = combo("Share of the pixels that are rendered", 70);
    scale_->addItems({"25 %", "50 %", "100 %"});
    scale_->setCurrentIndex(2);
    connect(scale_, &QComboBox::activated, this, [this](int i) {
        bench_->live.scale_percent = i == 0 ? 25 : i == 1 ? 50 : 100;
        bench_->live.region = {};
        bench_->refresh();
    });
    auto* keep = button("Keep", "Keep this picture as a snapshot (K)", false);
    connect(keep, &QToolButton::clicked, this, [this] { bench_->keep_picture(); });
    return strip;
}

void MainWindow::make_menus() {
    auto menu = [&](const QString& name) { return menuBar()->addMenu(name); };
    auto add = [&](QMenu* m, const QString& name, const QString& help, const QKeySequence& key, auto run) {
        auto* a = m->addAction(name);
        a->setShortcut(key);
        a->setStatusTip({});
        a->setToolTip(help);
        connect(a, &QAction::triggered, this, [run] { run(); });
        commands_.push_back({QString(name).remove('&'), help + (key.isEmpty() ? "" : " (" + key.toString() + ")"), [a] { a->trigger(); }});
        m->setToolTipsVisible(true);
        return a;
    };
    auto* project = menu("&Project");
    add(project, "&New", "Start with an empty project", QKeySequence("Ctrl+N"), [this] { if (may_discard()) bench_->discard_autosave(), bench_->start_new(); });
    add(project, "&Open...", "Open a project", QKeySequence("Ctrl+O"), [this] {
        if (!may_discard()) return;
        const QString f = QFileDialog::getOpenFileName(this, "Open a project", QString::fromStdString(bench_->folder().string()), "Vemtra projects (*.vemtra)");
        if (!f.isEmpty()) open_project(f.toStdString());
    });
    add(project, "&Save", "Save the project", QKeySequence("Ctrl+S"), [this] { save(false); });
    add(project, "Save &elsewhere...", "Save under another name", QKeySequence("Ctrl+Shift+S"), [this] { save(true); });
    project->addSeparator();
    add(project, "&Import asset...", QString("Bring in an %1").arg(QString::fromStdString(geometry::format_names())), QKeySequence("Ctrl+I"), [this] {
        const QString f = QFileDialog::getOpenFileName(this, "Import an asset", QString::fromStdString(bench_->folder().string()), QString("Assets (%1)").arg(asset_patterns()));
        if (!f.isEmpty()) bench_->import_asset(f.toStdString());
    });
    add(project, "&Write picture...", "Render all samples and write them to a file", QKeySequence("Ctrl+R"), [this] {
        const QString f = QFileDialog::getSaveFileName(this, "Write the picture", QString::fromStdString((bench_->folder() / "picture.exr").string()), QString("Pictures (%1)").arg(picture_patterns()));
        if (!f.isEmpty()) bench_->write_picture(f.toStdString());
    });
    project->addSeparator();
    add(project, "&Collect...", "Copy the project with all that it uses into one folder, to hand it on", {}, [this] {
        QString f = QFileDialog::getSaveFileName(this, "Collect the project: choose a new folder", QString::fromStdString((bench_->folder() / "collected" / (bench_->file() ? bench_->file()->filename().string() : "project.vemtra")).string()), "Vemtra projects (*.vemtra)");
        if (f.isEmpty()) return;
        if (!f.endsWith(".vemtra")) f += ".vemtra";
        bench_->collect_into(f.toStdString());
    });
    add(project, "&Files and folders", "What the project uses and whether it is there; memory and disk for maps", {}, [this] {
        drawer_->setVisible(true);
        drawer_->show_page(Page::files);
    });
    project->addSeparator();
    add(project, "&Quit", "Leave Vemtra", QKeySequence("Ctrl+Q"), [this] { close(); });
    auto* edit = menu("&Edit");
    add(edit, "&Undo", "Take the last change back", QKeySequence("Ctrl+Z"), [this] { bench_->undo(); });
    add(edit, "&Redo", "Do it again", QKeySequence("Ctrl+Shift+Z"), [this] { bench_->redo(); });
    add(edit, "&Find a command...", "Type to find any command or node", QKeySequence("Ctrl+Space"), [this] { open_command_list(); });
    auto* parts = menu("P&arts");
    add(parts, "&Place", "Move, turn and scale the selected part in the picture; again leaves", QKeySequence("P"), [this] { bench_->arrange(!bench_->arranging()); });
    add(parts, "Place whole &asset", "The same for all parts of its asset together", QKeySequence("Shift+P"), [this] {
        bench_->whole_asset = !(bench_->arranging() && bench_->whole_asset);
        bench_->arrange(true);
        Q_EMIT bench_->arranging_changed();
    });
    add(parts, "&Sit down", "The lowest point of what is placed comes to lie on the stage", QKeySequence("Shift+S"), [this] { bench_->sit_down(); });
    add(parts, "A&nother one", "An instance of the selected part beside it, which shares its mesh", QKeySequence("Ctrl+Shift+D"), [this] { bench_->duplicate_part(); });
    add(parts, "&Remove part", "Takes the selected part out of the project", QKeySequence("Shift+Del"), [this] { bench_->remove_part(); });
    auto* layers = menu("&Layers");
    add(layers, "&Add cover", "A new layer above the selected one", QKeySequence("L"), [this] {
        const std::string above = bench_->selection().layer;
        std::string made;
        bench_->edit_build_up("Add layer", [&](scene::BuildUp& b) { made = scene::add_layer(b, "New cover", above); });
        bench_->select_layer(made);
    });
    add(layers, "Add &coat", "A clear layer above the selected one that is looked through", QKeySequence("Shift+L"), [this] {
        const std::string above = bench_->selection().layer;
        std::string made;
        bench_->edit_build_up("Add coat", [&](scene::BuildUp& b) { made = scene::add_layer(b, "New coat", above, scene::LayerKind::coat); });
        bench_->select_layer(made);
    });
    add(layers, "Add from &stock", "Open the stock of ready surfaces", QKeySequence("T"), [this] {
        drawer_->setVisible(true);
        drawer_->show_page(Page::stock);
    });
    add(layers, "Texture &maps...", "Find a map set in a folder and wire it to the selected layer", QKeySequence("M"), [this] {
        const QString f = QFileDialog::getExistingDirectory(this, "Look for texture maps", QString::fromStdString(bench_->folder().string()));
        if (!f.isEmpty()) bench_->look_for_maps({f.toStdString()});
    });
    add(layers, "&Duplicate", "A copy of the selected layer above it", QKeySequence("Ctrl+D"), [this] {
        bench_->edit_build_up("Duplicate layer", [&](scene::BuildUp& b) { scene::duplicate_layer(b, bench_->selection().layer); });
    });
    auto move = [this](int by) {
        const auto* b = bench_->build_up();
        const auto* l = bench_->layer();
        if (!b || !l) return;
        const int to = int(l - b->layers.data()) + by;
        bench_->edit_build_up("Move layer", [&](scene::BuildUp& x) { scene::move_layer(x, bench_->selection().layer, to); });
    };
    add(layers, "Move &outward", "One place up, away from the base", QKeySequence("Alt+Up"), [=] { move(1); });
    add(layers, "Move &inward", "One place down, towards the base", QKeySequence("Alt+Down"), [=] { move(-1); });
    add(layers, "&On or off", "Switch the selected layer", QKeySequence("O"), [this] {
        bench_->edit_build_up("Switch layer", [&](scene::BuildUp& b) {
            if (auto* l = scene::find(b.layers, bench_->selection().layer); l && l != b.layers.data()) l->on = !l->on;
        });
    });
    add(layers, "De&lete", "Delete the selected tile or layer", QKeySequence(Qt::Key_Delete), [this] { board_->delete_selected(); });
    auto* nodes_menu = menu("&Nodes");
    add(nodes_menu, "&Add node...", "Type to find a node for the selected layer", QKeySequence("N"), [this] { open_node_list(); });
    add(nodes_menu, "&Show on asset", "The selected tile's output, unlit; again goes back", QKeySequence("S"), [this] {
        const std::string n = bench_->selection().node;
        bench_->show_node(n.empty() || bench_->live.shown_node == n ? "" : n);
    });
    nodes_menu->addSeparator();
    for (const auto& d : nodes::catalogue())
        add(nodes_menu, QString::fromStdString(d.title), QString::fromStdString(d.help), {}, [this, kind = d.kind] { add_node(kind); });
    auto* view = menu("&View");
    add(view, "&Frame part", "Fill the picture with the selected part", QKeySequence("F"), [this] { view_->frame_part(); });
    add(view, "Frame &all", "Fill the picture with everything", QKeySequence("A"), [this] { view_->frame_all(); });
    for (const render::ViewKind& v : render::views())
        if (*v.key) add(view, v.title, "Show it in the picture", QKeySequence(v.key), [this, shown = v.view] { bench_->show_view(shown); });
    view->addSeparator();
    add(view, "&Hold", "Stop and go on", QKeySequence("H"), [this] { hold_->click(); });
    add(view, "&Region", "Render only a part of the picture", QKeySequence("R"), [this] { region_->click(); });
    add(view, "&Keep picture", "Keep it as a snapshot", QKeySequence("K"), [this] { bench_->keep_picture(); });
    add(view, "Com&pare with last kept", "Split the view with the last snapshot", QKeySequence("C"), [this] {
        bench_->compare_with(bench_->compared >= 0 ? -1 : int(bench_->kept.size()) - 1);
    });
    add(view, "Dra&wer", "Show or hide the strip under the picture", QKeySequence("D"), [this] { drawer_->setVisible(!drawer_->isVisible()); });
    add(view, "Dark roo&m", "The darker grey, for dark rooms", {}, [this] {
        use_theme(!theme().dark);
        QSettings("Vemtra", "Vemtra").setValue("dark", theme().dark);
        for (QWidget* w : findChildren<QWidget*>()) w->update();
    });
}

void MainWindow::add_node(const std::string& kind) {
    const auto* d = nodes::describe(kind);
    const scene::BuildUp* b = bench_->build_up();
    if (!d || !b) {
        message_->setText("Select a part first: nodes belong to a build-up");
        return;
    }
    std::string made;
    bench_->edit_build_up("Add " + d->title, [&](scene::BuildUp& x) { made = scene::add_node(x, bench_->selection().layer, kind, nodes::type_name(d->types.front()), d->title); });
    bench_->select_node(made);
}

void MainWindow::open_command_list() {
    std::vector<Command> all = commands_;
    command_list_->open(std::move(all), "Find a command or a node", mapToGlobal(QPoint(width() / 2, 80)));
}
void MainWindow::open_node_list() {
    std::vector<Command> all;
    for (const auto& d : nodes::catalogue()) all.push_back({QString::fromStdString(d.title), QString::fromStdString(d.help), [this, kind = d.kind] { add_node(kind); }});
    command_list_->open(std::move(all), "Add a node to the selected layer", board_->mapToGlobal(QPoint(board_->width() / 2, 30)));
}

void MainWindow::refresh() {
    const scene::Scene& s = bench_->scene();
    const QString name = bench_->file() ? QString::fromStdString(bench_->file()->filename().string()) : "untitled";
    setWindowTitle(QString("%1%2 - Vemtra").arg(name, bench_->document().unsaved() ? " *" : ""));
    camera_->blockSignals(true);
    camera_->clear();
    const scene::Camera* active = scene::active_camera(s);
    for (const auto& c : s.cameras) {
        camera_->addItem(QString::fromStdString(c.name), QString::fromStdString(c.id));
        if (&c == active) camera_->setCurrentIndex(camera_->count() - 1);
    }
    camera_->addItem("Keep as new");
    if (!active) camera_->setCurrentIndex(-1);
    camera_->blockSignals(false);
    camera_->setEnabled(active);
    if (active) focal_->set_value(active->focal_length);
    exposure_->set_value(s.display.exposure);
    for (size_t i = 0; i < texture::display_views().size(); ++i)
        if (texture::display_views()[i] == s.display.view) look_->setCurrentIndex(int(i));
    shown_->setCurrentIndex(int(bench_->live.view));
    hold_->setChecked(bench_->live.hold);
}

void MainWindow::refresh_status() {
    const auto image = bench_->image();
    region_->setChecked(view_->marking_region() || bench_->live.region.x1 > bench_->live.region.x0);
    if (image && !bench_->scene().parts.empty()) {
        samples_->setText(image->coarse > 1 ? "first picture" : QString("%1 / %2 samples").arg(image->samples).arg(bench_->scene().render.samples));
        noise_->setText(image->samples > 1 ? QString("noise %1 %").arg(double(image->noise) * 100, 0, 'f', 1) : "noise -");
        rays_->setText(QString("%1 M rays/s").arg(image->rays_per_second / 1e6, 0, 'f', 1));
    } else {
        samples_->setText("no asset");
        noise_->clear();
        rays_->clear();
    }
    memory_->setText(QString("%1 MB").arg(bench_->memory() >> 20));
    const size_t n = bench_->findings().size();
    findings_->setText(n == 1 ? "1 finding" : QString("%1 findings").arg(n));
    const QString session = QString::fromStdString(bench_->session().activity());
    const bool job = bench_->jobs().busy();
    const auto maps = bench_->workshop().textures()->maps().state();
    const bool preparing = !job && session.isEmpty() && maps.wanted > maps.done;
    activity_->setText(job ? bench_->jobs().text() : preparing ? QString("Preparing maps, %1 of %2").arg(maps.done + 1).arg(maps.wanted) : session);
    activity_->setToolTip(preparing ? "Maps are made ready on disk, tiled and in all sizes; the picture reads the originals until then" : "");
    progress_->setVisible(job || preparing || !session.isEmpty());
    stop_->setVisible(job);
    progress_->setValue(int(1000 * (job ? bench_->jobs().fraction() : preparing ? float(maps.done) / float(maps.wanted) : const_cast<render::LiveSession&>(bench_->session()).progress().fraction.load())));
}

void MainWindow::show_error(const Error& e) {
    QString text = "<b>" + QString::fromStdString(e.what).toHtmlEscaped() + "</b>";
    if (!e.file.empty()) text += "  " + QString::fromStdString(e.file).toHtmlEscaped();
    if (!e.place.empty()) text += " (" + QString::fromStdString(e.place).toHtmlEscaped() + ")";
    if (!e.why.empty()) text += "<br>" + QString::fromStdString(e.why).toHtmlEscaped() + ".";
    if (!e.remedy.empty()) text += " " + QString::fromStdString(e.remedy).toHtmlEscaped() + ".";
    error_text_->setText(text);
    error_bar_->show();
}

bool MainWindow::save(bool elsewhere) {
    if (!elsewhere && bench_->file()) return bench_->save(*bench_->file());
    QString f = QFileDialog::getSaveFileName(this, "Save the project", QString::fromStdString((bench_->folder() / "untitled.vemtra").string()), "Vemtra projects (*.vemtra)");
    if (f.isEmpty()) return false;
    if (!f.endsWith(".vemtra")) f += ".vemtra";
    return bench_->save(f.toStdString());
}

bool MainWindow::may_discard() {
    if (!bench_->document().unsaved() || bench_->scene().assets.empty()) return true;
    QMessageBox ask(QMessageBox::Question, "Unsaved work", "The project has changes that are not saved.", QMessageBox::NoButton, this);
    auto* keep = ask.addButton("Save", QMessageBox::AcceptRole);
    auto* drop = ask.addButton("Leave without saving", QMessageBox::DestructiveRole);
    ask.addButton("Stay", QMessageBox::RejectRole);
    ask.exec();
    if (ask.clickedButton() == keep) return save(false);
    return ask.clickedButton() == drop;
}

bool MainWindow::open_project(const fs::path& file, bool ask) {
    if (!bench_->open(file)) return false;
    if (ask && scene::recovery_offered(bench_->file())) {
        QMessageBox question(QMessageBox::Question, "Unsaved work was found", "The last session ended before its work was saved. Bring that work back?", QMessageBox::NoButton, this);
        auto* yes = question.addButton("Bring it back", QMessageBox::AcceptRole);
        question.addButton("Open as saved", QMessageBox::RejectRole);
        question.exec();
        if (question.clickedButton() == yes) bench_->recover();
        else bench_->discard_autosave();
    }
    return true;
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!may_discard()) return e->ignore();
    bench_->discard_autosave();
    QSettings settings("Vemtra", "Vemtra");
    settings.setValue("geometry", saveGeometry());
    settings.setValue("left", left_->saveState());
    settings.setValue("right", right_->saveState());
    settings.setValue("across", across_->saveState());
    e->accept();
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Escape && (bench_->picking() || bench_->placing())) bench_->pick_color({});
    else if (e->key() == Qt::Key_Escape && bench_->arranging()) bench_->arrange(false);
    else QMainWindow::keyPressEvent(e);
}

}  // namespace vemtra::app
