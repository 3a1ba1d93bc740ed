#include "app/detail/decal_form.h"

#include "app/bench/decal_tool.h"

namespace vemtra::app {
namespace {

using scene::Scene;

/// Reaches the decal of a scene, and the pin of it that is worked on; null where it is gone.
struct DecalPlace {
    std::string build_up, layer;
    Workbench* bench;
    scene::Decal* decal(const Scene& s) const {
        auto* b = scene::find(const_cast<Scene&>(s).build_ups, build_up);
        auto* l = b ? scene::find(b->layers, layer) : nullptr;
        return l ? &l->decal : nullptr;
    }
    scene::Pin* pin(const Scene& s) const {
        scene::Decal* d = decal(s);
        const int i = bench->decals().pin();
        return d && i >= 0 && size_t(i) < d->pins.size() ? &d->pins[size_t(i)] : nullptr;
    }
};

template <class T> void toggle(Form& form, const char* label, const char* help, const DecalPlace& at, T get) {
    form.toggle(
        label, help,
        [=](const Scene& s) {
            auto* d = at.decal(s);
            return d ? std::optional<bool>(get(*d)) : std::nullopt;
        },
        [=](Scene& s, bool v) {
            if (auto* d = at.decal(s)) get(*d) = v;
        });
}

/// How all places of the decal lie, where it shows and what its edge is.
void add_lying(Form& form, Workbench& bench, const DecalPlace& at) {
    QStringList ways;
    for (const auto& t : scene::words_for(scene::Lies())) ways << t.title;
    form.choice(
        "lies", "Flat along its axis, bent round a pole, or following the form without stretching.", ways,
        [=](const Scene& s) {
            auto* d = at.decal(s);
            return d ? std::optional(int(d->lies)) : std::nullopt;
        },
        [=, &bench](Scene&, int v) {
            QMetaObject::invokeMethod(
                &bench, [&bench, v] { bench.decals().lie(scene::Lies(v)); }, Qt::QueuedConnection);
        });
    toggle(
        form, "weathers", "It is only where the cover that it stands on is: worn with the paint below.", at,
        [](auto& d) -> auto& { return d.weathers; });
    toggle(
        form, "through", "Also on what faces away, to the other side.", at, [](auto& d) -> auto& { return d.through; });
    toggle(
        form, "goes on", "It repeats beyond its frame.", at, [](auto& d) -> auto& { return d.repeats; });
    form.number(
        "steep", "What is turned away from its axis by more has none of it.", {1.f, 90.f, 75.f, true, false, "deg"},
        [=](const Scene& s) {
            auto* d = at.decal(s);
            return d ? std::optional(d->steep) : std::nullopt;
        },
        [=](Scene& s, float v) {
            if (auto* d = at.decal(s)) d->steep = v;
        });
    QStringList prints;
    for (const auto& t : scene::words_for(scene::Print())) prints << t.title;
    form.choice(
        "prints", "Whether it covers what is below, or tints its colour alone: a stain, a thin ink.", prints,
        [=](const Scene& s) {
            auto* d = at.decal(s);
            return d ? std::optional(int(d->print)) : std::nullopt;
        },
        [=](Scene& s, int v) {
            if (auto* d = at.decal(s)) d->print = scene::Print(v);
        });
}

/// Its edge, and the cells of its sheet.
void add_edge_and_cells(Form& form, const DecalPlace& at) {
    auto edge = [&](const char* label, const char* help, const NumberRange& range, float scene::Decal::*member) {
        form.number(
            label, help, range,
            [=](const Scene& s) {
                auto* d = at.decal(s);
                return d ? std::optional(1e3f * (d->*member)) : std::nullopt;
            },
            [=](Scene& s, float v) {
                if (auto* d = at.decal(s)) d->*member = 1e-3f * std::clamp(v, range.low, range.high);
            });
    };
    edge("edge stands out", "How far its edge rises over what is below; below zero it is pressed in.",
         {-20.f, 20.f, 0.f, false, false, "mm"}, &scene::Decal::lip);
    edge("edge is wide", "Over how much its edge rises.", {.01f, 50.f, .5f, false, false, "mm"},
         &scene::Decal::lip_width);
    auto cells = [&](const char* label, int scene::Decal::*member) {
        form.number(
            label, "Cells of the sheet that its maps hold.", {1.f, 16.f, 1.f, false, true},
            [=](const Scene& s) {
                auto* d = at.decal(s);
                return d ? std::optional(float(d->*member)) : std::nullopt;
            },
            [=](Scene& s, float v) {
                if (auto* d = at.decal(s)) d->*member = std::clamp(int(v), 1, 256);
            });
    };
    cells("sheet: across", &scene::Decal::columns);
    cells("sheet: down", &scene::Decal::rows);
}

/// The one of its places that is chosen.
void add_this_place(Form& form, Workbench& bench, const DecalPlace& at) {
    const float size = bench.stockroom().size_of_asset();
    form.vector(
        "size", "Width, height, and how deep it reaches; of a pole the last is its radius.",
        {1e-4f, size, .1f * size, false, false, "m"}, 3,
        [=](const Scene& s) {
            auto* p = at.pin(s);
            return p ? std::optional(p->size) : std::nullopt;
        },
        [=](Scene& s, const V3f& v) {
            if (auto* p = at.pin(s))
                for (int c = 0; c < 3; ++c) p->size[c] = std::max(1e-6f, v[c]);
        });
    form.number(
        "turn", "About the way that the surface faces.", {-180.f, 180.f, 0.f, false, false, "deg"},
        [=](const Scene& s) {
            auto* p = at.pin(s);
            return p ? std::optional(p->turn) : std::nullopt;
        },
        [=](Scene& s, float v) {
            if (auto* p = at.pin(s)) p->turn = v;
        });
    form.toggle(
        "mirrored", "Left and right change places.",
        [=](const Scene& s) {
            auto* p = at.pin(s);
            return p ? std::optional(p->mirrored) : std::nullopt;
        },
        [=](Scene& s, bool v) {
            if (auto* p = at.pin(s)) p->mirrored = v;
        });
    form.number(
        "cell", "Which of the sheet, from the upper left, row by row.", {0.f, 63.f, 0.f, false, true},
        [=](const Scene& s) {
            auto* p = at.pin(s);
            return p ? std::optional(float(p->cell)) : std::nullopt;
        },
        [=](Scene& s, float v) {
            if (auto* p = at.pin(s)) p->cell = std::max(0, int(v));
        });
    form.button("Another one: drag it on", "One more place of the same decal (J).",
                [&bench] { bench.decals().begin(); });
    form.button("Four more in a row", "Beside it, each stuck to the surface.", [&bench] { bench.decals().add_row(4); });
    form.button("Seven more in a ring", "Round the part's upright axis.", [&bench] { bench.decals().add_ring(7); });
    form.button("Remove this place", "The last one takes the layer with it.",
                [&bench] { bench.decals().remove_pin(); });
}

}  // namespace

void build_decal(Form& form, Workbench& bench, const scene::Layer& layer) {
    const DecalPlace at{bench.selection().build_up, layer.id, &bench};
    const size_t count = layer.decal.pins.size();
    form.fold(count == 1 ? QString("decal") : QString("decal, at %1 places").arg(count), true, [&form, &bench, at] {
        form.later([&form, &bench, at] { add_lying(form, bench, at); });
        form.later([&form, at] { add_edge_and_cells(form, at); });
    });
    form.fold("this place", true,
              [&form, &bench, at] { form.later([&form, &bench, at] { add_this_place(form, bench, at); }); });
}

}  // namespace vemtra::app
