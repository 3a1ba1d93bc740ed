// The frame of a placement, or the pin of a grain, in the picture: outlined where it stands, with three handles: middle
// (moves it over the asset), side (its size) and top (rolls it).
#pragma once
#include <QPainter>

#include "app/workbench.h"
#include "nodes/frame.h"

namespace vemtra::app {

class FrameHandles {
public:
    enum Handle { none, middle, side, top };
    explicit FrameHandles(Workbench& bench) : bench_(bench) {}

    bool shown() const;  ///< the selected tile has a frame that counts
    void paint(QPainter& p, const QSize& view) const;
    Handle at(const QPointF& point, const QSize& view) const;
    QPointF position(Handle handle, const QSize& view) const;
    /// `spot`: what lies under the hand on the asset, if anything does.
    /// From here on the hand has another one like it, in the same mask; where there can be none, the one there is.
    void take_another();
    void drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot);

private:
    struct Shown : nodes::PlacedFrame {
        M44f to_world;  ///< of the part that is selected
    };
    std::optional<Shown> frame() const;
    Workbench& bench_;
};

}  // namespace vemtra::app
