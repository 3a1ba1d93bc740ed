// The window: view and drawer on the left, board and detail on the right, status line below; menus, keys and the typed
// command list.
#pragma once
#include <QMainWindow>

#include "app/command_list.h"
#include "app/workbench.h"

class QLabel;
class QSplitter;

namespace vemtra::app {

class Board;
class DetailPanel;
class Drawer;
class PictureStrip;
class RenderView;
class StatusLine;

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(QWidget* parent = nullptr);

    Workbench& bench() { return *bench_; }
    RenderView* view() const { return view_; }
    Board* board() const { return board_; }
    DetailPanel* detail() const { return detail_; }
    Drawer* drawer() const { return drawer_; }
    CommandList* command_list() const { return command_list_; }
    /// Opens a project; offers the autosave where one is newer, unless `ask` is false.
    bool open_project(const fs::path& file, bool ask = true);
    void open_command_list();
    void open_node_list();
    /// The nodes that can work on what `from` gives; the chosen one reads it, in that layer's lane.
    void open_node_list_for(const std::string& from, const std::string& layer, const QPoint& at);
    /// What the selected node could be instead.
    void open_swap_list();
    /// Every layer and node of every build-up, by name, kind or value.
    void open_search();

protected:
    void closeEvent(QCloseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void lay_out();
    void follow_bench();
    void restore_layout();
    void make_menus();
    void make_project_menu();
    void make_edit_menu();
    void make_parts_menu();
    void make_layers_menu();
    void make_nodes_menu();
    void make_view_menu();
    void hand_over();
    void widen_board();
    void take_in();
    void add_command(QMenu* menu, const QString& name, const QString& help, const QKeySequence& key,
                     std::function<void()> run);
    void refresh();
    bool may_discard();
    bool save(bool elsewhere);
    void add_node(const std::string& kind);
    void show_error(const Error& error);

    Workbench* bench_;
    RenderView* view_;
    Board* board_;
    DetailPanel* detail_;
    Drawer* drawer_;
    QSplitter *across_, *left_, *right_;
    CommandList* command_list_;
    std::vector<Command> commands_;
    PictureStrip* strip_;
    StatusLine* status_;
    QByteArray narrow_;  ///< how the window was divided before the board became wide
    bool drawer_before_ = true;
    QWidget* error_bar_;
    QLabel* error_text_;
};

}  // namespace vemtra::app
