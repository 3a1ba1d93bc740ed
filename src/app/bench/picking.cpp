#include "app/bench/picking.h"

#include "app/workbench.h"

namespace vemtra::app {

void Picking::pick_color(std::function<void(V3f)> use) {
    place_ = {};
    color_ = std::move(use);
    Q_EMIT bench_.picking_changed();
}
void Picking::pick_place(std::function<void(const SurfaceSpot&)> use) {
    color_ = {};
    place_ = std::move(use);
    Q_EMIT bench_.picking_changed();
}
void Picking::placed(const SurfaceSpot& spot) {
    if (auto use = std::exchange(place_, {})) use(spot);
    Q_EMIT bench_.picking_changed();
}
void Picking::picked(V3f linear) {
    if (auto use = std::exchange(color_, {})) use(linear);
    Q_EMIT bench_.picking_changed();
}

}  // namespace vemtra::app
