#include "app/main_window.h"

#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QLabel>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QSplitter>
#include <QStatusBar>
#include <QVBoxLayout>

#include "app/bench/decal_tool.h"
#include "app/board/board.h"
#include "app/detail/detail_panel.h"
#include "app/drawer/drawer.h"
#include "app/picture_strip.h"
#include "app/status_line.h"
#include "app/view/render_view.h"
#include "nodes/description.h"
#include "nodes/wiring.h"
#include "scene/edits.h"
#include "scene/project_file.h"

namespace vemtra::app {

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent), bench_(new Workbench(this)) {
    setWindowTitle("Vemtra");
    resize(1280, 800);
    view_ = new RenderView(*bench_);
    board_ = new Board(*bench_);
    detail_ = new DetailPanel(*bench_);
    drawer_ = new Drawer(*bench_);
    command_list_ = new CommandList(this);

    lay_out();
    status_ = new StatusLine(*bench_, statusBar());
    connect(status_, &StatusLine::findings_wanted, this, [this] { drawer_->show_page(Page::findings); });
    connect(strip_, &PictureStrip::hint, status_, &StatusLine::say);
    make_menus();
    follow_bench();
    auto* pulse = new QTimer(this);
    connect(pulse, &QTimer::timeout, status_, &StatusLine::refresh);
    connect(pulse, &QTimer::timeout, strip_, &PictureStrip::refresh_region);
    pulse->start(200);

    restore_layout();
    refresh();
    status_->refresh();
}

void MainWindow::lay_out() {
    auto* picture = new QWidget;
    auto* box = new QVBoxLayout(picture);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(0);
    strip_ = new PictureStrip(*bench_, *view_);
    box->addWidget(strip_);
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
}

void MainWindow::follow_bench() {
    connect(bench_, &Workbench::changed, this, &MainWindow::refresh);
    connect(bench_, &Workbench::selection_changed, this, &MainWindow::refresh);
    connect(bench_, &Workbench::failed, this, &MainWindow::show_error);
    connect(bench_, &Workbench::maps_changed, this, [this] {
        drawer_->setVisible(true);
        drawer_->show_page(Page::maps);
        if (QList<int> sizes = left_->sizes(); sizes.size() == 2 && sizes[1] < 260)
            left_->setSizes({sizes[0] + sizes[1] - 260, 260});
    });
    connect(bench_, &Workbench::said, status_, &StatusLine::say);
    connect(view_, &RenderView::open_wanted, this, [this](const fs::path& file) {
        if (may_discard()) open_project(file);
    });
    connect(board_, &Board::add_node_wanted, this, [this] { open_node_list(); });
    connect(board_, &Board::reader_wanted, this, &MainWindow::open_node_list_for);
    connect(board_, &Board::swap_wanted, this, &MainWindow::open_swap_list);
}

void MainWindow::restore_layout() {
    QSettings settings("Vemtra", "Vemtra");
    if (settings.contains("geometry")) {
        restoreGeometry(settings.value("geometry").toByteArray());
        left_->restoreState(settings.value("left").toByteArray());
        right_->restoreState(settings.value("right").toByteArray());
        across_->restoreState(settings.value("across").toByteArray());
    }
}

void MainWindow::add_node(const std::string& kind) {
    const auto* d = nodes::describe(kind);
    const scene::BuildUp* b = bench_->build_up();
    if (!d || !b) {
        status_->say("Select a part first: nodes belong to a build-up");
        return;
    }
    std::string made;
    bench_->edit_build_up("Add " + d->title, [&](scene::BuildUp& x) {
        made = nodes::add_where_wanted(x, bench_->selection().layer, *d, bench_->selection().node);
        nodes::fit_lengths(*scene::node(x, made), bench_->stockroom().size_for_masks());
    });
    bench_->select_node(made);
}

