#include "app/detail/brush_form.h"

#include <QFileDialog>
#include <QInputDialog>

#include "nodes/description.h"
#include "scene/graph.h"
#include "texture/picture_formats.h"

namespace vemtra::app {
namespace {

using scene::Scene;

class BrushForm {
public:
    BrushForm(Form& form, Workbench& bench) : form_(form), bench_(bench), painter_(bench.painter()) {}
    void build();

private:
    void number(const QString& label, const QString& help, const NumberRange& range, float paint::Brush::*member) {
        form_.number(
            label, help, range, [=, this](const Scene&) { return std::optional(painter_.brush().*member); },
            [=, this](Scene&, float v) {
                painter_.change_brush(
                    [&](paint::StockBrush& b) { b.brush.*member = std::clamp(v, range.low, range.high); });
            });
    }
    void toggle(const QString& label, const QString& help, bool paint::Brush::*member) {
        form_.toggle(
            label, help, [=, this](const Scene&) { return std::optional(painter_.brush().*member); },
            [=, this](Scene&, bool v) { painter_.change_brush([&](paint::StockBrush& b) { b.brush.*member = v; }); });
    }
    /// Not while a row is still at work: its form may be made anew by it.
    void later(std::function<void()> f) { QMetaObject::invokeMethod(&bench_, std::move(f), Qt::QueuedConnection); }
    struct NumberNodes {
        std::vector<std::string> ids;
        QStringList names;
    };
    /// What gives a number in the build-up, but for the painting itself; `first` stands before them.
    NumberNodes number_nodes(const QString& first) const;
    void ink();
    void tip();
    void chance();
    void hand();
    void places();
    void photo();
    void fills();
    void whole();

