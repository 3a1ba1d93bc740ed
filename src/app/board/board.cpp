#include "app/board/board.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QInputDialog>
#include <QMenu>
#include <QPainterPath>
#include <QScrollBar>
#include <QToolTip>

#include "app/theme/theme.h"
#include "app/drawer/drawer.h"
#include "nodes/description.h"
#include "scene/edits.h"

namespace vemtra::app {

using namespace board;

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
    connect(&bench_, &Workbench::picture_changed, this, [this] { viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height()); });
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
        const bool same = next == drawn_ && drawn_selection_ == bench_.selection() && layout_.width > 0 && bench_.live.shown_node == shown_;
        drawn_ = std::move(next);
        drawn_selection_ = bench_.selection();
        shown_ = bench_.live.shown_node;
        if (same && !resized_) return viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height());
    }
    resized_ = false;
    const double least = std::max(50, viewport()->width() - core_width);
    const double before = layout_.width;
    layout_ = b ? lay_out(*b, least, &bench_.scene()) : BoardLayout();
    const bool at_end = horizontalScrollBar()->value() == horizontalScrollBar()->maximum();
    horizontalScrollBar()->setRange(0, std::max(0, int(std::ceil(layout_.width - least))));
    horizontalScrollBar()->setPageStep(int(least));
    horizontalScrollBar()->setSingleStep(20);
    verticalScrollBar()->setRange(0, std::max(0, int(layout_.height) - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height());
    verticalScrollBar()->setSingleStep(20);
    if (at_end || before != layout_.width) horizontalScrollBar()->setValue(horizontalScrollBar()->maximum());  // the layers' ends come first
    redraw();
}
void Board::show_selected() {
    for (const BoardLane& lane : layout_.lanes) {
        if (lane.layer.empty() || lane.layer != bench_.selection().layer) continue;
        const int top = int(lane.rect.top()) - 6, bottom = int(lane.rect.bottom()) + 6, now = verticalScrollBar()->value(), height = viewport()->height();
        if (top < now) verticalScrollBar()->setValue(top);
        else if (bottom > now + height) verticalScrollBar()->setValue(std::min(top, bottom - height));
    }
}
void Board::resizeEvent(QResizeEvent*) {
    resized_ = true;
    relayout();
}

QPointF Board::to_board(const QPoint& p) const { return QPointF(p) + QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value()); }
QPoint Board::tile_position(const std::string& node) const {
    const BoardTile* t = layout_.tile(node);
    return t ? (t->rect.center() - QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value())).toPoint() : QPoint(-1, -1);
}
QPoint Board::output_position(const std::string& node) const {
    const BoardTile* t = layout_.tile(node);
    return t ? (BoardLayout::output_tab(*t) - QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value())).toPoint() : QPoint(-1, -1);
}
QPoint Board::layer_end_position(const std::string& layer) const {
    for (const BoardLane& l : layout_.lanes)
        if (l.layer == layer) return (l.end.center() - QPointF(horizontalScrollBar()->value(), verticalScrollBar()->value())).toPoint();
    return {-1, -1};
}
QPoint Board::block_position(const std::string& layer) const {
    for (size_t i = 0; i < layout_.lanes.size(); ++i)
        if (layout_.lanes[i].layer == layer) return (block_rect(i).topLeft() + QPointF(30, 12)).toPoint();
    return {-1, -1};
}

QRectF Board::block_rect(size_t lane) const {
    const QRectF& r = layout_.lanes[lane].rect;
    return QRectF(viewport()->width() - core_width + 6, r.top() - verticalScrollBar()->value(), core_width - 12, r.height());
}