void MainWindow::open_node_list_for(const std::string& from, const std::string& layer, const QPoint& at) {
    std::vector<Command> all;
    for (const auto& d : nodes::catalogue()) {
        if (!nodes::main_input(d)) continue;
        all.push_back({QString::fromStdString(d.title), QString::fromStdString(d.help), [=, this, &d] {
                           std::string made;
                           bench_->edit_build_up("Add " + d.title, [&](scene::BuildUp& x) {
                               made = nodes::add_reading(x, layer, d, from);
                           });
                           bench_->select_node(made);
                       }});
    }
    command_list_->open(std::move(all), "Add a node that reads it", at);
}

void MainWindow::open_search() {
    std::vector<Command> all;
    for (const scene::BuildUp& b : bench_->scene().build_ups) {
        const QString in = QString::fromStdString(b.name);
        for (const scene::Layer& l : b.layers)
            all.push_back({QString::fromStdString(l.name), "layer of " + in,
                           [this, b = b.id, l = l.id] { bench_->show_place(b, l, ""); }});
        scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer* l) {
            const auto d = nodes::describe(bench_->scene(), n);
            QString hint = (d ? QString::fromStdString(d->title) : QString::fromStdString(n.kind)) + " in " + in;
            for (const auto& [port, input] : n.inputs)
                if (const auto* words = std::get_if<std::string>(&input.value); words && !words->empty())
                    hint += ", " + QString::fromStdString(*words);
                else if (const auto* number = std::get_if<float>(&input.value))
                    hint += QString(", %1").arg(double(*number));
            all.push_back({QString::fromStdString(n.name.empty() ? n.id : n.name), hint,
                           [this, b = b.id, l = l ? l->id : std::string(), n = n.id] { bench_->show_place(b, l, n); }});
        });
    }
    command_list_->open(std::move(all), "Find a layer or a node in all build-ups",
                        board_->mapToGlobal(QPoint(board_->width() / 2, 30)));
}

void MainWindow::open_swap_list() {
    const std::string node = bench_->selection().node;
    if (node.empty()) return status_->say("Select a node first");
    std::vector<Command> all;
    for (const auto& d : nodes::catalogue())
        all.push_back({QString::fromStdString(d.title), QString::fromStdString(d.help), [=, this, &d] {
                           bench_->edit_build_up("Swap for " + d.title,
                                                 [&](scene::BuildUp& x) { nodes::swap_kind(x, node, d); });
                       }});
    command_list_->open(std::move(all), "What it is to be instead",
                        board_->mapToGlobal(QPoint(board_->width() / 2, 30)));
}

/// The board takes the window; the picture stays beside it, small and live.
void MainWindow::widen_board() {
    const bool back = !narrow_.isEmpty();
    strip_->setVisible(back);  // it would keep the picture wide
    if (back) {
        across_->restoreState(narrow_);
        drawer_->setVisible(drawer_before_);
        narrow_.clear();
        return;
    }
    narrow_ = across_->saveState();
    drawer_before_ = drawer_->isVisible();
    drawer_->hide();
    across_->setSizes({280, std::max(281, width() - 280)});
}

void MainWindow::hand_over() {
    const QString f = QFileDialog::getSaveFileName(
        this, "Hand the materials over", QString::fromStdString((bench_->files().folder() / "materials.mtlx").string()),
        "MaterialX documents (*.mtlx)");
    if (!f.isEmpty()) bench_->files().hand_over(f.toStdString());
}

void MainWindow::take_in() {
    const QString f = QFileDialog::getOpenFileName(this, "Take materials in",
                                                   QString::fromStdString(bench_->files().folder().string()),
                                                   "MaterialX documents (*.mtlx)");
    if (!f.isEmpty()) bench_->files().take_in(f.toStdString());
}

