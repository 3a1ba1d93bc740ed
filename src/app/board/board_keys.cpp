// The board by keyboard and wheel: arrows walk from tile to tile, a wire is drawn by letters, the wheel with Ctrl
// zooms.
#include <QKeyEvent>
#include <QMenu>
#include <QScrollBar>
#include <QWheelEvent>

#include "app/board/board.h"
#include "nodes/description.h"
#include "nodes/wiring.h"
#include "scene/edits.h"

namespace vemtra::app {

using namespace board;

/// While letters choose, they are no commands.
bool Board::event(QEvent* e) {
    if (e->type() == QEvent::ShortcutOverride) {
        auto* key = static_cast<QKeyEvent*>(e);
        const bool arrow = key->key() >= Qt::Key_Left && key->key() <= Qt::Key_Down && !key->modifiers();
        if (arrow || (!targets_.empty() && (!key->text().isEmpty() || key->key() == Qt::Key_Escape))) {
            e->accept();
            return true;
        }
    }
    return QAbstractScrollArea::event(e);
}

void Board::keyPressEvent(QKeyEvent* e) {
    if (!targets_.empty()) {
        if (e->key() == Qt::Key_Shift) return;
        const bool taken = take_letter(e->text().toLower());
        targets_.clear();
        viewport()->update();
        if (!taken && e->key() != Qt::Key_Escape) Q_EMIT bench_.said("No wire: that letter stands nowhere");
        return;
    }
    switch (e->key()) {
        case Qt::Key_Left: return walk(-1, 0);
        case Qt::Key_Right: return walk(1, 0);
        case Qt::Key_Up: return walk(0, -1);
        case Qt::Key_Down: return walk(0, 1);
        default: QAbstractScrollArea::keyPressEvent(e);
    }
}

/// To the nearest tile on that side; from a layer to the one above or below, or to its tile next to the end.
void Board::walk(int dx, int dy) {
    const std::string now = bench_.selection().node;
    const BoardTile* from = layout_.tile(now);
    QPointF start;
    if (from)
        start = from->rect.center();
    else
        for (const BoardLane& l : layout_.lanes)
            if (l.layer == bench_.selection().layer)
                start = l.folded ? QPointF(l.rect.right(), l.rect.center().y()) : l.end.center();
    if (!from && dy) {
        for (size_t i = 0; i < layout_.lanes.size(); ++i) {
            if (layout_.lanes[i].layer != bench_.selection().layer) continue;
            const long to = long(i) + dy;
            if (to >= 0 && to < long(layout_.lanes.size()) && !layout_.lanes[size_t(to)].layer.empty())
                bench_.select_layer(layout_.lanes[size_t(to)].layer);
            return;
        }
        return;
    }
    const BoardTile* best = nullptr;
    double least = 1e30;
    for (const BoardTile& t : layout_.tiles) {
        const QPointF d = t.rect.center() - start;
        const double along = d.x() * dx + d.y() * dy;
        const double across = std::fabs(d.x() * dy) + std::fabs(d.y() * dx);
        if (t.node == now || along < 8 || across > along * 2.5 + 40) continue;
        if (const double far = along + 2 * across; far < least) {
            least = far;
            best = &t;
        }
    }
    if (best)
        bench_.select_node(best->node);
    else if (from && dx > 0)  // past the last tile: the layer's end
        if (const std::string layer = bench_.selection().layer; !layer.empty()) bench_.select_layer(layer);
}

void Board::start_wire(bool into) {
    const scene::BuildUp* b = bench_.build_up();
    const BoardTile* from = layout_.tile(bench_.selection().node);
    if (!b || !from) {
        Q_EMIT bench_.said("Select a tile first: with W a wire starts from it");
        return;
    }
    wire_into_ = into;
    targets_.clear();
    for (const BoardTile& t : layout_.tiles) {
        if (t.node == from->node || (into ? from->inputs.empty() : t.inputs.empty())) continue;
        if (into ? scene::would_circle(*b, t.node, from->node) : scene::would_circle(*b, from->node, t.node)) continue;
        targets_.push_back({{}, QPointF(t.rect.center().x(), t.rect.top() + 10), t.node, {}, {}});
    }
    for (const BoardLane& lane : layout_.lanes)
        for (size_t i = 0; !into && !lane.folded && i < lane.tabs.size(); ++i)
            targets_.push_back({{}, BoardLayout::end_tab(lane, i), {}, lane.layer, lane.tabs[i]});
    const QPointF start = from->rect.center();
    std::stable_sort(targets_.begin(), targets_.end(), [&](const Target& x, const Target& y) {
        return (x.place - start).manhattanLength() < (y.place - start).manhattanLength();
    });
    if (targets_.size() > 26) targets_.resize(26);
    for (size_t i = 0; i < targets_.size(); ++i) targets_[i].letter = QChar(char16_t(u'a' + i));
    if (targets_.empty()) {
        Q_EMIT bench_.said("There is nothing that a wire could go to");
        return;
    }
    setFocus();
    viewport()->update();
    Q_EMIT bench_.said("Press the letter of what the wire goes to; Escape leaves");
}

bool Board::take_letter(const QString& letter) {
    const std::string selected = bench_.selection().node;
    for (const Target& t : std::vector<Target>(targets_)) {
        if (letter.size() != 1 || letter[0] != t.letter) continue;
        if (!t.layer.empty())
            connect_to_layer(selected, t.layer, t.slot);
        else if (wire_into_)
            choose_port(t.node, selected, mapToGlobal(QPoint(width() / 2, height() / 2)));
        else
            choose_port(selected, t.node, mapToGlobal(QPoint(width() / 2, height() / 2)));
        return true;
    }
    return false;
}

void Board::set_zoom(double zoom, const QPointF& about) {
    fitted_ = false;
    const QPointF kept = to_board(about.toPoint());
    zoom_ = std::clamp(zoom, .35, 2.0);
    if (std::fabs(zoom_ - 1) < .04) zoom_ = 1;
    resized_ = true;
    relayout();
    horizontalScrollBar()->setValue(int(kept.x() * zoom_ - about.x()));
    verticalScrollBar()->setValue(int(kept.y() * zoom_ - about.y()));
}
void Board::zoom_to_fit() {
    const bool back = fitted_ || zoom_ != 1;
    fitted_ = !back;
    if (back) zoom_ = 1;
    resized_ = true;
    relayout();
    show_selected();
}
void Board::wheelEvent(QWheelEvent* e) {
    if (!(e->modifiers() & Qt::ControlModifier)) return QAbstractScrollArea::wheelEvent(e);
    set_zoom(zoom_ * std::pow(1.0015, e->angleDelta().y()), e->position());
    e->accept();
}

}  // namespace vemtra::app