    Form& form_;
    Workbench& bench_;
    Painter& painter_;
};

BrushForm::NumberNodes BrushForm::number_nodes(const QString& first) const {
    NumberNodes all{{""}, {first}};
    if (const scene::BuildUp* b = bench_.build_up())
        scene::for_each_node(*b, [&](const scene::Node& n, const scene::Layer*) {
            const auto d = nodes::describe(bench_.scene(), n);
            if (!d || n.id == painter_.node() || d->output_type(n) != nodes::Type::number) return;
            all.ids.push_back(n.id);
            all.names << QString::fromStdString(n.name.empty() ? n.id : n.name);
        });
    return all;
}

void BrushForm::ink() {
    const scene::Painting* p = painter_.painting();
    form_.choice(
        "does", "What the brush does where it touches.", {"paint", "rub out", "smudge", "soften"},
        [this](const Scene&) { return std::optional(int(painter_.brush().mode)); },
        [this](Scene&, int v) {
            later([this, v] { painter_.change_brush([&](paint::StockBrush& b) { b.brush.mode = paint::Mode(v); }); });
        });
    if (p && p->colored())
        form_.color(
            "colour", "What is painted.", V3f(1.f), [this](const Scene&) { return std::optional(painter_.ink()); },
            [this](Scene&, const V3f& v) { painter_.set_ink(v); });
    else
        form_.number(
            "value", "What is painted: 1 opens a gate, 0 closes it.", {0.f, 1.f, 1.f},
            [this](const Scene&) { return std::optional(painter_.ink().x); },
            [this](Scene&, float v) { painter_.set_ink(V3f(v)); });
    const bool metres = painter_.brush().in_scene;
    const auto image = bench_.image();
    const float size = image && image->prepared ? image->prepared->scene_size : 1.f;
    number("size", "Its diameter (Ctrl and wheel).",
           metres ? NumberRange{1e-4f, .5f * size, .05f * size, false, false, "m"}
                  : NumberRange{1.f, 600.f, 60.f, false, false, "px"},
           &paint::Brush::size);
    form_.choice(
        "size in", "Pixels of the view, or metres of the scene: then it stays when the camera comes nearer.",
        {"pixels", "metres"}, [this](const Scene&) { return std::optional(int(painter_.brush().in_scene)); },
        [this, size](Scene&, int v) {
            later([this, v, size] {
                painter_.change_brush([&](paint::StockBrush& b) {
                    if (b.brush.in_scene == (v == 1)) return;
                    b.brush.in_scene = v == 1;
                    b.brush.size =
                        v == 1 ? b.brush.size * size / 600.f : std::clamp(b.brush.size * 600.f / size, 2.f, 600.f);
                });
            });
        });
    number("opacity", "What one stroke adds at most, however often it passes.", {0.f, 1.f, 1.f, true},
           &paint::Brush::opacity);
    number("flow", "What each touch adds.", {0.f, 1.f, .6f, true}, &paint::Brush::flow);
}

void BrushForm::tip() {
    QStringList names{"round"};
    for (const paint::TipKind& k : paint::tip_kinds()) names << k.title;
    form_.choice(
        "tip", "What is pressed on: round, or a picture. Each touch takes another one of its kind.", names,
        [this](const Scene&) {
            const auto& tips = painter_.stock_brush().tips;
            for (size_t i = 0; i < paint::tip_kinds().size(); ++i)
                if (!tips.empty() && tips[0] == paint::tip_kinds()[i].id) return std::optional(int(i) + 1);
            return std::optional(0);
        },
        [this](Scene&, int v) {
            later([this, v] {
                painter_.change_brush([&](paint::StockBrush& b) {
                    b.tips.clear();
                    b.brush.tips.clear();
                    if (v > 0) b.tips.push_back(paint::tip_kinds()[size_t(v) - 1].id);
                });
            });
        });
    form_.button("Tip from a picture...", "Its lightness: white is all, black nothing.", [this] {
        const QString f = QFileDialog::getOpenFileName(&form_, "A tip from a picture",
                                                       QString::fromStdString(bench_.files().folder().string()));
        if (!f.isEmpty()) painter_.tip_from_picture(f.toStdString());
    });
    const auto [patterns, pattern_names] = number_nodes("choose a network...");
    if (patterns.size() > 1)
        form_.choice(
            "tip from", "A square of what a tile of the board gives becomes the tip.", pattern_names,
            [](const Scene&) { return std::optional(0); },
            [this, ids = patterns](Scene&, int v) {
                if (v > 0) later([this, id = ids[size_t(v)]] { painter_.tip_from_node(id); });
            });
    if (painter_.stock_brush().tips.empty() && painter_.brush().tips.empty())
        number("hardness", "How far from its middle it is whole.", {0.f, 1.f, .5f, true}, &paint::Brush::hardness);
    number("spacing", "From touch to touch, in diameters.", {.02f, 2.f, .15f}, &paint::Brush::spacing);
    form_.choice(
        "tip turns", "Which way its right side points.", {"with the view", "along the stroke", "by chance"},
        [this](const Scene&) { return std::optional(int(painter_.brush().turning)); },
        [this](Scene&, int v) {
            painter_.change_brush([&](paint::StockBrush& b) { b.brush.turning = paint::Turning(v); });
        });
    number("angle", "Turned further (Shift and wheel).", {-180.f, 180.f, 0.f, false, false, "deg"},
           &paint::Brush::angle);
    number("roundness", "Height over width.", {.05f, 1.f, 1.f, true}, &paint::Brush::roundness);
    form_.toggle(
        "single impressions", "Press where it goes, drag it to its size and turn.",
        [this](const Scene&) { return std::optional(painter_.stamps()); },
        [this](Scene&, bool v) { painter_.set_stamps(v); });
    form_.fold("by chance", false, [this] { chance(); });
    form_.fold("hand", false, [this] { hand(); });
}

void BrushForm::chance() {
    number("size varies", "How much smaller touches are by chance.", {0.f, 1.f, 0.f, true}, &paint::Brush::jitter_size);
    number("place varies", "How far beside its way, in diameters.", {0.f, 1.f, 0.f, true}, &paint::Brush::jitter_place);
    number("angle varies", "1: half a turn either way.", {0.f, 1.f, 0.f, true}, &paint::Brush::jitter_angle);
    number("flow varies", "How much less they add.", {0.f, 1.f, 0.f, true}, &paint::Brush::jitter_flow);
}

void BrushForm::hand() {
    number("calm", "The brush hangs on a string behind the hand: how long it is.", {0.f, 1.f, .3f, true},
           &paint::Brush::smoothing);
    toggle("pressure: size", "A pen that presses less is smaller.", &paint::Brush::pressure_size);
    toggle("pressure: flow", "A pen that presses less adds less.", &paint::Brush::pressure_flow);
    toggle("tilt: angle", "The pen's tilt turns the tip.", &paint::Brush::tilt_turns);
}

void BrushForm::places() {
    number("turned away", "What the surface is turned away from the brush by more is left alone.",
           {10.f, 180.f, 110.f, false, false, "deg"}, &paint::Brush::steep);
    toggle("hidden too", "Also what the camera does not see.", &paint::Brush::through);
    for (int axis = 0; axis < 3; ++axis)
        form_.toggle(
            QString("mirror %1").arg(QChar("xyz"[axis])), "Each touch once more on the other side of the middle.",
            [=, this](const Scene&) { return std::optional((painter_.brush().mirrored >> axis & 1) != 0); },
            [=, this](Scene&, bool v) {
                painter_.change_brush([&](paint::StockBrush& b) {
                    b.brush.mirrored = v ? b.brush.mirrored | 1 << axis : b.brush.mirrored & ~(1 << axis);
                });
            });
    const NumberNodes masks = number_nodes("everywhere");
    const std::vector<std::string> ids = masks.ids;
    form_.choice(
        "only where", "A mask of the build-up: the brush works only as much as it is white.", masks.names,
        [=, this](const Scene&) {
            const auto it = std::find(ids.begin(), ids.end(), painter_.mask());
            return std::optional(it == ids.end() ? 0 : int(it - ids.begin()));
        },
        [=, this](Scene&, int v) { painter_.set_mask(ids[size_t(v)]); });
    if (painter_.outline().empty())
        form_.button("Draw around a part of the picture", "Only inside of it can be painted.",
                     [this] { painter_.draw_outline(true); });
    else
        form_.button("No outline any more", "Everywhere can be painted again.",
                     [this] { later([this] { painter_.draw_outline(false); }); });
}

void BrushForm::photo() {
    form_.button(
        "Hold a picture before the view...", "It is brushed through onto the form; its knobs warp it.", [this] {
            const QString f = QFileDialog::getOpenFileName(&form_, "Hold a picture before the view",
                                                           QString::fromStdString(bench_.files().folder().string()));
            if (f.isEmpty()) return;
            later([this, f] {
                painter_.hold_photo(f.toStdString(),
                                    QSize(bench_.showing().live().width, bench_.showing().live().height));
            });
        });
    if (HeldPhoto* held = painter_.photo()) {
        const QString sharp = painter_.photo_sharpness();
        form_.note(QString::fromStdString(held->name) + (sharp.isEmpty() ? "" : "\n" + sharp));
        auto photo_number = [&](const QString& label, const QString& help, float HeldPhoto::*own,
                                float paint::Photo::*of) {
            form_.number(
                label, help, {0.f, 1.f, .5f, true},
                [=, this](const Scene&) {
                    HeldPhoto* h = painter_.photo();
                    return h ? std::optional(own ? h->*own : h->photo.*of) : std::nullopt;
                },
                [=, this](Scene&, float v) {
                    if (HeldPhoto* h = painter_.photo()) (own ? h->*own : h->photo.*of) = v;
                    painter_.photo_changed();
                });
        };
        auto photo_toggle = [&](const QString& label, const QString& help, bool paint::Photo::*of) {
            form_.toggle(
                label, help,
                [=, this](const Scene&) {
                    HeldPhoto* h = painter_.photo();
                    return h ? std::optional(h->photo.*of) : std::nullopt;
                },
                [=, this](Scene&, bool v) {
                    if (HeldPhoto* h = painter_.photo()) h->photo.*of = v;
                });
        };
        photo_number("shown", "How much of it covers the picture.", &HeldPhoto::strength, nullptr);
        photo_toggle("as a mask", "Its lightness says how much is painted, not its colour.", &paint::Photo::as_mask);
        photo_toggle("dark paints", "What is dark paints, what is light leaves alone.", &paint::Photo::inverse);
        photo_number("nothing at", "This lightness and below is nothing.", nullptr, &paint::Photo::black);
        photo_number("all at", "This lightness and above is all.", nullptr, &paint::Photo::white);
        form_.button("Let it go", "The picture is taken away; what was painted stays.",
                     [this] { later([this] { painter_.drop_photo(); }); });
    }
}

void BrushForm::fills() {
    auto fill = [this](const char* label, const char* help, paint::FillWhat what) {
        form_.button(label, help, [this, what] {
            bench_.picking().pick_place([this, what](const SurfaceSpot& spot) { painter_.fill(spot.at, what, 30.f); });
        });
    };
    fill("Fill a part", "Click it in the picture; the brush's mode and opacity count.", paint::FillWhat::part);
    fill("Fill an island of the UVs", "Click it in the picture.", paint::FillWhat::island);
    fill("Fill faces that go on evenly", "Up to edges that turn by 30 degrees.", paint::FillWhat::faces);
}

void BrushForm::whole() {
    const scene::Painting* p = painter_.painting();
    if (!p) return;
    const std::string id = p->id;
    form_.text(
        "called", "The painting's name in the project.",
        [=](const Scene& s) {
            const scene::Painting* x = scene::find(s.paintings, id);
            return x ? std::optional(x->name) : std::nullopt;
        },
        [=](Scene& s, const std::string& v) {
            if (scene::Painting* x = scene::find(s.paintings, id)) x->name = v;
        });
    form_.choice(
        "lies", "Over the UVs, or on the form itself, for parts without usable ones; chosen before the first stroke.",
        {"over the UVs", "on the form"},
        [=](const Scene& s) {
            const scene::Painting* x = scene::find(s.paintings, id);
            return x ? std::optional(int(x->on_form())) : std::nullopt;
        },
        [=, this](Scene&, int v) { later([=, this] { painter_.lie_on_form(v == 1); }); });
    if (p->on_form())
        form_.number(
            "texel", "How wide a texel is on the form; chosen before the first stroke.",
            {.01f, 10.f, 1.f, false, false, "mm"},
            [=](const Scene& s) {
                const scene::Painting* x = scene::find(s.paintings, id);
                return x ? std::optional(x->texel) : std::nullopt;
            },
            [=](Scene& s, float v) {
                scene::Painting* x = scene::find(s.paintings, id);
                if (x && x->sheets.empty()) x->texel = std::clamp(v, 1e-3f, 1000.f);
            });
    QStringList sizes;
    std::vector<int> all;
    for (int size = 256; size <= scene::largest_sheet; size *= 2) {
        all.push_back(size);
        sizes << QString("%1 x %1").arg(size);
    }
    form_.choice(
        "texels", "Of each tile of the UVs; what is painted is resampled.", sizes,
        [=](const Scene& s) {
            const scene::Painting* x = scene::find(s.paintings, id);
            const auto it = std::find(all.begin(), all.end(), x ? x->size : 0);
            return std::optional(it == all.end() ? -1 : int(it - all.begin()));
        },
        [=, this](Scene&, int v) { later([=, this] { painter_.resample(all[size_t(v)]); }); });
    form_.note(painter_.resolution());
    form_.button("Clear", "Nothing is painted any more.", [this] { later([this] { painter_.clear(); }); });
    form_.button("Turn over", "White becomes black, where it is painted.",
                 [this] { later([this] { painter_.turn_over(); }); });
    if (painter_.has_old_form())
        form_.button("Lay it on the new form by place",
                     "It lies by its UVs as it did on the old form; so each texel takes what was nearest to it there.",
                     [this] { later([this] { painter_.carry_over(); }); });
    auto carries = [this](const char* label, const char* help, paint::CarryBy by) {
        form_.button(label, help, [this, by] {
            bench_.picking().pick_place([this, by](const SurfaceSpot& spot) { painter_.carry_to(spot.part, by); });
        });
    };
    carries("Copy to another part by place", "Click it: it takes what is painted nearest to it on the selected part.",
            paint::CarryBy::place);
    carries("Copy to another part by UVs", "Click it: it takes what lies at the same place of its tile.",
            paint::CarryBy::uv);
    form_.button("Write out...", "The sheets as files, one per tile.", [this] {
        const QString f = QFileDialog::getSaveFileName(
            &form_, "Write the painting out",
            QString::fromStdString((bench_.files().folder() / "painting.<UDIM>.exr").string()), "OpenEXR (*.exr)");
        if (!f.isEmpty()) painter_.write_out(f.toStdString());
    });
    form_.button("Read in...", "Files in place of what is painted; a set by <UDIM> in the name.", [this] {
        const QString f = QFileDialog::getOpenFileName(&form_, "Read a painting in",
                                                       QString::fromStdString(bench_.files().folder().string()));
        if (!f.isEmpty()) later([this, f] { painter_.read_in(f.toStdString()); });
    });
    form_.button("Keep this brush...", "Into the stock of brushes of one's own.", [this] {
        bool good = false;
        const QString name = QInputDialog::getText(&form_, "Keep this brush", "Its name", QLineEdit::Normal,
                                                   QString::fromStdString(painter_.brush().name), &good);
        if (good && !name.trimmed().isEmpty()) painter_.keep_brush(name.trimmed().toStdString());
    });
}

void BrushForm::build() {
    form_.heading("Brush: " + QString::fromStdString(painter_.brush().name));
    for (const Error& e : painter_.problems())
        form_.note(QString::fromStdString(e.what + ": " + e.place + ", " + e.why + ". " + e.remedy + "."));
    ink();
    tip();
    form_.fold("where", !painter_.mask().empty() || !painter_.outline().empty(), [this] { places(); });
    form_.fold("photo", painter_.photo() != nullptr, [this] { photo(); });
    form_.fold("fill", false, [this] { fills(); });
    form_.fold("painting", false, [this] { whole(); });
}

}  // namespace

void build_brush(Form& form, Workbench& bench) {
    const auto rows = std::make_shared<BrushForm>(form, bench);
    rows->build();
    form.also([rows] {});  // what the rows do is in it: it lives as long as they
}

std::string shape_of_brush(const Workbench& bench) {
    const Painter& p = bench.painter();
    const scene::Painting* on = p.painting();
    return "brush " + p.node() + "|" + p.brush().name + (on ? on->id + on->type : "") +
           (p.brush().in_scene ? "m" : "p") +
           (p.stock_brush().tips.empty() && p.brush().tips.empty() ? "round" : "tip") +
           (p.outline().empty() ? "" : "outline") + (const_cast<Painter&>(p).photo() ? "photo" : "") +
           (on && on->on_form() ? "form" : "") + (p.has_old_form() ? "old" : "") + std::to_string(p.problems().size());
}

}  // namespace vemtra::app