Board::Spot Board::spot(const QPoint& p) const {
    if (p.x() >= viewport()->width() - core_width) {
        for (size_t i = 0; i < layout_.lanes.size(); ++i) {
            if (layout_.lanes[i].layer.empty() || !block_rect(i).contains(p)) continue;
            const QRectF r = block_rect(i);
            if (p.y() < r.top() + 20 && p.x() > r.right() - 26) return {Spot::block_switch, layout_.lanes[i].layer, {}};
            if (p.y() > r.bottom() - 13) return {Spot::block_amount, layout_.lanes[i].layer, {}};
            return {Spot::block, layout_.lanes[i].layer, {}};
        }
        return {};
    }
    const QPointF at = to_board(p);
    for (const BoardTile& t : layout_.tiles) {
        const QPointF o = BoardLayout::output_tab(t);
        if (std::fabs(at.x() - o.x()) < 9 && std::fabs(at.y() - o.y()) < 9) return {Spot::output, t.node, {}};
    }
    for (const BoardTile& t : layout_.tiles)
        if (t.rect.adjusted(-8, 0, 0, 0).contains(at)) {
            std::string port;
            for (size_t i = 0; i < t.inputs.size(); ++i)
                if (QRectF(BoardLayout::input_tab(t, i) - QPointF(9, 6), QSizeF(18, 12)).contains(at)) port = t.inputs[i];
            return {Spot::tile, t.node, port};
        }
    for (const BoardLane& l : layout_.lanes) {
        if (!l.layer.empty() && l.end.adjusted(-8, 0, 0, 0).contains(at)) {
            std::string port;
            for (size_t i = 0; i < l.tabs.size(); ++i)
                if (std::fabs(at.y() - BoardLayout::end_tab(l, i).y()) < 8) port = l.tabs[i];
            return {Spot::end, l.layer, port};
        }
        if (l.rect.contains(at)) return {Spot::lane, l.layer, {}};
    }
    return {};
}

void Board::paintEvent(QPaintEvent* e) {
    QPainter p(viewport());
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    p.fillRect(viewport()->rect(), t.window);
    if (!bench_.build_up()) {
        p.setPen(t.faint);
        p.drawText(viewport()->rect().adjusted(24, 0, -24, 0), Qt::AlignCenter | Qt::TextWordWrap, "The board shows the layers of the selected part.\nImport an asset, then click a part in the picture.");
        return;
    }
    if (e->rect().left() >= viewport()->width() - core_width) return paint_core(p);
    const QPoint scrolled(horizontalScrollBar()->value(), verticalScrollBar()->value());
    if (lanes_.isNull()) draw_lanes();
    p.save();
    p.setClipRect(QRect(0, 0, viewport()->width() - core_width, viewport()->height()));
    p.translate(-scrolled);
    for (const BoardTile& tile : layout_.tiles) paint_thumbnail(p, tile);
    p.drawPixmap(scrolled, lanes_);
    if (!wire_from_.empty())
        if (const BoardTile* from = layout_.tile(wire_from_)) {
            p.setPen(QPen(t.accent, 2));
            p.drawLine(BoardLayout::output_tab(*from), to_board(wire_to_));
        }
    p.restore();
    paint_core(p);
}

// Text and wires take milliseconds to draw and seldom change, while pictures arrive many times a second: they are kept, with a window at
// every thumbnail.
void Board::draw_lanes() {
    const Theme& t = theme();
    const double scale = devicePixelRatioF();
    lanes_ = QPixmap(viewport()->size() * scale);
    lanes_.setDevicePixelRatio(scale);
    lanes_.fill(Qt::transparent);  // or it would have no windows
    QPainter p(&lanes_);
    p.fillRect(QRect(QPoint(0, 0), viewport()->size()), t.window);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(font());
    p.translate(-horizontalScrollBar()->value(), -verticalScrollBar()->value());
    for (size_t i = 0; i < layout_.lanes.size(); ++i) paint_lane(p, i);
    // Wires run level, then straight up or down just before their end, with rounded corners.
    for (const BoardWire& w : layout_.wires) {
        const bool touched = w.from == bench_.selection().node || w.to == bench_.selection().node;
        p.setPen(QPen(touched ? t.accent : t.text, touched ? 2.0 : 1.2, w.across_lanes ? Qt::DashLine : Qt::SolidLine));
        p.setBrush(Qt::NoBrush);
        const QPointF a = w.start + QPointF(6, 0), b = w.stop - QPointF(6, 0);
        // Within a lane the turn is next to the reader; a wire from another lane climbs right beside its source.
        const double dy = b.y() - a.y(), x = w.across_lanes ? std::min(a.x() + 6, std::max(a.x() + 4, b.x() - 6)) : std::max(a.x() + 4, b.x() - 6);
        const double r = std::min({5.0, std::fabs(dy) / 2, std::max(0.0, x - a.x()), 5.0});
        QPainterPath path(a);
        if (std::fabs(dy) < 1) path.lineTo(b);
        else {
            const double s = dy > 0 ? 1 : -1;
            path.lineTo(x - r, a.y());
            path.quadTo(x, a.y(), x, a.y() + s * r);
            path.lineTo(x, b.y() - s * r);
            path.quadTo(x, b.y(), std::min(x + r, b.x()), b.y());
            path.lineTo(b);
        }
        p.drawPath(path);
    }
    for (const BoardTile& tile : layout_.tiles) paint_tile(p, tile);
}
void Board::redraw() {
    lanes_ = QPixmap();
    viewport()->update();
}
void Board::scrollContentsBy(int, int) { redraw(); }
void Board::changeEvent(QEvent* e) {
    QAbstractScrollArea::changeEvent(e);
    if (e->type() == QEvent::PaletteChange || e->type() == QEvent::StyleChange || e->type() == QEvent::FontChange) redraw();
}

