// What is done to the whole of a painting, and its way to files and back.
#include "app/bench/painter.h"
#include "app/workbench.h"
#include "texture/paint_files.h"

namespace vemtra::app {

void Painter::edit_whole(const std::string& label, const std::function<void(scene::Painting&)>& change) {
    if (down_) return;
    finish();
    const scene::Painting* p = painting();
    if (!p) return;
    const std::string id = p->id;
    bench_.edit(label, [&](scene::Scene& s) {
        if (scene::Painting* x = scene::find(s.paintings, id)) change(*x);
    });
}
void Painter::clear() {
    edit_whole("Clear the painting", [](scene::Painting& p) { p.sheets.clear(); });
}
void Painter::turn_over() {
    edit_whole("Turn the painting over",
               [](scene::Painting& p) { p = paint::changed(p, [](float v) { return 1.f - v; }); });
}
void Painter::level(float low, float high) {
    edit_whole("Level the painting", [=](scene::Painting& p) {
        p = paint::changed(p, [=](float v) { return clamp01((v - low) / std::max(1e-4f, high - low)); });
    });
}
void Painter::resample(int size) {
    std::shared_ptr<const paint::Canvas> canvas;
    {
        std::lock_guard lock(canvas_mutex_);
        if (painting() && canvas_ && canvas_->painting() == painting()->id) canvas = canvas_;
    }
    edit_whole("Resample the painting", [&](scene::Painting& p) { p = paint::resampled(p, size, canvas.get()); });
}

void Painter::lie_on_form(bool on) {
    const scene::Painting* p = painting();
    if (!p || p->on_form() == on) return;
    if (!p->sheets.empty()) {
        Q_EMIT bench_.said("It is painted already: clear it first, or begin another painting");
        Q_EMIT tool_changed();
        return;
    }
    const float texel = 1e3f * bench_.size_of_asset() / 1500.f;
    edit_whole("Where the painting lies", [=](scene::Painting& x) { x.texel = on ? texel : 0.f; });
    Q_EMIT tool_changed();
}

bool Painter::write_out(const fs::path& pattern) {
    finish();
    const scene::Painting* p = painting();
    if (!p) return false;
    std::string name = pattern.string();
    if (name.find("<UDIM>") == std::string::npos)
        name = (pattern.parent_path() / (pattern.stem().string() + ".<UDIM>" + pattern.extension().string())).string();
    size_t written = 0;
    for (const scene::Sheet& s : p->sheets) {
        if (!s.texels) continue;
        std::string file = name;
        file.replace(file.find("<UDIM>"), 6, std::to_string(s.tile));
        if (Status done = texture::write_sheet(file, *s.texels); !done) {
            Q_EMIT bench_.failed(done.error());
            return false;
        }
        ++written;
    }
    Q_EMIT bench_.said(QString("%1 sheets written").arg(written));
    return written > 0;
}

bool Painter::read_in(const fs::path& pattern) {
    finish();
    const scene::Painting* p = painting();
    if (!p) return false;
    std::vector<scene::Sheet> sheets;
    for (const auto& [tile, file] : tile_files(pattern)) {
        auto texels = texture::read_sheet(file, p->lanes());
        if (!texels) {
            Q_EMIT bench_.failed(texels.error());
            return false;
        }
        sheets.push_back({tile ? tile : 1001, (*texels)->size(), "", *texels, {}});
    }
    if (sheets.empty()) {
        Q_EMIT bench_.failed({"Nothing was read into the painting", pattern.string(), "", "no such file exists",
                              "Choose a file, or one of a set with its tile's number in the name"});
        return false;
    }
    edit_whole("Read a painting in", [&](scene::Painting& x) {
        for (scene::Sheet& s : sheets) {
            std::erase_if(x.sheets, [&](const scene::Sheet& old) { return old.tile == s.tile; });
            x.sheets.push_back(s);
        }
    });
    return true;
}

}  // namespace vemtra::app
