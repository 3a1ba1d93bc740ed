#include "app/board/layout.h"

#include <algorithm>
#include <functional>
#include <set>

#include "nodes/description.h"
#include "scene/graph.h"

namespace vemtra::app {

using namespace board;

const BoardTile* BoardLayout::tile(const std::string& node) const {
    for (const BoardTile& t : tiles)
        if (t.node == node) return &t;
    return nullptr;
}
QPointF BoardLayout::input_tab(const BoardTile& t, size_t index) {
    const double n = double(std::max<size_t>(1, t.inputs.size())), step = std::min(tab + 1.0, (tile_height - 4) / n);
    return {t.rect.left(), t.rect.top() + 2 + step * (double(index) + .5)};
}
QPointF BoardLayout::output_tab(const BoardTile& t) {
    return {t.rect.right(), t.rect.top() + picture_height * .5};
}
QPointF BoardLayout::end_tab(const BoardLane& lane, size_t index) {
    return {lane.end.left(), lane.end.top() + 11 + 17 * double(index)};
}

namespace {
std::shared_ptr<const nodes::NodeDescription> known(const scene::Node& n) {
    const nodes::NodeDescription* d = nodes::describe(n.kind);
    return d ? std::shared_ptr<const nodes::NodeDescription>(std::shared_ptr<void>(), d) : nullptr;
}
}  // namespace

BoardLayout lay_out(const scene::BuildUp& b, double least_width, const scene::Scene* scene) {
    BoardLayout out;
    struct Pending {
        const std::vector<scene::Node>* nodes;
        const scene::Layer* layer;
        std::map<std::string, int> column;
        int columns = 0, rows = 1;
    };
    std::vector<Pending> lanes;
    for (size_t k = b.layers.size(); k-- > 0;) lanes.push_back({&b.layers[k].nodes, &b.layers[k], {}, 0, 1});
    if (!b.commons.empty()) lanes.push_back({&b.commons, nullptr, {}, 0, 1});

    size_t most_columns = 1;
    for (Pending& lane : lanes) {
        std::set<std::string> own, open;
        for (const scene::Node& n : *lane.nodes) own.insert(n.id);
        std::map<std::string, std::vector<std::string>> readers;
        for (const scene::Node& n : *lane.nodes)
            for (const auto& [name, input] : n.inputs)
                if (own.count(input.from)) readers[input.from].push_back(n.id);
        // Column 0 is next to the layer's end; a node stands one column left of the leftmost of its readers.
        std::function<int(const std::string&)> place = [&](const std::string& id) {
            if (auto it = lane.column.find(id); it != lane.column.end()) return it->second;
            if (!open.insert(id).second) return 0;  // a circle: drawn anyhow
            int c = 0;
            for (const std::string& r : readers[id]) c = std::max(c, place(r) + 1);
            open.erase(id);
            return lane.column[id] = c;
        };
        std::map<int, int> used;
        for (const scene::Node& n : *lane.nodes) {
            const int c = place(n.id);
            lane.columns = std::max(lane.columns, c + 1);
            lane.rows = std::max(lane.rows, ++used[c]);
        }
        most_columns = std::max(most_columns, size_t(lane.columns));
    }
    const double right = std::max(least_width, margin * 2 + double(most_columns) * column + end_width + 24);
    double y = margin;
    for (Pending& pending : lanes) {
        BoardLane lane;
        const int index = int(out.lanes.size());
        if (pending.layer) {
            lane.layer = pending.layer->id;
            lane.tabs.push_back(scene::gate_slot);
            for (const nodes::Port& port : nodes::slots_of(*pending.layer).ports)
                if (auto it = pending.layer->surface.find(port.name);
                    it != pending.layer->surface.end() && !it->second.from.empty())
                    lane.tabs.push_back(port.name);
        }
        const double tabs_height = 10 + 17.0 * double(std::max<size_t>(1, lane.tabs.size()));
        const bool bare = pending.nodes->empty();
        const double content = std::max(bare ? 0.0 : row * pending.rows, pending.layer ? tabs_height : 0.0);
        lane.rect = QRectF(0, y, right, lane_head + content + 8);
        if (pending.layer) lane.end = QRectF(right - end_width - 6, y + lane_head, end_width, tabs_height);
        std::map<int, int> used;
        for (const scene::Node& n : *pending.nodes) {
            // Commons feed what stands further right in any lane: they begin at the left.
            const int c =
                pending.layer ? pending.column[n.id] : int(most_columns) - pending.columns + pending.column[n.id];
            BoardTile tile;
            tile.node = n.id;
            tile.lane = index;
            tile.rect = QRectF(right - end_width - 30 - column * double(c + 1) + (column - tile_width),
                               y + lane_head + row * used[c]++, tile_width, tile_height);
            if (const auto d = scene ? nodes::describe(*scene, n) : known(n))
                for (const nodes::Port& p : d->ports)
                    if (!p.uniform) tile.inputs.push_back(p.name);
            out.tiles.push_back(std::move(tile));
        }
        y = lane.rect.bottom() + lane_gap;
        out.lanes.push_back(std::move(lane));
    }
    out.width = right;
    out.height = y + margin;

    auto wire = [&](const std::string& from, const std::string& to, const QPointF& stop, int lane) {
        const BoardTile* source = out.tile(from);
        if (source) out.wires.push_back({from, to, BoardLayout::output_tab(*source), stop, source->lane != lane});
    };
    for (size_t l = 0; l < lanes.size(); ++l) {
        for (const scene::Node& n : *lanes[l].nodes) {
            const BoardTile* tile = out.tile(n.id);
            for (const auto& [name, input] : n.inputs) {
                if (input.from.empty()) continue;
                const auto at = std::find(tile->inputs.begin(), tile->inputs.end(), name);
                if (at != tile->inputs.end())
                    wire(input.from, n.id, BoardLayout::input_tab(*tile, size_t(at - tile->inputs.begin())), int(l));
            }
        }
        if (!lanes[l].layer) continue;
        for (size_t t = 0; t < out.lanes[l].tabs.size(); ++t) {
            const std::string& slot = out.lanes[l].tabs[t];
            const scene::Input* input = &lanes[l].layer->gate.mask;
            if (slot != scene::gate_slot) input = &lanes[l].layer->surface.at(slot);
            if (!input->from.empty())
                wire(input->from, lanes[l].layer->id, BoardLayout::end_tab(out.lanes[l], t), int(l));
        }
    }
    return out;
}

}  // namespace vemtra::app
