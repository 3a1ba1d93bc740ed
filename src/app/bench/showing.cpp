#include "app/bench/showing.h"

#include "app/workbench.h"

namespace vemtra::app {

void Showing::refresh() {
    live_.scene = bench_.snapshot();
    live_.folder = bench_.files().folder();
    live_.blocked = bench_.files().blocked();
    if (live_.width > 0 && live_.height > 0) session_.request(live_);
}

void Showing::set_view_size(int width, int height) {
    live_.width = width;
    live_.height = height;
    set_region({});
}
void Showing::set_region(const render::PixelRect& region) {
    live_.region = region;
    refresh();
}
void Showing::set_scale(int percent) {
    live_.scale_percent = percent;
    set_region({});
}
void Showing::set_hold(bool on) {
    live_.hold = on;
    refresh();
}
void Showing::set_denoise(bool on) {
    live_.denoise = on;
    refresh();
}
void Showing::set_hatch_ends(bool on) {
    live_.hatch_ends = on;
    refresh();
    Q_EMIT bench_.changed();
}
void Showing::set_relief(render::Relief relief) {
    live_.relief = relief;
    refresh();
    Q_EMIT bench_.changed();
}
void Showing::show_view(render::View view) {
    live_.view = view;
    if (view != render::View::node) live_.shown_node.clear(), live_.shown_build_up.clear();
    refresh();
    Q_EMIT bench_.changed();
}
void Showing::show_node(const std::string& node) {
    if (node.empty()) return show_view(render::View::beauty);
    live_.view = render::View::node;
    live_.shown_build_up = bench_.selection().build_up;
    live_.shown_node = node;
    refresh();
    Q_EMIT bench_.changed();
}
void Showing::set_loud(const std::string& build_up, const std::string& layer, bool on) {
    const std::string key = render::loud_key(build_up, layer);
    if (on)
        live_.loud.insert(key);
    else
        live_.loud.erase(key);
    refresh();
    Q_EMIT bench_.changed();
}
bool Showing::is_loud(const std::string& build_up, const std::string& layer) const {
    return live_.loud.contains(render::loud_key(build_up, layer));
}
void Showing::show_brush(bool on) {
    live_.brush = on;
    refresh();
}
void Showing::refresh_painted(const Box3f& where) {
    live_.painted = where;
    refresh();
    live_.painted = Box3f();
}
void Showing::show_beauty() {
    live_.view = render::View::beauty;
    live_.shown_node.clear();
    live_.shown_build_up.clear();
}
void Showing::leave_missing_node() {
    if (live_.view != render::View::node) return;
    const auto* shown = scene::find(bench_.scene().build_ups, live_.shown_build_up);
    if (!shown || !scene::find_node(*shown, live_.shown_node).node) show_beauty();
}

void KeptPictures::keep_picture() {
    const auto image = bench_.image();
    if (!image || image->bgra.empty()) return;
    KeptPicture k;
    k.name = QString("Snapshot %1").arg(kept_.size() + 1);
    k.image = QImage(image->bgra.data(), image->shown_width, image->shown_height, image->shown_width * 4,
                     QImage::Format_RGB32)
                  .copy();
    k.scene = image->request.scene;
    k.samples = image->samples;
    kept_.push_back(std::move(k));
    Q_EMIT bench_.kept_changed();
    Q_EMIT bench_.said("Kept as " + kept_.back().name);
}
void KeptPictures::forget_picture(int index) {
    if (index < 0 || index >= int(kept_.size())) return;
    kept_.erase(kept_.begin() + index);
    compare_with(-1);
}
void KeptPictures::compare_with(int index) {
    compared_ = index >= 0 && index < int(kept_.size()) ? index : -1;
    Q_EMIT bench_.kept_changed();
}
void KeptPictures::clear() {
    kept_.clear();
    compared_ = -1;
    Q_EMIT bench_.kept_changed();
}

}  // namespace vemtra::app
