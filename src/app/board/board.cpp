#include "app/board/board.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QInputDialog>
#include <QMenu>
#include <QPainterPath>
#include <QScrollBar>
#include <QToolTip>

#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "nodes/description.h"
#include "nodes/plain_names.h"
#include "scene/edits.h"

namespace vemtra::app {

using namespace board;

namespace {
constexpr double smallest_fit = .1;
}

Board::Board(Workbench& bench, QWidget* parent) : QAbstractScrollArea(parent), bench_(bench) {
    setFrameShape(QFrame::NoFrame);
    setMouseTracking(true);
    viewport()->setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setObjectName("board");
    viewport()->setAttribute(Qt::WA_OpaquePaintEvent);
    setAcceptDrops(true);
    connect(&bench_, &Workbench::changed, this, &Board::relayout);
    connect(&bench_, &Workbench::selection_changed, this, [this] {
        relayout();
        show_selected();
    });
    connect(&bench_, &Workbench::measured_changed, viewport(), qOverload<>(&QWidget::update));
    // A new picture changes the measured costs only.
    connect(&bench_, &Workbench::picture_changed, this,
            [this] { viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height()); });
    relayout();
}

namespace {
/// The build-up without what the lanes do not show: dragging a value must not draw every tile again.
scene::BuildUp lanes_part(const scene::BuildUp& b) {
    scene::BuildUp copy = b;
    for (scene::Layer& l : copy.layers) {
        l.amount = l.gate.amount = 1.f;
        for (auto& [name, input] : l.surface) input.value = 0.f;
    }
    auto plain = [](std::vector<scene::Node>& nodes) {
        for (scene::Node& n : nodes)
            for (auto& [name, input] : n.inputs) input.value = 0.f;
    };
    plain(copy.commons);
    for (scene::Layer& l : copy.layers) plain(l.nodes);
    return copy;
}
}  // namespace

void Board::relayout() {
    const scene::BuildUp* b = bench_.build_up();
    if (b) {
        scene::BuildUp next = lanes_part(*b);
        const bool same = next == drawn_ && drawn_selection_ == bench_.selection() && layout_.width > 0 &&
                          bench_.showing().live().shown_node == shown_ && bench_.showing().live().loud == loud_;
        drawn_ = std::move(next);
        drawn_selection_ = bench_.selection();
        shown_ = bench_.showing().live().shown_node;
        loud_ = bench_.showing().live().loud;
        if (same && !resized_)
            return viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height());
    }
    resized_ = false;
    const double seen = std::max(50, viewport()->width() - core_width);
    const double before = layout_.width;
    if (fitted_ && b) {  // all lanes open, as large as they fit
        const BoardLayout whole = lay_out(*b, 50, &bench_.scene());
        zoom_ = std::clamp(std::min(seen / whole.width, viewport()->height() / whole.height), smallest_fit, 1.0);
    }
    const double least = seen / zoom_;
    layout_ = b ? lay_out(*b, least, &bench_.scene()) : BoardLayout();
    if (b && !fitted_ && layout_.height * zoom_ > viewport()->height())
        layout_ = lay_out(*b, least, &bench_.scene(), [this](const std::string& layer) {
            if (layer.empty() && !bench_.selection().node.empty())  // the commons, with the selected node in them
                return scene::find_node(*bench_.build_up(), bench_.selection().node).layer != nullptr &&
                       !opened_.contains(key_of(layer));
            return layer != bench_.selection().layer && !opened_.contains(key_of(layer));
        });
    const bool at_end = horizontalScrollBar()->value() == horizontalScrollBar()->maximum();
    horizontalScrollBar()->setRange(0, std::max(0, int(std::ceil(layout_.width * zoom_ - seen - .01))));
    horizontalScrollBar()->setPageStep(int(seen));
    horizontalScrollBar()->setSingleStep(20);
    verticalScrollBar()->setRange(0, std::max(0, int(layout_.height * zoom_) - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height());
    verticalScrollBar()->setSingleStep(20);
    if (at_end || before != layout_.width)
        horizontalScrollBar()->setValue(horizontalScrollBar()->maximum());  // the layers' ends come first
    redraw();
}
std::string Board::key_of(const std::string& layer) const {
    return (bench_.build_up() ? bench_.build_up()->id : std::string()) + "/" + layer;
}
void Board::open_lane(const std::string& layer, bool open) {
    if (open)
        opened_.insert(key_of(layer));
    else
        opened_.erase(key_of(layer));
    resized_ = true;
    relayout();
}
void Board::show_selected() {
    for (const BoardLane& lane : layout_.lanes) {
        if (lane.layer.empty() || lane.layer != bench_.selection().layer) continue;
        const int top = int(lane.rect.top() * zoom_) - 6;
        const int bottom = int(lane.rect.bottom() * zoom_) + 6;
        const int now = verticalScrollBar()->value();
        const int height = viewport()->height();
        if (top < now)
            verticalScrollBar()->setValue(top);
        else if (bottom > now + height)
            verticalScrollBar()->setValue(std::min(top, bottom - height));
    }
}
void Board::resizeEvent(QResizeEvent*) {
    resized_ = true;
    relayout();
}

