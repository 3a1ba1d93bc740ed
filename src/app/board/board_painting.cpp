// What the board looks like: lanes, wires, tiles, and the core with what was measured.
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
#include "nodes/groups.h"
#include "scene/edits.h"

namespace vemtra::app {

using namespace board;

void Board::paintEvent(QPaintEvent* e) {
    QPainter p(viewport());
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    p.fillRect(viewport()->rect(), t.window);
    if (!bench_.build_up()) {
        p.setPen(t.faint);
        p.drawText(
            viewport()->rect().adjusted(24, 0, -24, 0), Qt::AlignCenter | Qt::TextWordWrap,
            "The board shows the layers of the selected part.\nImport an asset, then click a part in the picture.");
        return;
    }
    if (e->rect().left() >= viewport()->width() - core_width) return paint_core(p);
    const QPoint scrolled(horizontalScrollBar()->value(), verticalScrollBar()->value());
    if (lanes_.isNull()) draw_lanes();
    p.save();
    p.setClipRect(QRect(0, 0, viewport()->width() - core_width, viewport()->height()));
    p.translate(-scrolled);
    p.scale(zoom_, zoom_);
    for (const BoardTile& tile : layout_.tiles) paint_thumbnail(p, tile);
    p.save();
    p.resetTransform();
    p.drawPixmap(QPoint(0, 0), lanes_);
    p.restore();
    paint_letters(p);
    if (frame_from_) {
        p.setPen(QPen(t.accent, 1, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(*frame_from_, frame_to_).normalized());
    }
    if (cut_from_) {
        p.setPen(QPen(t.accent, 2, Qt::DotLine));
        p.drawLine(*cut_from_, frame_to_);
    }
    if (!wire_from_.empty())
        if (const BoardTile* from = layout_.tile(wire_from_)) {
            p.setPen(QPen(t.accent, 2));
            p.drawLine(BoardLayout::output_tab(*from), to_board(wire_to_));
        }
    p.restore();
    paint_overview(p);
    paint_core(p);
}

std::map<std::string, QRectF> Board::frames() const {
    std::map<std::string, QRectF> out;
    const scene::BuildUp* b = bench_.build_up();
    if (!b) return out;
    std::unordered_map<std::string_view, const scene::Node*> open;
    scene::for_each_node(*b, [&](const scene::Node& n, const scene::Layer*) {
        if (!n.laid_open.empty()) open.emplace(n.id, &n);
    });
    if (open.empty()) return out;
    for (const BoardTile& tile : layout_.tiles)
        if (const auto it = open.find(tile.node); it != open.end()) {
            QRectF& r = out[nodes::laid_open_of(*it->second).first];
            r = r.isNull() ? tile.rect : r.united(tile.rect);
        }
    for (auto& [network, r] : out) r.adjust(-12, -frame_head - 2, 12, 6);
    return out;
}

/// Behind the tiles of a group that lies open: a ground of their own, with its name and what closes it.
void Board::paint_frames(QPainter& p) {
    const Theme& t = theme();
    const scene::BuildUp* b = bench_.build_up();
    for (const auto& [network, r] : frames()) {
        std::vector<QRectF> ground{QRectF(r.left(), r.top(), r.width(), board::frame_head)};
        for (const BoardTile& tile : layout_.tiles) {
            const scene::Node* n = scene::find_node(*b, tile.node).node;
            if (n && nodes::laid_open_of(*n).first == network) ground.push_back(tile.rect.adjusted(-12, -6, 12, 6));
        }
        p.setPen(QPen(t.text, 1.2, Qt::DashDotLine));
        p.setBrush(t.window);
        for (const QRectF& part : ground) p.drawRect(part);
        p.setPen(Qt::NoPen);  // what of the lines lies inside goes
        for (const QRectF& part : ground) p.drawRect(part.adjusted(1, 1, -1, -1));
        const scene::Network* of = scene::find(bench_.scene().networks, network);
        p.setFont(small_font());
        p.setPen(t.text);
        const QString name = QString::fromStdString(of ? of->name : network);
        const double left = std::max(r.left(), left_edge()) + 8;  // in sight where the frame begins further left
        const double width = std::max(0.0, r.right() - left - 56);
        p.drawText(QRectF(left, r.top() + 1, width, 16), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(name, Qt::ElideRight, int(width)));
        p.setFont(strong_font());
        p.drawText(QRectF(r.right() - 52, r.top() + 1, 46, 16), Qt::AlignVCenter | Qt::AlignRight, "close");
    }
}

/// A letter on everything that the wire can go to.
void Board::paint_letters(QPainter& p) {
    const Theme& t = theme();
    p.setFont(strong_font());
    for (const Target& target : targets_) {
        const QRectF r(target.place.x() - 9, target.place.y() - 9, 18, 18);
        p.setPen(QPen(t.text, 1));
        p.setBrush(t.accent);
        p.drawRect(r);
        p.setPen(ink_on(t.accent));
        p.drawText(r, Qt::AlignCenter, QString(target.letter).toUpper());
    }
}

QRectF Board::overview() const {
    const double seen_width = viewport()->width() - core_width;
    const double seen_height = viewport()->height();
    const double width = layout_.width * zoom_;
    const double height = layout_.height * zoom_;
    // Lanes that do not fit fold: only what lies aside, or is drawn large, is out of sight for long.
    const bool tall = zoom_ > 1 && height > seen_height * 1.15;
    if (layout_.tiles.size() < 8 || (width < seen_width * 1.15 && !tall)) return {};
    const double scale = std::min(132.0 / width, 84.0 / height);
    return QRectF(8, seen_height - height * scale - 8, width * scale, height * scale);
}

/// The whole board, small: lanes, tiles, and what of it is seen.
void Board::paint_overview(QPainter& p) {
    const QRectF r = overview();
    if (r.isEmpty()) return;
    const Theme& t = theme();
    const double scale = r.width() / layout_.width;
    p.setPen(QPen(t.line, 1));
    p.setBrush(t.window);
    p.drawRect(r.adjusted(-3, -3, 3, 3));
    p.setPen(Qt::NoPen);
    auto small = [&](const QRectF& x) {
        return QRectF(r.left() + x.left() * scale, r.top() + x.top() * scale, x.width() * scale, x.height() * scale);
    };
    for (const BoardLane& lane : layout_.lanes) {
        p.setBrush(lane.layer == bench_.selection().layer && !lane.layer.empty() ? t.raised : t.panel);
        p.drawRect(small(lane.rect).adjusted(0, 0, 0, -1));
    }
    for (const BoardTile& tile : layout_.tiles) {
        p.setBrush(bench_.selection().node == tile.node ? t.accent : t.faint);
        p.drawRect(small(tile.rect));
    }
    p.setPen(QPen(t.accent, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawRect(small(QRectF(to_board({0, 0}),
                            QSizeF((viewport()->width() - core_width) / zoom_, viewport()->height() / zoom_)))
                   .intersected(r));
}

void Board::scroll_to(const QPointF& at) {
    const QRectF r = overview();
    if (r.isEmpty()) return;
    const double scale = r.width() / layout_.width;
    const QPointF middle = QPointF(at.x() - r.left(), at.y() - r.top()) / scale * zoom_;
    horizontalScrollBar()->setValue(int(middle.x() - (viewport()->width() - core_width) / 2.0));
    verticalScrollBar()->setValue(int(middle.y() - viewport()->height() / 2.0));
}

// Text and wires take milliseconds to draw and seldom change, while pictures arrive many times a second: they are kept,
// with a window at every thumbnail.
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
    p.scale(zoom_, zoom_);
    for (size_t i = 0; i < layout_.lanes.size(); ++i) paint_lane(p, i);
    paint_frames(p);
    // Wires have rounded corners.
    // The whole way that leads to the selected tile, and from it, is lit.
    scene::Ids before;
    scene::Ids after;
    if (const std::string& node = bench_.selection().node; !node.empty()) {
        const scene::Graph graph(*bench_.build_up());
        before = graph.upstream({node});
        after = graph.downstream(node);
    }
    for (const BoardWire& w : layout_.wires) {
        const bool touched = (before.contains(w.from) && before.contains(w.to)) || after.contains(w.from);
        paint_wire(p, w, touched);
    }
    std::unordered_map<std::string_view, const scene::Node*> by_id;
    scene::for_each_node(*bench_.build_up(),
                         [&](const scene::Node& n, const scene::Layer*) { by_id.emplace(n.id, &n); });
    for (const BoardTile& tile : layout_.tiles)
        if (const auto n = by_id.find(tile.node); n != by_id.end()) paint_tile(p, tile, *n->second);
}
/// With rounded corners, where they are large enough to be seen; lines that run level or upright need no smoothing.
void Board::paint_wire(QPainter& p, const BoardWire& w, bool lit) {
    const Theme& t = theme();
    const auto [a, turn, other, b] = w.way();
    QPen pen(lit ? t.accent : t.text, lit ? 2.0 : 1.2, w.across_lanes ? Qt::DashLine : Qt::SolidLine);
    p.setBrush(Qt::NoBrush);
    if (!readable()) {
        pen.setWidth(lit ? 2 : 1);
        pen.setCosmetic(true);
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setPen(pen);
        const QPointF corners[] = {a, turn, other, b};
        p.drawPolyline(corners, 4);
        p.setRenderHint(QPainter::Antialiasing);
        return;
    }
    p.setPen(pen);
    const double dy = b.y() - a.y();
    const double x = turn.x();
    const double r = std::min({5.0, std::fabs(dy) / 2, std::max(0.0, x - a.x()), 5.0});
    QPainterPath path(a);
    if (std::fabs(dy) < 1)
        path.lineTo(b);
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
void Board::redraw() {
    lanes_ = QPixmap();
    viewport()->update();
}
void Board::scrollContentsBy(int, int) {
    redraw();
}
void Board::changeEvent(QEvent* e) {
    QAbstractScrollArea::changeEvent(e);
    if (e->type() == QEvent::PaletteChange || e->type() == QEvent::StyleChange || e->type() == QEvent::FontChange)
        redraw();
}

/// What stands behind a layer's name.
QString Board::state_of(const scene::Layer& layer) const {
    return QString(layer.on ? "" : "  (off)") +
           (bench_.showing().is_loud(bench_.selection().build_up, layer.id) ? "  (loud)" : "");
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
    if (lane.folded) return paint_folded(p, lane, layer);
    p.setFont(strong_font());
    p.setPen(layer && !layer->on ? t.faint : t.text);
    paint_fold(p, lane);
    const double x = left_edge() + 26;
    p.drawText(QRectF(x, lane.rect.top() + 2, 300, lane_head - 2), Qt::AlignVCenter,
               layer ? QString::fromStdString(layer->name) + (scene::traits(layer->kind).hides ? "" : "  - coat") +
                           state_of(*layer)
                     : "Commons");
    if (!layer) return;
    p.setPen(QPen(t.line.darker(120), 1));
    p.setBrush(t.raised);
    p.drawRoundedRect(lane.end, 3, 3);
    for (size_t i = 0; i < lane.tabs.size(); ++i) {
        const QPointF at = BoardLayout::end_tab(lane, i);
        const bool gate = lane.tabs[i] == scene::gate_slot;
        const nodes::Port* port = nodes::slots_of(*layer).port(lane.tabs[i]);
        const scene::Input* input = gate ? &layer->gate.mask : &layer->surface.at(lane.tabs[i]);
        draw_tab(p, QRectF(at.x() - tab / 2, at.y() - tab / 2, tab, tab), gate ? 'N' : nodes::type_letter(port->type),
                 !input->from.empty());
        p.setFont(small_font());
        p.setPen(t.text);
        QString label = QString::fromStdString(lane.tabs[i]).replace('_', ' ');
        label = p.fontMetrics().elidedText(label, Qt::ElideRight, int(end_width - 14));
        if (gate && input->from.empty()) label += "  " + number_text(scene::as_number(input->value, 1.f));
        p.drawText(QRectF(at.x() + 10, at.y() - 8, end_width - 12, 16), Qt::AlignVCenter, label);
    }
}

/// Two bars, one over the other: wide apart in an open lane, close together in a folded one; filled where it is kept
/// open.
void Board::paint_fold(QPainter& p, const BoardLane& lane) {
    const Theme& t = theme();
    const double left = left_edge() + 9;
    const double middle = lane.rect.top() + (lane.folded ? folded_height : lane_head + 2) / 2;
    const double apart = lane.folded ? 2 : 4;
    const bool kept = opened_.contains(key_of(lane.layer));
    p.save();
    p.setPen(QPen(kept ? t.accent : t.text, kept ? 2.2 : 1.4));
    p.drawLine(QPointF(left, middle - apart), QPointF(left + 9, middle - apart));
    p.drawLine(QPointF(left, middle + apart), QPointF(left + 9, middle + apart));
    p.restore();
}

/// One line: the measured colour, the name, the mask as it lies on the asset, what opens the gate, how much is wired.
void Board::paint_folded(QPainter& p, const BoardLane& lane, const scene::Layer* of) {
    const Theme& t = theme();
    paint_fold(p, lane);
    const double left = left_edge() + 26;
    const double right = left_edge() + (viewport()->width() - core_width) / zoom_;
    const QRectF r = lane.rect;
    p.setFont(strong_font());
    if (!of) {
        p.setPen(t.text);
        const size_t shared = bench_.build_up()->commons.size();
        p.drawText(QRectF(left, r.top(), right - left - 8, r.height()), Qt::AlignVCenter,
                   shared == 1 ? QString("Commons, one node that lanes share")
                               : QString("Commons, %1 nodes that lanes share").arg(shared));
        return;
    }
    const scene::Layer& layer = *of;
    p.setPen(layer.on ? t.text : t.faint);
    const double told = 168;  // what stands at the right end
    const QString name = QString::fromStdString(layer.name) + state_of(layer);
    p.drawText(QRectF(left, r.top(), right - left - told - 8, r.height()), Qt::AlignVCenter,
               p.fontMetrics().elidedText(name, Qt::ElideRight, int(right - left - told - 8)));
    const QRectF picture(right - told, r.top() + 3, 36, r.height() - 6);
    p.setPen(QPen(t.line, 1));
    p.setBrush(t.window);
    const auto mask = bench_.thumbnails().find(layer.gate.mask.from);
    if (mask != bench_.thumbnails().end())
        p.drawImage(picture, mask->second);
    else
        p.drawRect(picture);
    p.setFont(small_font());
    p.setPen(t.faint);
    size_t wired = 0;
    for (const auto& [slot, input] : layer.surface) wired += !input.from.empty();
    QString text = !scene::traits(layer.kind).hides ? "coat" : layer.gate.mask.from.empty() ? "no mask" : "mask";
    if (layer.nodes.size() == 1)
        text += ", one node";
    else if (!layer.nodes.empty())
        text += QString(", %1 nodes").arg(layer.nodes.size());
    p.drawText(QRectF(picture.right() + 8, r.top(), told - 48, r.height()), Qt::AlignVCenter, text);
}

namespace {
QRectF picture_of(const BoardTile& tile) {
    return {tile.rect.left() + 3, tile.rect.top() + 3, tile.rect.width() - 6, picture_height - 3};
}
}  // namespace

void Board::paint_tile(QPainter& p, const BoardTile& tile, const scene::Node& n) {
    const Theme& t = theme();
    const bool selected = bench_.selection().node == tile.node || marked_.contains(tile.node);
    const bool shown =
        bench_.showing().live().view == render::View::node && bench_.showing().live().shown_node == tile.node;
    p.setPen(selected ? QPen(t.accent, 2) : QPen(t.line.darker(130), 1));
    p.setBrush(t.raised);
    if (readable())
        p.drawRoundedRect(tile.rect, 3, 3);
    else
        p.drawRect(tile.rect);
    p.setCompositionMode(QPainter::CompositionMode_Clear);
    p.fillRect(picture_of(tile), Qt::black);
    p.setCompositionMode(QPainter::CompositionMode_SourceOver);
    if (n.bypassed) {  // what comes in goes straight through
        const QRectF picture = picture_of(tile);
        p.setPen(QPen(t.text, 3));
        p.drawLine(QPointF(picture.left(), picture.center().y()), QPointF(picture.right(), picture.center().y()));
    }
    if (!n.note.empty()) {  // a folded corner
        const QPointF corner = tile.rect.bottomRight() - QPointF(1, 1);
        p.setPen(Qt::NoPen);
        p.setBrush(t.accent);
        p.drawPolygon(QPolygonF{{corner, corner - QPointF(9, 0), corner - QPointF(0, 9)}});
    }
    if (!readable()) return;  // names and letters of a pixel or two
    const auto d = nodes::describe(bench_.scene(), n);
    p.setPen(t.text);
    p.setFont(small_font());
    const QRectF text(tile.rect.left() + 9, tile.rect.top() + picture_height + 1, tile.rect.width() - 17,
                      tile.rect.height() - picture_height - 3);
    const QString name = QString::fromStdString(n.name.empty() ? n.id : n.name);
    const QString kind = d ? QString::fromStdString(d->title) : QString::fromStdString(n.kind);
    p.drawText(QRectF(text.left(), text.top(), text.width(), 14), Qt::AlignVCenter,
               p.fontMetrics().elidedText(name, Qt::ElideRight, int(text.width())));
    p.setPen(t.faint);
    p.drawText(QRectF(text.left(), text.top() + 13, text.width(), 14), Qt::AlignVCenter,
               p.fontMetrics().elidedText(shown             ? "on the asset"
                                          : n.bypassed      ? "bypassed"
                                          : !n.held.empty() ? "one held, " + kind
                                          : name == kind    ? ""
                                                            : kind,
                                          Qt::ElideRight, int(text.width())));
    for (size_t i = 0; i < tile.inputs.size(); ++i) {
        const auto input = n.inputs.find(tile.inputs[i]);
        const bool wired = input != n.inputs.end() && !input->second.from.empty();
        if (!wired && !selected && wire_from_.empty()) continue;  // free inputs show where they are of use
        const nodes::Port* port = d->port(tile.inputs[i]);
        const QPointF at = BoardLayout::input_tab(tile, i);
        draw_tab(p, QRectF(at.x() - tab / 2, at.y() - tab / 2, tab, tab),
                 nodes::type_letter(d->port_type(*port, d->output_type(n))), wired);
    }
    const QPointF o = BoardLayout::output_tab(tile);
    draw_tab(p, QRectF(o.x() - tab / 2, o.y() - tab / 2, tab, tab), d ? nodes::type_letter(d->output_type(n)) : '?',
             true);
}

void Board::paint_thumbnail(QPainter& p, const BoardTile& tile) {
    const QRectF picture = picture_of(tile);
    const auto it = bench_.thumbnails().find(tile.node);
    if (bench_.measured().build_up == bench_.build_up()->id && it != bench_.thumbnails().end())
        return zoom_ == 1 ? p.drawImage(picture.topLeft().toPoint(), it->second) : p.drawImage(picture, it->second);
    p.fillRect(picture, theme().surround);
    if (!readable()) return;
    const scene::Node* n = scene::find_node(*bench_.build_up(), tile.node).node;
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
                if (image->prepared->layers[l].build_up == b->id && image->prepared->layers[l].layer == layer->id)
                    share = image->layers[l].cost;
        const bool folded = layout_.lanes[i].folded;
        p.setFont(folded ? small_font() : strong_font());
        const QString coverage =
            !have ? "-" : QString::number(double(measured.layers[k].coverage) * 100, 'f', 1) + " %";
        p.drawText(QRectF(r.left() + 6, r.top() + 3, r.width() - 34, 16), Qt::AlignVCenter,
                   !layer->on ? "off"
                   : folded   ? coverage + ", " + QString::number(share * 100, 'f', 0) + " %"
                              : coverage);
        p.setFont(small_font());
        if (r.height() > 52) {
            p.drawText(QRectF(r.left() + 6, r.top() + 19, r.width() - 12, 15), Qt::AlignVCenter, "covered");
            p.drawText(QRectF(r.left() + 6, r.top() + 34, r.width() - 12, 15), Qt::AlignVCenter,
                       QString::number(share * 100, 'f', 1) + " % of time");
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
            const double bar = r.bottom() - (folded ? 6 : 9);
            p.drawRect(QRectF(r.left() + 6, bar, r.width() - 12, folded ? 3 : 4));
            p.setBrush(ink);
            p.drawRect(QRectF(r.left() + 6, bar, (r.width() - 12) * double(layer->amount), folded ? 3 : 4));
        }
    }
    if (drop_index_ >= 0 && !dragged_layer_.empty()) {
        const double y = drop_index_ < int(layout_.lanes.size())
                             ? block_rect(size_t(drop_index_)).top() - lane_gap / 2
                             : block_rect(layout_.lanes.size() - 1).bottom() + lane_gap / 2;
        p.setPen(QPen(t.accent, 3));
        p.drawLine(QPointF(viewport()->width() - core_width, y), QPointF(viewport()->width(), y));
    }
}

}  // namespace vemtra::app
