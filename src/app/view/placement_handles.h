// What is arranged, in the picture: a knob in the middle that carries it (by the snap that is chosen), a letter on each
// axis that moves it along that axis, a tick on each quarter circle that turns it about the third axis, and a corner
// that scales it.
#pragma once
#include <QPainter>

#include "app/workbench.h"

namespace vemtra::app {

struct Turn {
    V3f axis;       ///< of unit length
    float degrees;  ///< 0..180, by the right-hand rule
};
/// The shortest turn that brings one direction onto the other, both of unit length; for opposite ones, about any axis
/// across them.
Turn turn_between(const V3f& from, const V3f& to);

class PlacementHandles {
public:
    enum Handle { none, carry, along_x, along_y, along_z, about_x, about_y, about_z, scale };
    explicit PlacementHandles(Workbench& bench) : bench_(bench) {}

    bool shown() const;
    void paint(QPainter& p, const QSize& view) const;
    Handle at(const QPointF& point, const QSize& view) const;
    QPointF position(Handle handle, const QSize& view) const;  ///< far outside where it cannot be seen
    void begin(Handle handle, const QPointF& at, const QSize& view);
    /// `spot`: what lies under the hand on other parts, if anything does.
    void drag(const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot);
    QString hint() const;  ///< what a hand may do, in one line

private:
    struct Frame {
        V3f middle{0.f};
        float reach = 1.f;  ///< world length of the axes
    };
    std::optional<Frame> frame() const;
    V3f tip(Handle handle, const Frame& f) const;
    void carry_to(const QPointF& to, const QSize& view, const std::optional<SurfaceSpot>& spot);
    void move_along(int axis, const QPointF& to, const QSize& view);
    void turn_about(int axis, const QPointF& to, const QSize& view);

    Workbench& bench_;
    Handle held_ = none;
    QPointF last_;
    V3f carried_{0.f};                  ///< where the hand has the middle, before it snaps
    float turned_ = 0.f, given_ = 0.f;  ///< degrees: by the hand, and as snapped
};

}  // namespace vemtra::app