void Board::paint_lane(QPainter& p, size_t index) {
    const Theme& t = theme();
    const BoardLane& lane = layout_.lanes[index];
    const scene::BuildUp* b = bench_.build_up();
    const scene::Layer* layer = scene::find(b->layers, lane.layer);
    const bool selected = layer && bench_.selection().layer == lane.layer;
    p.setPen(selected ? QPen(t.accent, 2) : QPen(t.line, 1));
    p.setBrush(layer ? t.panel : t.window);
    p.drawRoundedRect(lane.rect.adjusted(1, 0, -1, 0), 4, 4);
    p.setFont(strong_font());
    p.setPen(layer && !layer->on ? t.faint : t.text);
    const double x = horizontalScrollBar()->value() + 10;
    p.drawText(QRectF(x, lane.rect.top() + 2, 300, lane_head - 2), Qt::AlignVCenter, layer ? QString::fromStdString(layer->name) + (scene::traits(layer->kind).hides ? "" : "  - coat") + (layer->on ? "" : "  (off)") : "Commons");
    if (!layer) return;
    p.setPen(QPen(t.line.darker(120), 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(lane.end, 3, 3);
    for (size_t i = 0; i < lane.tabs.size(); ++i) {
        const QPointF at = BoardLayout::end_tab(lane, i);
        const bool gate = lane.tabs[i] == scene::gate_slot;
        const nodes::Port* port = nodes::slots_of(*layer).port(lane.tabs[i]);
        const scene::Input* input = gate ? &layer->gate.mask : &layer->surface.at(lane.tabs[i]);
        draw_tab(p, QRectF(at.x() - tab / 2, at.y() - tab / 2, tab, tab), gate ? 'N' : nodes::type_letter(port->type), !input->from.empty());
        p.setFont(small_font());
        p.setPen(t.text);
        QString label = QString::fromStdString(lane.tabs[i]).replace('_', ' ');
        label = p.fontMetrics().elidedText(label, Qt::ElideRight, int(end_width - 14));
        if (gate && input->from.empty()) label += "  " + number_text(scene::as_number(input->value, 1.f));
        p.drawText(QRectF(at.x() + 10, at.y() - 8, end_width - 12, 16), Qt::AlignVCenter, label);
    }
}

namespace {
QRectF picture_of(const BoardTile& tile) { return {tile.rect.left() + 3, tile.rect.top() + 3, tile.rect.width() - 6, picture_height - 3}; }
}  // namespace

void Board::paint_tile(QPainter& p, const BoardTile& tile) {
    const Theme& t = theme();
    const scene::BuildUp* b = bench_.build_up();
    const scene::Node* n = scene::find_node(*b, tile.node).node;
    if (!n) return;
    const auto d = nodes::describe(bench_.scene(), *n);
    const bool selected = bench_.selection().node == tile.node;
    const bool shown = bench_.live.view == render::View::node && bench_.live.shown_node == tile.node;
    p.setPen(selected ? QPen(t.accent, 2) : QPen(t.line.darker(130), 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(tile.rect, 3, 3);
    p.setCompositionMode(QPainter::CompositionMode_Clear);
    p.fillRect(picture_of(tile), Qt::black);
    p.setCompositionMode(QPainter::CompositionMode_SourceOver);
    p.setPen(t.text);
    p.setFont(small_font());
    const QRectF text(tile.rect.left() + 9, tile.rect.top() + picture_height + 1, tile.rect.width() - 17, tile.rect.height() - picture_height - 3);
    const QString name = QString::fromStdString(n->name.empty() ? n->id : n->name), kind = d ? QString::fromStdString(d->title) : QString::fromStdString(n->kind);
    p.drawText(QRectF(text.left(), text.top(), text.width(), 12), Qt::AlignVCenter, p.fontMetrics().elidedText(name, Qt::ElideRight, int(text.width())));
    p.setPen(t.faint);
    p.drawText(QRectF(text.left(), text.top() + 11, text.width(), 12), Qt::AlignVCenter, p.fontMetrics().elidedText(shown ? "on the asset" : name == kind ? "" : kind, Qt::ElideRight, int(text.width())));
    for (size_t i = 0; i < tile.inputs.size(); ++i) {
        const auto input = n->inputs.find(tile.inputs[i]);
        const bool wired = input != n->inputs.end() && !input->second.from.empty();
        if (!wired && !selected && wire_from_.empty()) continue;  // free inputs show where they are of use
        const nodes::Port* port = d->port(tile.inputs[i]);
        const QPointF at = BoardLayout::input_tab(tile, i);
        draw_tab(p, QRectF(at.x() - tab / 2, at.y() - tab / 2, tab, tab), nodes::type_letter(d->port_type(*port, d->output_type(*n))), wired);
    }
    const QPointF o = BoardLayout::output_tab(tile);
    draw_tab(p, QRectF(o.x() - tab / 2, o.y() - tab / 2, tab, tab), d ? nodes::type_letter(d->output_type(*n)) : '?', true);
}

void Board::paint_thumbnail(QPainter& p, const BoardTile& tile) {
    const QRectF picture = picture_of(tile);
    const auto it = bench_.thumbnails().find(tile.node);
    if (bench_.measured().build_up == bench_.build_up()->id && it != bench_.thumbnails().end()) return p.drawImage(picture.topLeft().toPoint(), it->second);
    const scene::Node* n = scene::find_node(*bench_.build_up(), tile.node).node;
    p.fillRect(picture, theme().surround);
    p.setFont(small_font());
    p.setPen(theme().faint);
    p.drawText(picture, Qt::AlignCenter, n && nodes::describe(bench_.scene(), *n) ? "feeds nothing" : "unknown");
}

void Board::paint_core(QPainter& p) {
    const Theme& t = theme();
    const scene::BuildUp* b = bench_.build_up();
    const auto image = bench_.image();
    const auto& measured = bench_.measured();
    const bool have = measured.build_up == b->id && measured.layers.size() == b->layers.size();
    p.fillRect(QRect(viewport()->width() - core_width, 0, core_width, viewport()->height()), t.window);
    for (size_t i = 0; i < layout_.lanes.size(); ++i) {
        const scene::Layer* layer = scene::find(b->layers, layout_.lanes[i].layer);
        if (!layer) continue;
        const size_t k = size_t(layer - b->layers.data());
        const QRectF r = block_rect(i);
        const bool selected = bench_.selection().layer == layer->id;
        const QColor fill = have && measured.layers[k].coverage > 0 ? swatch(measured.layers[k].color) : t.window;
        p.setPen(QPen(selected ? t.accent : t.line.darker(140), selected ? 2 : 1));
        p.setBrush(layer->on ? QBrush(fill) : QBrush(t.window));
        p.drawRect(r);
        const QColor ink = layer->on ? ink_on(fill) : t.faint;
        p.setPen(ink);
        double share = 0;
        if (image && image->prepared)
            for (size_t l = 0; l < image->layers.size() && l < image->prepared->layers.size(); ++l)
                if (image->prepared->layers[l].build_up == b->id && image->prepared->layers[l].layer == layer->id) share = image->layers[l].cost;
        p.setFont(strong_font());
        const QString coverage = !have ? "-" : QString::number(double(measured.layers[k].coverage) * 100, 'f', 1) + " %";
        p.drawText(QRectF(r.left() + 6, r.top() + 3, r.width() - 34, 16), Qt::AlignVCenter, layer->on ? coverage : "off");
        p.setFont(small_font());
        if (r.height() > 46) {
            p.drawText(QRectF(r.left() + 6, r.top() + 18, r.width() - 12, 13), Qt::AlignVCenter, "covered");
            p.drawText(QRectF(r.left() + 6, r.top() + 32, r.width() - 12, 13), Qt::AlignVCenter, "cost " + QString::number(share * 100, 'f', 1) + " % of time");
        }
        // On and off: an open or a filled square.
        p.setPen(QPen(ink, 1.4));
        p.setBrush(layer->on ? QBrush(ink) : QBrush(Qt::NoBrush));
        if (k > 0) p.drawRect(QRectF(r.right() - 18, r.top() + 6, 10, 10));
        // Amount along the lower edge.
        if (k > 0) {
            p.setPen(Qt::NoPen);
            QColor faint = ink;
            faint.setAlpha(70);
            p.setBrush(faint);
            p.drawRect(QRectF(r.left() + 6, r.bottom() - 9, r.width() - 12, 4));
            p.setBrush(ink);
            p.drawRect(QRectF(r.left() + 6, r.bottom() - 9, (r.width() - 12) * double(layer->amount), 4));
        }
    }
    if (drop_index_ >= 0 && !dragged_layer_.empty()) {
        const double y = drop_index_ < int(layout_.lanes.size()) ? block_rect(size_t(drop_index_)).top() - lane_gap / 2 : block_rect(layout_.lanes.size() - 1).bottom() + lane_gap / 2;
        p.setPen(QPen(t.accent, 3));
        p.drawLine(QPointF(viewport()->width() - core_width, y), QPointF(viewport()->width(), y));
    }
}

void Board::mousePressEvent(QMouseEvent* e) {
    pressed_ = e->pos();
    const Spot s = spot(e->pos());
    if (e->button() != Qt::LeftButton) return;
    switch (s.kind) {
        case Spot::output: wire_from_ = s.id; wire_to_ = e->pos(); bench_.select_node(s.id); break;
        case Spot::tile:
            bench_.select_node(s.id);
            if (!s.port.empty())  // a wired tab lets its wire go: the drag goes on from the source
                if (const auto* n = bench_.node())
                    if (auto it = n->inputs.find(s.port); it != n->inputs.end() && !it->second.from.empty()) {
                        const std::string source = it->second.from;
                        bench_.edit_build_up("Disconnect " + s.port, [&](scene::BuildUp& b) { scene::node(b, s.id)->inputs[s.port].from.clear(); });
                        wire_from_ = source;
                        wire_to_ = e->pos();
                    }
            break;
        case Spot::end:
            bench_.select_layer(s.id);
            break;
        case Spot::lane:
            if (!s.id.empty()) bench_.select_layer(s.id);
            break;
        case Spot::block_switch:
            bench_.edit_build_up("Switch layer", [&](scene::BuildUp& b) {
                if (auto* l = scene::find(b.layers, s.id); l && l != b.layers.data()) l->on = !l->on;
            });
            break;
        case Spot::block_amount: amount_layer_ = s.id; bench_.select_layer(s.id); mouseMoveEvent(e); break;
        case Spot::block: bench_.select_layer(s.id); dragged_layer_ = s.id; break;
        default: break;
    }
    redraw();
}

void Board::mouseMoveEvent(QMouseEvent* e) {
    if (!wire_from_.empty()) {
        wire_to_ = e->pos();
        viewport()->update();
    } else if (!amount_layer_.empty()) {
        const double left = viewport()->width() - core_width + 12, width = core_width - 24;
        const float amount = float(std::clamp((e->pos().x() - left) / width, 0.0, 1.0));
        bench_.edit_build_up("Layer amount", [&](scene::BuildUp& b) {
            if (auto* l = scene::find(b.layers, amount_layer_); l && l != b.layers.data()) l->amount = amount;
        }, "amount " + amount_layer_);
    } else if (!dragged_layer_.empty() && (e->pos() - pressed_).manhattanLength() > 8) {
        drop_index_ = 0;
        for (size_t i = 0; i < layout_.lanes.size(); ++i)
            if (!layout_.lanes[i].layer.empty() && e->pos().y() > block_rect(i).center().y()) drop_index_ = int(i) + 1;
        viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height());
    } else {
        const Spot s = spot(e->pos());
        viewport()->setCursor(s.kind == Spot::output ? Qt::CrossCursor : s.kind == Spot::block_amount ? Qt::SizeHorCursor : Qt::ArrowCursor);
    }
}

void Board::mouseReleaseEvent(QMouseEvent* e) {
    if (!wire_from_.empty()) {
        if ((e->pos() - pressed_).manhattanLength() > 6) drop_wire(e->pos());
        wire_from_.clear();
    }
    if (!dragged_layer_.empty() && drop_index_ >= 0) {
        const scene::BuildUp* b = bench_.build_up();
        const int count = int(b->layers.size()), from = int(scene::find(b->layers, dragged_layer_) - b->layers.data());
        int to = count - drop_index_;  // lanes run from outermost to base
        if (to > from) --to;
        bench_.edit_build_up("Move layer", [&](scene::BuildUp& x) { scene::move_layer(x, dragged_layer_, to); });
    }
    dragged_layer_.clear();
    drop_index_ = -1;
    if (!amount_layer_.empty()) bench_.end_merge();
    amount_layer_.clear();
    redraw();
}

void Board::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasFormat(stock_mime)) e->acceptProposedAction();
}
void Board::dragMoveEvent(QDragMoveEvent* e) { e->acceptProposedAction(); }
void Board::dropEvent(QDropEvent* e) {
    const Spot s = spot(e->position().toPoint());
    const bool on_layer = (s.kind == Spot::lane || s.kind == Spot::end || s.kind == Spot::block) && !s.id.empty();
    const std::string id = e->mimeData()->data(stock_mime).toStdString();
    if (on_layer) bench_.apply_stock_to(id, s.id);
    else bench_.add_stock_layer(id);
    e->acceptProposedAction();
}

void Board::drop_wire(const QPoint& at) {
    const Spot s = spot(at);
    const std::string from = wire_from_;
    if (s.kind == Spot::tile && s.id != from) {
        if (!s.port.empty()) connect_nodes(from, s.id, s.port);
        else choose_port(from, s.id, viewport()->mapToGlobal(at));
    } else if (s.kind == Spot::end || (s.kind == Spot::lane && !s.id.empty())) {
        if (!s.port.empty()) return connect_to_layer(from, s.id, s.port);
        QMenu menu(this);
        menu.addAction(scene::gate_slot, [=, this] { connect_to_layer(from, s.id, scene::gate_slot); });
        menu.addSeparator();
        const scene::BuildUp* b = bench_.build_up();
        const scene::Layer* layer = b ? scene::find(b->layers, s.id) : nullptr;
        if (!layer) return;
        QMenu* group = nullptr;
        std::string name;
        for (const nodes::Port& p : nodes::slots_of(*layer).ports) {
            if (!group || p.group != name) group = menu.addMenu(QString::fromStdString(name = p.group));
            group->addAction(QString::fromStdString(p.name), [=, this] { connect_to_layer(from, s.id, p.name); });
        }
        menu.exec(viewport()->mapToGlobal(at));
    }
}

void Board::choose_port(const std::string& from, const std::string& to, const QPoint& global) {
    const BoardTile* tile = layout_.tile(to);
    if (!tile || tile->inputs.empty()) {
        Q_EMIT bench_.said("That node has no inputs");
        return;
    }
    if (tile->inputs.size() == 1) return connect_nodes(from, to, tile->inputs[0]);
    QMenu menu(this);
    for (const std::string& port : tile->inputs) menu.addAction(QString::fromStdString(port), [=, this] { connect_nodes(from, to, port); });
    menu.exec(global);
}

void Board::connect_nodes(const std::string& from, const std::string& to, const std::string& port) {
    const scene::BuildUp* b = bench_.build_up();
    if (!b) return;
    if (scene::would_circle(*b, from, to)) {
        Q_EMIT bench_.said("Not connected: the network would run in a circle");
        return;
    }
    bench_.edit_build_up("Connect to " + port, [&](scene::BuildUp& x) {
        scene::Node* n = scene::node(x, to);
        if (!n) return;
        const auto d = nodes::describe(bench_.scene(), *n);
        auto [it, fresh] = n->inputs.try_emplace(port);
        if (fresh && d && d->port(port)) it->second.value = d->port(port)->value;
        it->second.from = from;
    });
}

void Board::connect_to_layer(const std::string& node, const std::string& layer, const std::string& slot) {
    bench_.edit_build_up("Connect to " + slot, [&](scene::BuildUp& b) {
        scene::Layer* l = scene::find(b.layers, layer);
        if (!l) return;
        if (slot == scene::gate_slot) {
            l->gate.mask.from = node;
            return;
        }
        auto [it, fresh] = l->surface.try_emplace(slot);
        if (fresh)
            if (const auto* port = nodes::slots_of(*l).port(slot)) it->second.value = port->value;
        it->second.from = node;
    });
}

void Board::delete_selected() {
    const Selection s = bench_.selection();
    if (!s.node.empty()) bench_.edit_build_up("Delete node", [&](scene::BuildUp& b) { scene::remove_node(b, s.node); });
    else if (!s.layer.empty()) {
        if (bench_.build_up() && bench_.build_up()->layers.size() < 2) {
            Q_EMIT bench_.said("The last layer stays: there is always something at the bottom");
            return;
        }
        bench_.edit_build_up("Delete layer", [&](scene::BuildUp& b) { scene::remove_layer(b, s.layer); });
    }
}

void Board::mouseDoubleClickEvent(QMouseEvent* e) {
    const Spot s = spot(e->pos());
    if (s.kind == Spot::tile) bench_.show_node(bench_.live.shown_node == s.id ? "" : s.id);
    else if (s.kind == Spot::lane || s.kind == Spot::block) {
        const scene::Layer* l = bench_.layer();
        if (!l) return;
        bool ok = false;
        const QString name = QInputDialog::getText(this, "Rename layer", "Name", QLineEdit::Normal, QString::fromStdString(l->name), &ok);
        if (ok && !name.isEmpty())
            bench_.edit_build_up("Rename layer", [&](scene::BuildUp& b) {
                if (auto* x = scene::find(b.layers, s.id)) x->name = name.toStdString();
            });
    }
}

void Board::contextMenuEvent(QContextMenuEvent* e) {
    const Spot s = spot(e->pos());
    QMenu menu(this);
    if (s.kind == Spot::tile || s.kind == Spot::output) {
        bench_.select_node(s.id);
        const bool shown = bench_.live.shown_node == s.id;
        menu.addAction(shown ? "Back to the render" : "Show on asset", [=, this] { bench_.show_node(shown ? "" : s.id); });
        menu.addAction("Disconnect its inputs", [=, this] {
            bench_.edit_build_up("Disconnect inputs", [&](scene::BuildUp& b) {
                for (auto& [name, input] : scene::node(b, s.id)->inputs) input.from.clear();
            });
        });
        menu.addAction("Delete node", [this] { delete_selected(); });
    } else if (!s.id.empty()) {
        bench_.select_layer(s.id);
        menu.addAction("Add node...", [=, this] { Q_EMIT add_node_wanted(e->globalPos()); });
        menu.addSeparator();
        menu.addAction("Add layer above", [=, this] { bench_.edit_build_up("Add layer", [&](scene::BuildUp& b) { scene::add_layer(b, "New layer", s.id); }); });
        menu.addAction("Duplicate layer", [=, this] { bench_.edit_build_up("Duplicate layer", [&](scene::BuildUp& b) { scene::duplicate_layer(b, s.id); }); });
        menu.addAction("Delete layer", [this] { delete_selected(); });
        if (s.kind == Spot::end && !s.port.empty())
            menu.addAction("Disconnect " + QString::fromStdString(s.port), [=, this] {
                bench_.edit_build_up("Disconnect " + s.port, [&](scene::BuildUp& b) {
                    auto* l = scene::find(b.layers, s.id);
                    if (s.port == scene::gate_slot) l->gate.mask.from.clear();
                    else l->surface[s.port].from.clear();
                });
            });
    } else return;
    menu.exec(e->globalPos());
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
                        text = QString::fromStdString(s.port.empty() ? d->title + ": " + d->help : s.port + ": " + d->port(s.port)->help);
                        const auto it = bench_.measured().nodes.find(s.id);
                        if (it != bench_.measured().nodes.end()) text += QString("\nOn what the camera sees: %1 to %2").arg(number_text(it->second.values.smallest), number_text(it->second.values.largest));
                    }
            } else if (s.kind == Spot::block) text = "Drag up or down to reorder; double-click to rename";
            else if (s.kind == Spot::block_switch) text = "Layer on or off";
            else if (s.kind == Spot::block_amount) text = "Layer amount: how much of the layer is there at all";
            else if (s.kind == Spot::end) text = "Draw a wire from a tile's right tab to here";
        }
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QAbstractScrollArea::viewportEvent(e);
}

}  // namespace vemtra::app
