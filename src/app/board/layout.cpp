#include "app/board/layout.h"

#include <algorithm>
#include <string_view>
#include <unordered_map>

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
    const double n = double(std::max<size_t>(1, t.inputs.size()));
    const double step = std::min(tab + 1.0, (tile_height - 4) / n);
    return {t.rect.left(), t.rect.top() + 2 + step * (double(index) + .5)};
}
QPointF BoardLayout::output_tab(const BoardTile& t) {
    return {t.rect.right(), t.rect.top() + picture_height * .5};
}
QPointF BoardLayout::end_tab(const BoardLane& lane, size_t index) {
    return {lane.end.left(), lane.end.top() + 11 + 17 * double(index)};
}

std::array<QPointF, 4> BoardWire::way() const {
    const QPointF a = start + QPointF(6, 0);
    const QPointF b = stop - QPointF(6, 0);
    const double x =
        across_lanes ? std::min(a.x() + 6, std::max(a.x() + 4, b.x() - 6)) : std::max(a.x() + 4, b.x() - 6);
    return {a, QPointF(x, a.y()), QPointF(x, b.y()), b};
}

namespace {
/// The nodes of one lane, and how far each stands from the layer's end.
struct Lane {
    const std::vector<scene::Node>* nodes = nullptr;
    const scene::Layer* layer = nullptr;  ///< null: commons
    std::unordered_map<std::string_view, int> column;
    int columns = 0, rows = 1;

    /// Column 0 is next to the layer's end; a node stands one column left of the leftmost of its readers. Nodes are
    /// taken when all their readers have been; those of a circle, which never are, stand where they happen to.
    void place() {
        std::unordered_map<std::string_view, int> readers;
        for (const scene::Node& n : *nodes) readers.try_emplace(n.id, 0);
        auto each_source = [&](const scene::Node& n, auto&& f) {
            for (const auto& [name, input] : n.inputs)
                if (const auto it = readers.find(input.from); it != readers.end()) f(it);
        };
        std::unordered_map<std::string_view, const scene::Node*> by_id;
        for (const scene::Node& n : *nodes) {
            by_id.emplace(n.id, &n);
            each_source(n, [](auto it) { ++it->second; });
        }
        std::vector<const scene::Node*> open;
        for (const scene::Node& n : *nodes)
            if (readers[n.id] == 0) open.push_back(&n);
        while (!open.empty()) {
            const scene::Node& n = *open.back();
            open.pop_back();
            const int next = column[n.id] + 1;
            each_source(n, [&](auto it) {
                int& c = column[it->first];
                c = std::max(c, next);
                if (--it->second == 0) open.push_back(by_id.at(it->first));
            });
        }
        std::unordered_map<int, int> used;
        for (const scene::Node& n : *nodes) {
            const int c = column[n.id];
            columns = std::max(columns, c + 1);
            rows = std::max(rows, ++used[c]);
        }
    }
};

class Layouting {
public:
    Layouting(const scene::BuildUp& b, double least_width, const scene::Scene* scene,
              const std::function<bool(const std::string&)>& folded)
        : scene_(scene), folded_(folded) {
        for (size_t k = b.layers.size(); k-- > 0;) lanes_.push_back({&b.layers[k].nodes, &b.layers[k], {}, 0, 1});
        if (!b.commons.empty()) lanes_.push_back({&b.commons, nullptr, {}, 0, 1});
        for (Lane& lane : lanes_) {
            lane.place();
            most_columns_ = std::max(most_columns_, lane.columns);
        }
        out_.width = std::max(least_width, margin * 2 + double(most_columns_) * column + end_width + 24);
    }

