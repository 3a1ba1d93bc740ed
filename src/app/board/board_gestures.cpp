// What hands do on the board: select, wire, reorder, set amounts, drop.
#include "app/board/board.h"

#include <QClipboard>
#include <QContextMenuEvent>
#include <QGuiApplication>
#include <QHelpEvent>
#include <QInputDialog>
#include <QMenu>
#include <QMimeData>
#include <QPainterPath>
#include <QScrollBar>
#include <QToolTip>
#include <QUrl>

#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "nodes/description.h"
#include "nodes/groups.h"
#include "nodes/wiring.h"
#include "scene/edits.h"
#include "scene/node_clips.h"
#include "texture/picture_formats.h"

namespace vemtra::app {

using namespace board;

void Board::mousePressEvent(QMouseEvent* e) {
    pressed_ = e->pos();
    targets_.clear();
    const Spot s = spot(e->pos());
    if (e->button() != Qt::LeftButton) return;
    if (e->modifiers() & Qt::AltModifier) {
        cut_from_ = frame_to_ = to_board(e->pos());
        return;
    }
    switch (s.kind) {
        case Spot::output:
            wire_from_ = s.id;
            wire_to_ = e->pos();
            bench_.select_node(s.id);
            break;
        case Spot::tile:
            if (e->modifiers() & Qt::ControlModifier && !source_at(s).empty()) {  // a second wire from the same source
                wire_from_ = source_at(s);
                wire_to_ = e->pos();
                break;
            }
            if (e->modifiers() & Qt::ControlModifier) {
                if (!marked_.insert(s.id).second) marked_.erase(s.id);
                break;
            }
            if (!marked_.contains(s.id)) marked_.clear();
            bench_.select_node(s.id);
            body_ = s.port.empty() ? s.id : std::string();
            if (!s.port.empty())  // a wired tab lets its wire go: the drag goes on from the source
                if (const auto* n = bench_.node())
                    if (auto it = n->inputs.find(s.port); it != n->inputs.end() && !it->second.from.empty()) {
                        const std::string source = it->second.from;
                        bench_.edit_build_up("Disconnect " + s.port, [&](scene::BuildUp& b) {
                            scene::node(b, s.id)->inputs[s.port].from.clear();
                        });
                        wire_from_ = source;
                        wire_to_ = e->pos();
                    }
            break;
        case Spot::end: bench_.select_layer(s.id); break;
        case Spot::lane:
            if (!s.id.empty()) bench_.select_layer(s.id);
            [[fallthrough]];
        case Spot::nothing:
            marked_.clear();
            if (e->pos().x() < viewport()->width() - core_width) frame_from_ = frame_to_ = to_board(e->pos());
            break;
        case Spot::overview:
            scrolling_ = true;
            scroll_to(e->pos());
            break;
        case Spot::frame: bench_.node_work().close_group(s.id); break;
        case Spot::fold: open_lane(s.id, !opened_.contains(key_of(s.id))); break;
        case Spot::block_switch:
            bench_.edit_build_up("Switch layer", [&](scene::BuildUp& b) {
                if (auto* l = scene::find(b.layers, s.id); l && l != b.layers.data()) l->on = !l->on;
            });
            break;
        case Spot::block_amount:
            amount_layer_ = s.id;
            bench_.select_layer(s.id);
            mouseMoveEvent(e);
            break;
        case Spot::block:
            bench_.select_layer(s.id);
            dragged_layer_ = s.id;
            break;
        default: break;
    }
    redraw();
}

/// What is wired to the tab; empty: nothing.
std::string Board::source_at(const Spot& tab) const {
    const scene::Node* n = scene::find_node(*bench_.build_up(), tab.id).node;
    if (!n || tab.port.empty()) return {};
    const auto it = n->inputs.find(tab.port);
    return it == n->inputs.end() ? std::string() : it->second.from;
}

void Board::mouseMoveEvent(QMouseEvent* e) {
    if (cut_from_) {
        frame_to_ = to_board(e->pos());
        viewport()->update();
        return;
    }
    if (frame_from_) {
        frame_to_ = to_board(e->pos());
        mark_in(QRectF(*frame_from_, frame_to_).normalized());
        return;
    }
    if (scrolling_) return scroll_to(e->pos());
    if (!body_.empty() && wire_from_.empty())  // dragged off its place, a tile is what a wire comes from
        if (const BoardTile* t = layout_.tile(body_); t && !t->rect.contains(to_board(e->pos()))) wire_from_ = body_;
    if (!wire_from_.empty()) {
        wire_to_ = e->pos();
        viewport()->update();
    } else if (!amount_layer_.empty()) {
        const double left = viewport()->width() - core_width + 12;
        const double width = core_width - 24;
        const float amount = float(std::clamp((e->pos().x() - left) / width, 0.0, 1.0));
        bench_.edit_build_up(
            "Layer amount",
            [&](scene::BuildUp& b) {
                if (auto* l = scene::find(b.layers, amount_layer_); l && l != b.layers.data()) l->amount = amount;
            },
            "amount " + amount_layer_);
    } else if (!dragged_layer_.empty() && (e->pos() - pressed_).manhattanLength() > 8) {
        drop_index_ = 0;
        for (size_t i = 0; i < layout_.lanes.size(); ++i)
            if (!layout_.lanes[i].layer.empty() && e->pos().y() > block_rect(i).center().y()) drop_index_ = int(i) + 1;
        viewport()->update(viewport()->width() - core_width, 0, core_width, viewport()->height());
    } else {
        const Spot s = spot(e->pos());
        viewport()->setCursor(s.kind == Spot::output         ? Qt::CrossCursor
                              : s.kind == Spot::block_amount ? Qt::SizeHorCursor
                                                             : Qt::ArrowCursor);
    }
}

void Board::mark_in(const QRectF& frame) {
    marked_.clear();
    for (const BoardTile& t : layout_.tiles)
        if (frame.intersects(t.rect)) marked_.insert(t.node);
    redraw();
}

std::vector<std::string> Board::taken() const {
    std::vector<std::string> ids;
    if (const scene::BuildUp* b = bench_.build_up())
        scene::for_each_node(*b, [&](const scene::Node& n, const scene::Layer*) {
            if (marked_.contains(n.id)) ids.push_back(n.id);
        });
    if (ids.empty() && !bench_.selection().node.empty()) ids.push_back(bench_.selection().node);
    return ids;
}

void Board::copy_nodes() {
    const auto ids = taken();
    if (ids.empty()) {
        Q_EMIT bench_.said("Select a tile first, or draw a frame around several");
        return;
    }
    QGuiApplication::clipboard()->setText(
        QString::fromStdString(scene::clip_of(bench_.scene(), *bench_.build_up(), ids)));
    Q_EMIT bench_.said(ids.size() == 1 ? QString("One node copied") : QString("%1 nodes copied").arg(ids.size()));
}
void Board::cut_nodes() {
    const auto ids = taken();
    copy_nodes();
    if (ids.empty()) return;
    marked_.clear();
    bench_.edit_build_up("Cut", [&](scene::BuildUp& b) {
        for (const std::string& id : ids) scene::remove_node(b, id);
    });
}
void Board::paste_nodes() {
    if (!bench_.build_up()) return;
    const std::string text = QGuiApplication::clipboard()->text().toStdString();
    scene::Scene tried = bench_.scene();
    const std::string id = bench_.build_up()->id;
    if (const auto fits = scene::paste_clip(tried, id, bench_.selection().layer, text); !fits) {
        Q_EMIT bench_.said("The clipboard holds no nodes: copy some on a board first");
        return;
    }
    std::vector<std::string> made;
    bench_.edit("Paste", [&](scene::Scene& s) {
        if (auto ids = scene::paste_clip(s, id, bench_.selection().layer, text)) made = std::move(*ids);
    });
    marked_ = {made.begin(), made.end()};
    redraw();
}
void Board::duplicate_marked(bool sources) {
    const auto ids = taken();
    if (ids.empty()) return;
    std::vector<std::string> made;
    bench_.edit_build_up("Duplicate nodes", [&](scene::BuildUp& b) { made = scene::duplicate_nodes(b, ids, sources); });
    marked_ = {made.begin(), made.end()};
    redraw();
}

void Board::cut_wires(const QLineF& stroke) {
    std::vector<const BoardWire*> cut;
    for (const BoardWire& w : layout_.wires) {
        const auto way = w.way();
        bool crossed = false;
        for (size_t i = 0; i + 1 < way.size(); ++i)
            crossed |= QLineF(way[i], way[i + 1]).intersects(stroke, nullptr) == QLineF::BoundedIntersection;
        if (crossed) cut.push_back(&w);
    }
    if (cut.empty()) return;
    bench_.edit_build_up(cut.size() == 1 ? "Cut a wire" : "Cut wires", [&](scene::BuildUp& b) {
        for (const BoardWire* w : cut) {
            if (scene::Node* n = scene::node(b, w->to))
                n->inputs[w->port].from.clear();
            else if (scene::Layer* l = scene::find(b.layers, w->to); l && w->port == scene::gate_slot)
                l->gate.mask.from.clear();
            else if (l)
                l->surface[w->port].from.clear();
        }
    });
}

void Board::mouseReleaseEvent(QMouseEvent* e) {
    if (cut_from_) {
        cut_wires(QLineF(*cut_from_, to_board(e->pos())));
        cut_from_.reset();
        viewport()->update();
        return;
    }
    frame_from_.reset();
    body_.clear();
    scrolling_ = false;
    if (!wire_from_.empty()) {
        if ((e->pos() - pressed_).manhattanLength() > 6) drop_wire(e->pos());
        wire_from_.clear();
    }
    if (!dragged_layer_.empty() && drop_index_ >= 0) {
        const scene::BuildUp* b = bench_.build_up();
        const int count = int(b->layers.size());
        const int from = int(scene::find(b->layers, dragged_layer_) - b->layers.data());
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

namespace {
/// Pictures among what is dragged in from outside.
std::vector<fs::path> pictures_of(const QMimeData& data) {
    std::vector<fs::path> out;
    for (const QUrl& url : data.urls()) {
        const fs::path path = url.toLocalFile().toStdString();
        if (!path.empty() && texture::is_picture_name(path)) out.push_back(path);
    }
    return out;
}
}  // namespace

void Board::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasFormat(stock_mime) || !pictures_of(*e->mimeData()).empty()) e->acceptProposedAction();
}
void Board::dragMoveEvent(QDragMoveEvent* e) {
    e->acceptProposedAction();
}
void Board::dropEvent(QDropEvent* e) {
    const Spot s = spot(e->position().toPoint());
    e->acceptProposedAction();
    if (!e->mimeData()->hasFormat(stock_mime)) {
        const bool at_layer = s.kind == Spot::end || s.kind == Spot::lane || s.kind == Spot::block;
        for (const fs::path& file : pictures_of(*e->mimeData())) {
            if (s.kind == Spot::tile)
                bench_.node_work().add_map(file, "", s.id, s.port.empty() ? free_port(s.id) : s.port);
            else
                bench_.node_work().add_map(file, at_layer ? s.id : bench_.selection().layer, "",
                                           s.kind == Spot::end ? s.port : std::string());
        }
        return;
    }
    std::string layer;
    if ((s.kind == Spot::lane || s.kind == Spot::end || s.kind == Spot::block) && !s.id.empty()) layer = s.id;
    if (s.kind == Spot::tile)
        if (const scene::Layer* of = scene::find_node(*bench_.build_up(), s.id).layer) layer = of->id;
    const std::string id = e->mimeData()->data(stock_mime).toStdString();
    if (!layer.empty())
        bench_.stockroom().apply_stock_to(id, layer);
    else
        bench_.stockroom().add_stock_layer(id);
}

std::string Board::free_port(const std::string& node) const {
    const scene::Node* n = scene::find_node(*bench_.build_up(), node).node;
    const auto d = n ? nodes::describe(bench_.scene(), *n) : nullptr;
    return d ? nodes::fitting_port(*n, *d, nodes::Type::color) : std::string();
}

/// The node goes in between what the wire joins.
void Board::drop_on_wire(const Spot& wire) {
    const scene::BuildUp* b = bench_.build_up();
    const scene::Node* n = scene::find_node(*b, wire_from_).node;
    const auto d = n ? nodes::describe(bench_.scene(), *n) : nullptr;
    const nodes::Port* on = d ? nodes::main_input(*d) : nullptr;
    const scene::Node* reader = scene::find_node(*b, wire.id).node;
    std::string source;
    for (const BoardWire& w : layout_.wires)
        if (w.to == wire.id && w.port == wire.port) source = w.from;
    if (source.empty() || source == wire_from_ || wire.id == wire_from_) return;
    const bool between = on && !scene::would_circle(*b, source, wire_from_);
    if (reader && scene::would_circle(*b, wire_from_, wire.id)) {
        Q_EMIT bench_.said("Not connected: the network would run in a circle");
        return;
    }
    const std::string from = wire_from_;
    const auto of = reader ? nodes::describe(bench_.scene(), *reader) : nullptr;
    bench_.edit_build_up("Put into the wire", [&](scene::BuildUp& x) {
        if (between) nodes::connect(x, source, from, on->name, *d);
        if (of)
            nodes::connect(x, from, wire.id, wire.port, *of);
        else
            nodes::connect_to_layer(x, from, wire.id, wire.port);
    });
}

void Board::drop_wire(const QPoint& at) {
    const Spot s = spot(at);
    const std::string from = wire_from_;
    if (s.kind == Spot::tile && s.id != from) {
        if (!s.port.empty())
            connect_nodes(from, s.id, s.port);
        else
            choose_port(from, s.id, viewport()->mapToGlobal(at));
    } else if (s.kind == Spot::wire) {
        drop_on_wire(s);
    } else if (s.kind == Spot::lane || s.kind == Spot::nothing) {  // on nothing: a node that reads it is wanted
        Q_EMIT reader_wanted(from, s.id, viewport()->mapToGlobal(at));
    } else if (s.kind == Spot::end) {
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
            if (!group || p.section != name) group = menu.addMenu(QString::fromStdString(name = p.section));
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
    // The first free one that fits; where all are taken, the hand says which one changes its source.
    const scene::BuildUp* b = bench_.build_up();
    const scene::Node* source = b ? scene::find_node(*b, from).node : nullptr;
    const scene::Node* reader = b ? scene::find_node(*b, to).node : nullptr;
    const auto gives = source ? nodes::describe(bench_.scene(), *source) : nullptr;
    const auto takes = reader ? nodes::describe(bench_.scene(), *reader) : nullptr;
    if (gives && takes)
        if (const std::string port = nodes::fitting_port(*reader, *takes, gives->output_type(*source)); !port.empty())
            return connect_nodes(from, to, port);
    QMenu menu(this);
    for (const std::string& port : tile->inputs)
        menu.addAction(QString::fromStdString(port), [=, this] { connect_nodes(from, to, port); });
    menu.exec(global);
}

void Board::connect_nodes(const std::string& from, const std::string& to, const std::string& port) {
    const scene::BuildUp* b = bench_.build_up();
    if (!b) return;
    if (scene::would_circle(*b, from, to)) {
        Q_EMIT bench_.said("Not connected: the network would run in a circle");
        return;
    }
    const scene::Node* n = scene::find_node(*b, to).node;
    const auto d = n ? nodes::describe(bench_.scene(), *n) : nullptr;
    if (!d) return;
    bench_.edit_build_up("Connect to " + port, [&](scene::BuildUp& x) { nodes::connect(x, from, to, port, *d); });
}

void Board::connect_to_layer(const std::string& node, const std::string& layer, const std::string& slot) {
    bench_.edit_build_up("Connect to " + slot,
                         [&](scene::BuildUp& b) { nodes::connect_to_layer(b, node, layer, slot); });
}

void Board::delete_selected() {
    const Selection s = bench_.selection();
    if (!marked_.empty()) {
        const auto ids = taken();
        marked_.clear();
        bench_.edit_build_up("Delete nodes", [&](scene::BuildUp& b) {
            for (const std::string& id : ids) scene::remove_node(b, id);
        });
    } else if (!s.node.empty())
        bench_.edit_build_up("Delete node", [&](scene::BuildUp& b) { scene::remove_node(b, s.node); });
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
    if (s.kind == Spot::tile)
        bench_.showing().show_node(bench_.showing().live().shown_node == s.id ? "" : s.id);
    else if (s.kind == Spot::lane || s.kind == Spot::block) {
        const scene::Layer* l = bench_.layer();
        if (!l) return;
        bool ok = false;
        const QString name = QInputDialog::getText(this, "Rename layer", "Name", QLineEdit::Normal,
                                                   QString::fromStdString(l->name), &ok);
        if (ok && !name.isEmpty())
            bench_.edit_build_up("Rename layer", [&](scene::BuildUp& b) {
                if (auto* x = scene::find(b.layers, s.id)) x->name = name.toStdString();
            });
    }
}

/// Bypass, versions and groups.
void Board::add_state_actions(QMenu& menu, const std::string& id) {
    const scene::Node* n = bench_.node();
    if (!n) return;
    menu.addAction(n->bypassed ? "Let through again" : "Bypass", [this] { bypass_marked(); });
    if (n->held.empty())
        menu.addAction("Hold this version", [this] { bench_.node_work().hold_version(); });
    else {
        menu.addAction("Flip to the held version", [this] { bench_.node_work().flip_version(); });
        menu.addAction("Hold this one instead", [this] { bench_.node_work().hold_version(); });
    }
    menu.addSeparator();
    if (!n->network.empty()) {
        menu.addAction("Open the group here", [=, this] { bench_.node_work().open_group(id); });
        menu.addAction("Make it unique", [=, this] { bench_.node_work().make_group_unique(id); });
        menu.addAction("Dissolve the group", [=, this] { bench_.node_work().dissolve_group(id); });
    } else if (const std::string open = nodes::laid_open_of(*n).first; !open.empty()) {
        menu.addAction("Close the group", [=, this] { bench_.node_work().close_group(open); });
    }
    menu.addAction("Group...", [this] { group_marked(); });
    menu.addSeparator();
}

void Board::group_marked() {
    const auto ids = taken();
    if (ids.empty()) {
        Q_EMIT bench_.said("Select a tile first, or draw a frame around several");
        return;
    }
    bool ok = false;
    const QString name =
        QInputDialog::getText(this, "Group", "What it is called", QLineEdit::Normal, "Group", &ok).trimmed();
    if (!ok || name.isEmpty()) return;
    marked_.clear();
    bench_.node_work().group_nodes(ids, name.toStdString());
}
void Board::open_or_close_group() {
    const scene::Node* n = bench_.node();
    if (!n) return;
    if (!n->network.empty())
        bench_.node_work().open_group(n->id);
    else if (const std::string open = nodes::laid_open_of(*n).first; !open.empty())
        bench_.node_work().close_group(open);
    else
        Q_EMIT bench_.said("That tile is no group: mark some and group them with Ctrl+G");
}

void Board::contextMenuEvent(QContextMenuEvent* e) {
    const Spot s = spot(e->pos());
    QMenu menu(this);
    if (s.kind == Spot::tile || s.kind == Spot::output) {
        bench_.select_node(s.id);
        const bool shown = bench_.showing().live().shown_node == s.id;
        menu.addAction(shown ? "Back to the render" : "Show on asset",
                       [=, this] { bench_.showing().show_node(shown ? "" : s.id); });
        add_state_actions(menu, s.id);
        menu.addAction("Disconnect its inputs", [=, this] {
            bench_.edit_build_up("Disconnect inputs", [&](scene::BuildUp& b) {
                for (auto& [name, input] : scene::node(b, s.id)->inputs) input.from.clear();
            });
        });
        menu.addAction("Swap for another kind...", [this] { Q_EMIT swap_wanted(); });
        menu.addAction("Delete node", [this] { delete_selected(); });
    } else if (!s.id.empty()) {
        bench_.select_layer(s.id);
        menu.addAction("Add node...", [=, this] { Q_EMIT add_node_wanted(e->globalPos()); });
        const std::string of = bench_.selection().build_up;
        const bool loud = bench_.showing().is_loud(of, s.id);
        menu.addAction(loud ? "Its surface again" : "Loud colour",
                       [=, this] { bench_.showing().set_loud(of, s.id, !loud); });
        menu.addSeparator();
        menu.addAction("Add layer above", [=, this] {
            bench_.edit_build_up("Add layer", [&](scene::BuildUp& b) { scene::add_layer(b, "New layer", s.id); });
        });
        menu.addAction("Duplicate layer", [=, this] {
            bench_.edit_build_up("Duplicate layer", [&](scene::BuildUp& b) { scene::duplicate_layer(b, s.id); });
        });
        menu.addAction("Delete layer", [this] { delete_selected(); });
        if (s.kind == Spot::end && !s.port.empty())
            menu.addAction("Disconnect " + QString::fromStdString(s.port), [=, this] {
                bench_.edit_build_up("Disconnect " + s.port, [&](scene::BuildUp& b) {
                    auto* l = scene::find(b.layers, s.id);
                    if (s.port == scene::gate_slot)
                        l->gate.mask.from.clear();
                    else
                        l->surface[s.port].from.clear();
                });
            });
    } else
        return;
    menu.exec(e->globalPos());
}

}  // namespace vemtra::app
