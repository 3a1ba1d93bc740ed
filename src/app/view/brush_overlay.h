// What the brush shows in the picture: its ring as it lies on the form, the outline that limits it, and the photo that
// is held before the view, with a knob at each corner and one in the middle.
#pragma once
#include <QImage>
#include <QPainter>
#include <QTabletEvent>

#include "app/workbench.h"

namespace vemtra::app {

class BrushOverlay {
public:
    enum Knob { none = -1, upper_left, upper_right, lower_right, lower_left, middle };
    explicit BrushOverlay(Workbench& bench) : bench_(bench) {}

    void paint(QPainter& p, const QSize& view) const;
    void hover(const QPointF& at) { at_ = at; }
    QString hint() const;
    /// What the hand does there; pressure and tilt where a pen says them.
    static paint::HandSample sample(const QPointF& at, const QTabletEvent* pen);

    Knob over_photo(const QPointF& at) const;
    bool take_photo(const QPointF& at) { return (held_ = over_photo(at)) != none; }
    /// Of the middle knob all corners go, with `even` a corner carries the opposite one's distance along.
    void drag_photo(const QPointF& by, bool even);
    void turn_photo(float degrees, float scale);

    void add_to_outline(const QPointF& at);
    void close_outline();

private:
    void paint_ring(QPainter& p, const QSize& view) const;
    void paint_photo(QPainter& p) const;
    QPointF knob(Knob k) const;
    Workbench& bench_;
    QPointF at_{-1e4, -1e4};
    Knob held_ = none;
    std::vector<V2f> drawn_;
    mutable QImage photo_;
    mutable QString photo_of_;
};

}  // namespace vemtra::app
