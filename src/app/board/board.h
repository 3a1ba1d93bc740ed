// The board: one lane per layer, as they lie on the real thing; their networks run left to right into the layer, and
// the core at the right edge stacks the layers with what was measured of them. Tiles are clicked, wires are drawn from
// tab to tab, blocks of the core are dragged up and down.
#pragma once
#include <QAbstractScrollArea>
#include <QPixmap>
#include <optional>
#include <set>

#include "app/board/layout.h"
#include "app/workbench.h"

class QMenu;

namespace vemtra::app {

class Board : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit Board(Workbench& bench, QWidget* parent = nullptr);
    /// Places in the viewport, for help texts and tests.
    QPoint tile_position(const std::string& node) const;
    QPoint output_position(const std::string& node) const;
    QPoint layer_end_position(const std::string& layer) const;
    QPoint block_position(const std::string& layer) const;
    QSize minimumSizeHint() const override { return {360, 160}; }

    void connect_to_layer(const std::string& node, const std::string& layer, const std::string& slot);
    void connect_nodes(const std::string& from, const std::string& to, const std::string& port);
    void delete_selected();
    /// What is marked, else the selected node: onto the clipboard as text, off the board, from the clipboard into the
    /// selected layer's lane, or twice.
    void copy_nodes();
    void cut_nodes();
    void paste_nodes();
    void duplicate_marked(bool sources);
    const std::set<std::string>& marked() const { return marked_; }
    /// Lanes show their nodes while there is room for all; where there is not, only the selected one and those that
    /// were opened do, and the others are one line each.
    void open_lane(const std::string& layer, bool open);
    /// Groups what is marked, or the selected node; opens a group, or closes what the selected node lies open of.
    void group_marked();
    void open_or_close_group();
    void bypass_marked() { bench_.node_work().bypass(taken()); }
    /// Starts a wire by keys: the tiles and slots that can take it show letters, and a letter chooses. `into`: the
    /// letters are those that can feed the selected tile.
    void start_wire(bool into);
    /// How large things are drawn: 1 is as laid out. `about`: the place in the viewport that stays.
    double zoom() const { return zoom_; }
    void set_zoom(double zoom, const QPointF& about);
    void zoom_to_fit();  ///< all lanes open, as large as the viewport lets them be; again: as laid out

Q_SIGNALS:
    void add_node_wanted(const QPoint& global);
    void reader_wanted(const std::string& from, const std::string& layer, const QPoint& global);
    void swap_wanted();

protected:
    void paintEvent(QPaintEvent* e) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dragMoveEvent(QDragMoveEvent*) override;
    void dropEvent(QDropEvent*) override;
    bool viewportEvent(QEvent*) override;
    void scrollContentsBy(int dx, int dy) override;
    void changeEvent(QEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    bool event(QEvent* e) override;

private:
    struct Spot {
        enum Kind {
            nothing,
            tile,
            output,
            lane,
            fold,
            end,
            wire,
            frame,
            overview,
            block,
            block_switch,
            block_amount
        } kind = nothing;
        std::string id, port;  ///< of a wire: what it ends at
    };
    void relayout();
    void show_selected();  ///< brings the selected layer's lane into sight
    QPointF to_board(const QPoint& p) const;
    QPointF to_viewport(const QPointF& p) const;
    double left_edge() const;  ///< of what is seen, in board coordinates
    void walk(int dx, int dy);
    bool take_letter(const QString& letter);
    void drop_on_wire(const Spot& wire);
    std::string source_at(const Spot& tab) const;
    std::string free_port(const std::string& node) const;
    void add_state_actions(QMenu& menu, const std::string& node);
    void paint_frames(QPainter& p);
    void paint_letters(QPainter& p);
    QRectF overview() const;  ///< in the viewport; empty where all is seen
    void paint_overview(QPainter& p);
    void scroll_to(const QPointF& overview_place);
    /// Around the tiles of groups that lie open: by network.
    std::map<std::string, QRectF> frames() const;
    QRectF block_rect(size_t lane) const;  ///< in the viewport
    Spot spot(const QPoint& p) const;
    void paint_lane(QPainter& p, size_t index);
    void paint_fold(QPainter& p, const BoardLane& lane);
    void paint_folded(QPainter& p, const BoardLane& lane, const scene::Layer* layer);  ///< null: the commons
    std::string key_of(const std::string& layer) const;
    QString state_of(const scene::Layer& layer) const;
    void paint_tile(QPainter& p, const BoardTile& tile, const scene::Node& node);
    void paint_wire(QPainter& p, const BoardWire& wire, bool lit);
    bool readable() const { return zoom_ > .45; }  ///< or words are a pixel or two high
    void paint_thumbnail(QPainter& p, const BoardTile& tile);
    void paint_core(QPainter& p);
    void draw_lanes();  ///< into lanes_
    void redraw();      ///< the lanes too
    void drop_wire(const QPoint& at);
    void choose_port(const std::string& from, const std::string& to_node, const QPoint& global);

    static constexpr int core_width = 118;
    Workbench& bench_;
    BoardLayout layout_;
    QPixmap lanes_;         ///< as large as the viewport, all but thumbnails and core; null: to be drawn anew
    scene::BuildUp drawn_;  ///< what the lanes were last drawn from
    Selection drawn_selection_;
    std::string wire_from_, dragged_layer_, amount_layer_;
    QPoint wire_to_, pressed_;
    std::string shown_;
    std::set<std::string> loud_;  ///< as Showing's, when the lanes were last laid out
    int drop_index_ = -1;
    std::vector<std::string> taken() const;  ///< what is marked, else the selected node
    void mark_in(const QRectF& frame);
    void cut_wires(const QLineF& stroke);
    std::set<std::string> marked_;  ///< tiles, by a frame drawn around them or by Ctrl and a click
    std::optional<QPointF> frame_from_;
    std::optional<QPointF> cut_from_;  ///< of a stroke that cuts the wires it crosses
    QPointF frame_to_;
    std::set<std::string> opened_;  ///< lanes that stay open, by build-up and layer
    bool resized_ = true;
    double zoom_ = 1;
    bool fitted_ = false;     ///< drawn as large as all of it fits
    bool scrolling_ = false;  ///< by the overview
    std::string body_;        ///< the tile whose body is pressed: dragged off it becomes a wire
    struct Target {
        QChar letter;
        QPointF place;  ///< on the board
        std::string node, layer, slot;
    };
    std::vector<Target> targets_;  ///< while a wire is being chosen by letters
    bool wire_into_ = false;
};

}  // namespace vemtra::app