    BoardLayout run() {
        double y = margin;
        for (const Lane& lane : lanes_) y = stand(lane, y);
        out_.height = y + margin;
        for (size_t i = 0; i < out_.tiles.size(); ++i) tile_at_.emplace(out_.tiles[i].node, i);
        for (size_t l = 0; l < lanes_.size(); ++l) {
            wire_nodes(lanes_[l], int(l));
            if (lanes_[l].layer) wire_end(*lanes_[l].layer, int(l));
        }
        return std::move(out_);
    }

private:
    /// The lane and its tiles; where the next one begins.
    double stand(const Lane& of, double y) {
        BoardLane lane;
        const std::string id = of.layer ? of.layer->id : std::string();
        if (folded_ && folded_(id)) {
            lane.layer = id;
            lane.folded = true;
            lane.rect = QRectF(0, y, out_.width, folded_height);
            const double next = lane.rect.bottom() + lane_gap / 2;
            out_.lanes.push_back(std::move(lane));
            return next;
        }
        if (of.layer) {
            lane.layer = of.layer->id;
            lane.tabs.push_back(scene::gate_slot);
            for (const nodes::Port& port : nodes::slots_of(*of.layer).ports)
                if (auto it = of.layer->surface.find(port.name);
                    it != of.layer->surface.end() && !it->second.from.empty())
                    lane.tabs.push_back(port.name);
        }
        const double tabs_height = 10 + 17.0 * double(std::max<size_t>(1, lane.tabs.size()));
        const double content = std::max(of.nodes->empty() ? 0.0 : row * of.rows, of.layer ? tabs_height : 0.0);
        // Groups that lie open have their names above their tiles.
        const bool framed =
            std::any_of(of.nodes->begin(), of.nodes->end(), [](const scene::Node& n) { return !n.laid_open.empty(); });
        const double head = lane_head + (framed ? frame_head : 0.0);
        lane.rect = QRectF(0, y, out_.width, head + content + 8);
        if (of.layer) lane.end = QRectF(out_.width - end_width - 6, y + head, end_width, tabs_height);
        std::unordered_map<int, int> used;
        for (const scene::Node& n : *of.nodes) {
            // Commons feed what stands further right in any lane: they begin at the left.
            const int own = of.column.at(n.id);
            const int c = of.layer ? own : most_columns_ - of.columns + own;
            BoardTile tile;
            tile.node = n.id;
            tile.lane = int(out_.lanes.size());
            tile.rect = QRectF(out_.width - end_width - 30 - column * double(c + 1) + (column - tile_width),
                               y + head + row * used[c]++, tile_width, tile_height);
            if (const auto d = scene_ ? nodes::describe(*scene_, n) : nodes::describe(n))
                for (const nodes::Port& p : d->ports) {
                    if (p.uniform) continue;
                    const auto input = n.inputs.find(p.name);
                    const bool wired = input != n.inputs.end() && !input->second.from.empty();
                    if (wired || !p.folded || p.section.empty())
                        tile.inputs.push_back(p.name);  // of a list the rest is many
                }
            out_.tiles.push_back(std::move(tile));
        }
        const double next = lane.rect.bottom() + lane_gap;
        out_.lanes.push_back(std::move(lane));
        return next;
    }

    void wire(const std::string& from, const std::string& to, const std::string& port, const QPointF& stop, int lane) {
        const auto it = tile_at_.find(from);
        if (it == tile_at_.end()) return;
        const BoardTile& source = out_.tiles[it->second];
        out_.wires.push_back({from, to, port, BoardLayout::output_tab(source), stop, source.lane != lane});
    }
    void wire_nodes(const Lane& lane, int index) {
        if (out_.lanes[size_t(index)].folded) return;
        for (const scene::Node& n : *lane.nodes) {
            const BoardTile& tile = out_.tiles[tile_at_.at(n.id)];
            for (const auto& [name, input] : n.inputs) {
                const auto at = std::find(tile.inputs.begin(), tile.inputs.end(), name);
                if (!input.from.empty() && at != tile.inputs.end())
                    wire(input.from, n.id, name, BoardLayout::input_tab(tile, size_t(at - tile.inputs.begin())), index);
            }
        }
    }
    void wire_end(const scene::Layer& layer, int index) {
        const BoardLane& lane = out_.lanes[size_t(index)];
        for (size_t t = 0; t < lane.tabs.size(); ++t) {
            const bool gate = lane.tabs[t] == scene::gate_slot;
            const scene::Input& input = gate ? layer.gate.mask : layer.surface.at(lane.tabs[t]);
            if (!input.from.empty()) wire(input.from, layer.id, lane.tabs[t], BoardLayout::end_tab(lane, t), index);
        }
    }

    const scene::Scene* scene_;
    const std::function<bool(const std::string&)>& folded_;
    std::vector<Lane> lanes_;
    int most_columns_ = 1;
    BoardLayout out_;
    std::unordered_map<std::string, size_t> tile_at_;
};

}  // namespace

BoardLayout lay_out(const scene::BuildUp& b, double least_width, const scene::Scene* scene,
                    const std::function<bool(const std::string& layer)>& folded) {
    return Layouting(b, least_width, scene, folded).run();
}

}  // namespace vemtra::app
