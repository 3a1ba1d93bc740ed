// The pins of a decal in the picture: the outline of the one that is worked on as it lies in its frame, with three
// handles: middle (carries it over the surface), corner (its size), top (turns it). The middles of the others are dots
// that take a click.
#pragma once
#include <QPainter>

#include "app/bench/decal_tool.h"

namespace vemtra::app {

class DecalHandles {
public:
    enum Handle { none, middle, corner, top };
    explicit DecalHandles(Workbench& bench) : bench_(bench) {}

    bool shown() const;
    void paint(QPainter& p, const QSize& view) const;
    Handle at(const QPointF& point, const QSize& view) const;
    QPointF position(Handle handle, const QSize& view) const;
    /// Index of another pin whose dot lies there; -1: none.
    int other_at(const QPointF& point, const QSize& view) const;
    void drag(Handle handle, const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot);

private:
    M44f to_world(const scene::Pin& pin) const;
    Workbench& bench_;
};

}  // namespace vemtra::app