QPointF Board::to_board(const QPoint& p) const {
    return (QPointF(p) + QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value())) / zoom_;
}
QPointF Board::to_viewport(const QPointF& p) const {
    return p * zoom_ - QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value());
}
double Board::left_edge() const {
    return horizontalScrollBar()->value() / zoom_;
}
QPoint Board::tile_position(const std::string& node) const {
    const BoardTile* t = layout_.tile(node);
    return t ? to_viewport(t->rect.center()).toPoint() : QPoint(-1, -1);
}
QPoint Board::output_position(const std::string& node) const {
    const BoardTile* t = layout_.tile(node);
    return t ? to_viewport(BoardLayout::output_tab(*t)).toPoint() : QPoint(-1, -1);
}
QPoint Board::layer_end_position(const std::string& layer) const {
    for (const BoardLane& l : layout_.lanes)
        if (l.layer == layer) return to_viewport(l.end.center()).toPoint();
    return {-1, -1};
}
QPoint Board::block_position(const std::string& layer) const {
    for (size_t i = 0; i < layout_.lanes.size(); ++i)
        if (layout_.lanes[i].layer == layer) return (block_rect(i).topLeft() + QPointF(30, 12)).toPoint();
    return {-1, -1};
}

QRectF Board::block_rect(size_t lane) const {
    const QRectF& r = layout_.lanes[lane].rect;
    return QRectF(viewport()->width() - core_width + 6, r.top() * zoom_ - verticalScrollBar()->value(), core_width - 12,
                  r.height() * zoom_);
}

Board::Spot Board::spot(const QPoint& p) const {
    if (p.x() >= viewport()->width() - core_width) {
        for (size_t i = 0; i < layout_.lanes.size(); ++i) {
            if (layout_.lanes[i].layer.empty() || !block_rect(i).contains(p)) continue;
            const QRectF r = block_rect(i);
            if (p.y() < r.top() + 20 && p.x() > r.right() - 26) return {Spot::block_switch, layout_.lanes[i].layer, {}};
            if (p.y() > r.bottom() - (layout_.lanes[i].folded ? 8 : 13))
                return {Spot::block_amount, layout_.lanes[i].layer, {}};
            return {Spot::block, layout_.lanes[i].layer, {}};
        }
        return {};
    }
    if (overview().contains(p)) return {Spot::overview, {}, {}};
    const QPointF at = to_board(p);
    for (const auto& [network, rect] : frames())
        if (QRectF(rect.right() - 52, rect.top() - 1, 52, 17).contains(at)) return {Spot::frame, network, {}};
    for (const BoardTile& t : layout_.tiles) {
        const QPointF o = BoardLayout::output_tab(t);
        if (std::fabs(at.x() - o.x()) < 9 && std::fabs(at.y() - o.y()) < 9) return {Spot::output, t.node, {}};
    }
    for (const BoardTile& t : layout_.tiles)
        if (t.rect.adjusted(-8, 0, 0, 0).contains(at)) {
            std::string port;
            for (size_t i = 0; i < t.inputs.size(); ++i)
                if (QRectF(BoardLayout::input_tab(t, i) - QPointF(9, 6), QSizeF(18, 12)).contains(at))
                    port = t.inputs[i];
            return {Spot::tile, t.node, port};
        }
    for (const BoardWire& w : layout_.wires) {
        const auto way = w.way();
        for (size_t i = 0; i + 1 < way.size(); ++i)
            if (QRectF(way[i], way[i + 1]).normalized().adjusted(-5, -5, 5, 5).contains(at))
                return {Spot::wire, w.to, w.port};
    }
    for (const BoardLane& l : layout_.lanes) {
        if (!l.layer.empty() && l.end.adjusted(-8, 0, 0, 0).contains(at)) {
            std::string port;
            for (size_t i = 0; i < l.tabs.size(); ++i)
                if (std::fabs(at.y() - BoardLayout::end_tab(l, i).y()) < 8) port = l.tabs[i];
            return {Spot::end, l.layer, port};
        }
        if (!l.layer.empty() && QRectF(l.rect.left(), l.rect.top(), 26 + left_edge(), lane_head).contains(at))
            return {Spot::fold, l.layer, {}};
        if (l.rect.contains(at)) return {Spot::lane, l.layer, {}};
    }
    return {};
}

bool Board::viewportEvent(QEvent* e) {
    if (e->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(e);
        const Spot s = spot(help->pos());
        QString text;
        if (const auto* b = bench_.build_up()) {
            if (s.kind == Spot::tile || s.kind == Spot::output) {
                if (const auto* n = scene::find_node(*b, s.id).node)
                    if (const auto d = nodes::describe(bench_.scene(), *n)) {
                        text = QString::fromStdString(s.port.empty() ? d->title + ": " + d->help
                                                                     : s.port + ": " + d->port(s.port)->help);
                        if (const std::string says = nodes::plain_formula(*d); s.port.empty() && !says.empty())
                            text += "\n" + QString::fromStdString(says);
                        const auto it = bench_.measured().nodes.find(s.id);
                        if (!n->note.empty()) text += "\n" + QString::fromStdString(n->note);
                        if (it != bench_.measured().nodes.end())
                            text += QString("\nOn what the camera sees: %1 to %2")
                                        .arg(number_text(it->second.values.smallest),
                                             number_text(it->second.values.largest));
                    }
            } else if (s.kind == Spot::frame)
                text = "Make the network of what lies here; all its instances follow";
            else if (s.kind == Spot::overview)
                text = "The whole board; drag to move what is seen";
            else if (s.kind == Spot::block)
                text = "Drag up or down to reorder; double-click to rename";
            else if (s.kind == Spot::fold)
                text = "Keep this lane open, or let it fold where there is no room";
            else if (s.kind == Spot::block_switch)
                text = "Layer on or off";
            else if (s.kind == Spot::block_amount)
                text = "Layer amount: how much of the layer is there at all";
            else if (s.kind == Spot::end)
                text = "Draw a wire from a tile's right tab to here";
        }
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QAbstractScrollArea::viewportEvent(e);
}

}  // namespace vemtra::app
