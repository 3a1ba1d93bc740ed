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
    const float texel = 1e3f * bench_.stockroom().size_of_asset() / 1500.f;
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

/// Both forms are held by the work until it is done; the painting comes back as one step.
void Painter::carry(const QString& text, std::shared_ptr<const render::Prepared> before, const paint::Carried& what) {
    finish();
    const scene::Painting* p = painting();
    const auto image = bench_.image();
    if (!p || !before || !image || !image->prepared) return;
    const scene::Painting now = *p;
    bench_.jobs().start(text,
                        [this, before, after = image->prepared, what, now, text](Progress& progress) -> Jobs::Finish {
                            const paint::Canvas from(before, now.id);
                            const paint::Canvas to(after, now.id);
                            paint::Carried all = what;
                            all.from = &from;
                            all.painting = &now;
                            if (all.from_parts.empty()) all.from_parts = from.instances();
                            if (all.to_parts.empty()) all.to_parts = to.instances();
                            auto done = std::make_shared<scene::Painting>(paint::carried(all, to, now, &progress));
                            const bool whole = !stopped(&progress);
                            return [this, done, whole, now, text] {
                                if (!whole) return Q_EMIT bench_.said("Stopped: what is painted lies as it was");
                                bench_.edit(text.toStdString(), [&](scene::Scene& s) {
                                    scene::Painting* x = scene::find(s.paintings, now.id);
                                    if (x && x->sheets == now.sheets)
                                        x->sheets = done->sheets;  // else it was painted on meanwhile
                                });
                                Q_EMIT tool_changed();
                            };
                        });
}

void Painter::carry_to(const std::string& part, paint::CarryBy by) {
    const auto image = bench_.image();
    const scene::Painting* p = painting();
    if (!p || !image || !image->prepared) return;
    const int from = image->prepared->instance_of(bench_.selection().part);
    const int to = image->prepared->instance_of(part);
    if (from < 0 || to < 0 || from == to)
        return Q_EMIT bench_.said("Select the part that is painted, then click another");
    const std::vector<char> read = paint::readers_of(*image->prepared->scene, p->id);
    for (const int i : {from, to})
        if (const int b = image->prepared->build_up_of[size_t(i)];
            b < 0 || size_t(b) >= read.size() || !read[size_t(b)])
            return Q_EMIT bench_.said("Both parts must wear what reads this painting");
    paint::Carried what;
    what.from_parts = {uint32_t(from)};
    what.to_parts = {uint32_t(to)};
    what.by = by;
    what.reach = .05f * bench_.stockroom().size_of_asset();
    carry("Carrying paint to another part", image->prepared, what);
}

void Painter::keep_form() {
    finish();
    if (const auto image = bench_.image(); image && image->prepared && !bench_.scene().paintings.empty())
        old_form_ = image->prepared;
}
bool Painter::has_old_form() const {
    const scene::Painting* p = painting();
    return p && old_form_ && scene::find(old_form_->scene->paintings, p->id) && bench_.image() &&
           bench_.image()->prepared != old_form_;
}
void Painter::carry_over() {
    if (!has_old_form()) return;
    paint::Carried what;
    what.reach = .02f * bench_.stockroom().size_of_asset();
    carry("Carrying paint over from the old form", std::exchange(old_form_, nullptr), what);
    Q_EMIT tool_changed();
}

}  // namespace vemtra::app