void MainWindow::open_command_list() {
    std::vector<Command> all = commands_;
    command_list_->open(std::move(all), "Find a command or a node", mapToGlobal(QPoint(width() / 2, 80)));
}
void MainWindow::open_node_list() {
    std::vector<Command> all;
    for (const auto& d : nodes::catalogue()) {
        all.push_back({QString::fromStdString(d.title), QString::fromStdString(d.help),
                       [this, kind = d.kind] { add_node(kind); }});
        // What one node of the form can be asked for is found by its own word: edges, besides recesses.
        for (const nodes::Port& p : d.ports)
            for (size_t c = 1; d.family == "form" && p.text && c < p.choices.size(); ++c)
                all.push_back({QString::fromStdString(p.choices[c] + " (" + d.title + ")"),
                               QString::fromStdString(p.help), [this, kind = d.kind, name = p.name, c = p.choices[c]] {
                                   add_node(kind);
                                   const std::string made = bench_->selection().node;
                                   bench_->edit_build_up("Choose " + c, [&](scene::BuildUp& b) {
                                       if (scene::Node* n = scene::node(b, made)) n->inputs[name].value = c;
                                   });
                               }});
    }
    for (const scene::Network& n : bench_->scene().networks)
        all.push_back({QString::fromStdString(n.name), "a group of this project",
                       [this, id = n.id] { bench_->node_work().add_instance(id); }});
    command_list_->open(std::move(all), "Add a node to the selected layer",
                        board_->mapToGlobal(QPoint(board_->width() / 2, 30)));
}

void MainWindow::refresh() {
    const QString name =
        bench_->files().file() ? QString::fromStdString(bench_->files().file()->filename().string()) : "untitled";
    setWindowTitle(QString("%1%2 - Vemtra").arg(name, bench_->document().unsaved() ? " *" : ""));
    strip_->refresh();
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
    if (!elsewhere && bench_->files().file()) return bench_->files().save(*bench_->files().file());
    QString f = QFileDialog::getSaveFileName(
        this, "Save the project", QString::fromStdString((bench_->files().folder() / "untitled.vemtra").string()),
        "Vemtra projects (*.vemtra)");
    if (f.isEmpty()) return false;
    if (!f.endsWith(".vemtra")) f += ".vemtra";
    return bench_->files().save(f.toStdString());
}

bool MainWindow::may_discard() {
    if (!bench_->document().unsaved() || bench_->scene().assets.empty()) return true;
    QMessageBox ask(QMessageBox::Question, "Unsaved work", "The project has changes that are not saved.",
                    QMessageBox::NoButton, this);
    auto* keep = ask.addButton("Save", QMessageBox::AcceptRole);
    auto* drop = ask.addButton("Leave without saving", QMessageBox::DestructiveRole);
    ask.addButton("Stay", QMessageBox::RejectRole);
    ask.exec();
    if (ask.clickedButton() == keep) return save(false);
    return ask.clickedButton() == drop;
}

bool MainWindow::open_project(const fs::path& file, bool ask) {
    error_bar_->hide();  // what it tells of is closed, or was not opened
    status_->say({});
    if (!bench_->files().open(file)) return false;
    if (ask && scene::recovery_offered(bench_->files().file())) {
        QMessageBox question(QMessageBox::Question, "Unsaved work was found",
                             "The last session ended before its work was saved. Bring that work back?",
                             QMessageBox::NoButton, this);
        auto* yes = question.addButton("Bring it back", QMessageBox::AcceptRole);
        question.addButton("Open as saved", QMessageBox::RejectRole);
        question.exec();
        if (question.clickedButton() == yes)
            bench_->files().recover();
        else
            bench_->files().discard_autosave();
    }
    return true;
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!may_discard()) return e->ignore();
    bench_->files().discard_autosave();
    QSettings settings("Vemtra", "Vemtra");
    settings.setValue("geometry", saveGeometry());
    settings.setValue("left", left_->saveState());
    settings.setValue("right", right_->saveState());
    settings.setValue("across", across_->saveState());
    e->accept();
}

void MainWindow::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Escape && (bench_->picking().picking() || bench_->picking().placing()))
        bench_->picking().pick_color({});
    else if (e->key() == Qt::Key_Escape && bench_->decals().placing())
        bench_->decals().leave();
    else if (e->key() == Qt::Key_Escape && bench_->painter().armed())
        bench_->painter().put_down();
    else if (e->key() == Qt::Key_Escape && bench_->arranging().on())
        bench_->arranging().arrange(false);
    else
        QMainWindow::keyPressEvent(e);
}

}  // namespace vemtra::app
