// What the brush is: its settings, tips and kept ones, what limits it, and the photo that it brushes through.
#include "app/bench/painter.h"
#include "app/workbench.h"
#include "scene/graph.h"
#include "texture/texture.h"

namespace vemtra::app {
namespace {

fs::path own_file() {
    return data_folder() / "brushes.json";
}

}  // namespace

void Painter::load_own_brushes() {
    std::vector<Error> problems;
    own_ = paint::load_brushes(own_file(), problems);
}

void Painter::change_brush(const std::function<void(paint::StockBrush&)>& change) {
    change(brush_);
    Q_EMIT tool_changed();
}
void Painter::keep_brush(const std::string& name) {
    paint::StockBrush kept = brush_;
    kept.brush.id = kept.brush.name = name;
    std::erase_if(own_, [&](const paint::StockBrush& b) { return b.brush.name == name; });
    own_.push_back(kept);
    if (Status s = paint::save_brushes(own_file(), own_); !s) Q_EMIT bench_.failed(s.error());
    Q_EMIT tool_changed();
}
void Painter::remove_brush(const std::string& name) {
    std::erase_if(own_, [&](const paint::StockBrush& b) { return b.brush.name == name; });
    if (Status s = paint::save_brushes(own_file(), own_); !s) Q_EMIT bench_.failed(s.error());
    Q_EMIT tool_changed();
}
void Painter::set_ink(V3f linear) {
    ink_ = linear;
    Q_EMIT tool_changed();
}
void Painter::set_stamps(bool on) {
    stamps_ = on;
    Q_EMIT tool_changed();
}
void Painter::set_mask(const std::string& node) {
    mask_ = node;
    Q_EMIT tool_changed();
}
void Painter::draw_outline(bool on) {
    drawing_outline_ = on;
    outline_.clear();
    Q_EMIT tool_changed();
}
void Painter::set_outline(std::vector<V2f> outline) {
    outline_ = std::move(outline);
    drawing_outline_ = false;
    Q_EMIT tool_changed();
}

bool Painter::hold_photo(const fs::path& file, const QSize& view) {
    auto picture = texture::read_linear_image(file);
    if (!picture) {
        Q_EMIT bench_.failed(picture.error());
        return false;
    }
    HeldPhoto held;
    held.name = file.filename().string();
    held.photo.width = picture->width;
    held.photo.height = picture->height;
    held.photo.pixels = std::move(picture->pixels);
    held.photo.as_mask = painting() && !painting()->colored();
    // In the middle, six tenths of the view.
    const float scale =
        .6f * std::min(float(view.width()) / float(held.photo.width), float(view.height()) / float(held.photo.height));
    const V2f half(.5f * scale * float(held.photo.width), .5f * scale * float(held.photo.height));
    const V2f middle(.5f * float(view.width()), .5f * float(view.height()));
    held.photo.corners = {middle + V2f(-half.x, -half.y), middle + V2f(half.x, -half.y), middle + half,
                          middle + V2f(-half.x, half.y)};
    photo_ = std::move(held);
    Q_EMIT tool_changed();
    return true;
}
void Painter::drop_photo() {
    photo_.reset();
    Q_EMIT tool_changed();
}

bool Painter::tip_from_picture(const fs::path& file) {
    auto picture = texture::read_linear_image(file);
    if (!picture) {
        Q_EMIT bench_.failed(picture.error());
        return false;
    }
    std::vector<float> lightness;
    lightness.reserve(picture->pixels.size());
    for (const V3f& c : picture->pixels) lightness.push_back(linear_to_srgb(clamp01(luminance(c))));
    auto made = paint::tip_from(file.stem().string(), picture->width, picture->height, lightness);
    if (!made) return false;
    change_brush([&](paint::StockBrush& b) {
        b.tips.clear();
        b.brush.tips = {std::move(made)};
    });
    return true;
}

bool Painter::tip_from_node(const std::string& node) {
    const auto image = bench_.image();
    const scene::BuildUp* b = bench_.build_up();
    const scene::Node* n = b ? scene::find_node(*b, node).node : nullptr;
    if (!n || !image || !image->prepared) return false;
    std::vector<Error> told;
    nodes::Resources resources = image->prepared->resources;
    const program::Program program = program::compile(*b, {{"tip", nodes::Type::number, {scene::Value{0.f}, node}}},
                                                      resources, told, &bench_.scene().networks);
    if (!resources.within(image->prepared->resources)) {
        Q_EMIT bench_.said("What should be the tip shows nowhere yet: wire it to a layer first");
        return false;
    }
    auto made = paint::tip_of(n->name.empty() ? n->id : n->name, program, *image->prepared,
                              .1f * bench_.stockroom().size_of_asset());
    if (!made) return false;
    change_brush([&](paint::StockBrush& x) {
        x.tips.clear();
        x.brush.tips = {std::move(made)};
    });
    return true;
}

}  // namespace vemtra::app
