// The frame of a placement, or the pin of a grain, in the picture: outlined where it stands, with three handles: middle (moves it over the
// asset), side (its size) and top (rolls it).
#pragma once
#include <QPainter>

#include "app/workbench.h"

namespace vemtra::app {

class FrameHandles {
public:
    enum Handle { none, middle, side, top };
    explicit FrameHandles(Workbench& bench) : bench_(bench) {}

    bool shown() const;                                  ///< the selected tile has a frame that counts
    void paint(QPainter& p, const QSize& view) const;
    Handle at(const QPointF& point, const QSize& view) const;
    QPointF position(Handle handle, const QSize& view) const;
    /// `spot`: what lies under the hand on the asset, if anything does.
    void drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<Workbench::SurfaceSpot>& spot);

private:
    struct Frame {
        V3f centre{0.f}, x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};  // in the asset's own space, axes of unit length
        V2f size{.1f};
        V3f turned{0.f};
        int projection = 0;  // of a placement; -1: a pin
        M44f to_world;
    };
    std::optional<Frame> frame() const;
    std::optional<QPointF> screen(const V3f& world, const QSize& view) const;
    Workbench& bench_;
};

}  // namespace vemtra::app
