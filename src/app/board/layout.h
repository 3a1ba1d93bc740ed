// Where everything on the board stands: lanes from outermost to base with commons lowest, nodes in columns by their
// distance from the layer's end. A pure function of the build-up, so that it is stable: nobody pushes tiles around.
#pragma once
#include <QRectF>
#include <array>
#include <functional>
#include <map>
#include <vector>

#include "scene/scene.h"

namespace vemtra::app {

struct BoardTile {
    std::string node;
    int lane = 0;
    QRectF rect;                      ///< in board coordinates
    std::vector<std::string> inputs;  ///< connectable ports, in order
};
struct BoardLane {
    std::string layer;  ///< empty: commons
    QRectF rect;
    QRectF end;                     ///< the layer's plate: gate and wired slots
    std::vector<std::string> tabs;  ///< "gate", then wired slots
    bool folded = false;            ///< one line: its nodes are not shown
};
struct BoardWire {
    std::string from, to;  ///< node ids; `to` may be a layer id
    std::string port;      ///< of `to`: a node's input, a layer's slot or its gate
    QPointF start, stop;
    bool across_lanes = false;

    /// Its corners: level, then straight up or down just before its end, or beside its source where it comes from
    /// another lane.
    std::array<QPointF, 4> way() const;
};
struct BoardLayout {
    std::vector<BoardLane> lanes;
    std::vector<BoardTile> tiles;
    std::vector<BoardWire> wires;
    double width = 0, height = 0;

    const BoardTile* tile(const std::string& node) const;
    /// Middle of a tile's input tab, or of the output tab.
    static QPointF input_tab(const BoardTile& tile, size_t index);
    static QPointF output_tab(const BoardTile& tile);
    static QPointF end_tab(const BoardLane& lane, size_t index);
};

namespace board {
inline constexpr double tile_width = 88, tile_height = 72, picture_height = 43, column = 108, row = 77, lane_head = 22,
                        lane_gap = 6, end_width = 124, tab = 13, margin = 8, folded_height = 28, frame_head = 18;
}

/// `least_width`: the lanes' ends line up at this x or further right.
/// `scene`: whose networks instances are of; null: there are none.
/// `folded`: says which layers' lanes are one line; null: none is.
BoardLayout lay_out(const scene::BuildUp& build_up, double least_width, const scene::Scene* scene = nullptr,
                    const std::function<bool(const std::string& layer)>& folded = nullptr);

}  // namespace vemtra::app
