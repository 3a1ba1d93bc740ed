#include "app/detail/part_form.h"

#include <QFileDialog>

namespace vemtra::app {
namespace {

/// What is arranged, in a scene; null where it has gone.
scene::Placement* placement_in(scene::Scene& s, const std::string& part, bool whole) {
    scene::Part* p = scene::find(s.parts, part);
    if (!p) return nullptr;
    if (!whole) return &p->placement;
    scene::Asset* a = scene::find(s.assets, p->asset);
    return a ? &a->placement : nullptr;
}

float round_size(const Workbench& bench) {
    const auto image = bench.image();
    return image && image->prepared ? std::max(1e-3f, image->prepared->scene_size) : 1.f;
}

}  // namespace

void build_part(Form& form, Workbench& bench) {
    const scene::Part& part = *bench.part();
    const std::string id = part.id;
    const std::string asset_id = part.asset;
    const bool whole = bench.arranging().whole_asset();
    const scene::Asset* asset = scene::find(bench.scene().assets, asset_id);
    form.heading(whole ? QString("Asset %1").arg(QString::fromStdString(asset_id))
                       : QString("Part %1").arg(QString::fromStdString(part.name)));
    form.choice(
        "arranged", "The part alone, or all parts of its asset together.", {"this part", "its whole asset"},
        [&bench](const scene::Scene&) { return std::optional(int(bench.arranging().whole_asset())); },
        [&bench](scene::Scene&, int v) {
            // The form is made anew by it: not while it is still at work.
            QMetaObject::invokeMethod(
                &bench, [&bench, v] { bench.arranging().set_whole_asset(v == 1); }, Qt::QueuedConnection);
        });
    form.choice(
        "knob carries", "What the knob in the picture holds to while it is dragged.",
        {"freely", "on a grid", "over the stage", "over surfaces"},
        [&bench](const scene::Scene&) { return std::optional(int(bench.arranging().snap())); },
        [&bench](scene::Scene&, int v) {
            QMetaObject::invokeMethod(
                &bench, [&bench, v] { bench.arranging().set_snap(Arranging::Snap(v)); }, Qt::QueuedConnection);
        });
    auto row = [&](const QString& label, const QString& help, const NumberRange& range, V3f scene::Placement::*member,
                   bool keep_from_zero) {
        form.vector(
            label, help, range, 3,
            [=](const scene::Scene& s) {
                auto* p = placement_in(const_cast<scene::Scene&>(s), id, whole);
                return p ? std::optional(p->*member) : std::nullopt;
            },
            [=](scene::Scene& s, const V3f& v) {
                auto* p = placement_in(s, id, whole);
                if (!p) return;
                p->*member = v;
                for (int c = 0; keep_from_zero && c < 3; ++c)
                    if (std::fabs((p->*member)[c]) < 1e-3f) (p->*member)[c] = std::copysign(1e-3f, v[c]);
            });
    };
    const float size = round_size(bench);
    row("position", "How far it is moved from where its file has it.",
        {-2.f * size, 2.f * size, 0.f, false, false, "m"}, &scene::Placement::position, false);
    row("rotation", "Turned about x, then y, then z.", {-180.f, 180.f, 0.f, false, false, "deg"},
        &scene::Placement::rotation, false);
    row("scale", "Larger or smaller along its axes; below 0 it is mirrored.", {.1f, 4.f, 1.f}, &scene::Placement::scale,
        true);
    form.button("Sit down on the stage", "Its lowest point comes to lie on the floor.",
                [&bench] { bench.arranging().sit_down(); });
    if (!whole)
        form.button("Another one beside it",
                    "An instance: it shares the mesh and costs next to no memory (Ctrl+Shift+D).",
                    [&bench] { bench.arranging().duplicate_part(); });
    form.button("Back to where its file has it", "Takes all placing back.",
                [&bench] { bench.arranging().place("Back to its place", [](scene::Placement& p) { p = {}; }); });
    if (!whole)
        form.button("Remove the part", "Takes it out of the project; the file stays as it is.",
                    [&bench] { bench.arranging().remove_part(); });
    form.heading("Its file");
    form.note(QString::fromStdString(asset ? asset->file : std::string("missing")));
    form.button("Replace the file...",
                "A newer version of the asset: parts of the same names keep what they wear and where they stand.",
                [&bench, asset_id, &form] {
                    QString patterns;
                    for (const auto& f : geometry::formats())
                        for (const char* e : f.extensions) patterns += QString(" *%1").arg(e);
                    const QString f = QFileDialog::getOpenFileName(
                        &form, "Replace the asset's file", QString::fromStdString(bench.files().folder().string()),
                        QString("Assets (%1)").arg(patterns.trimmed()));
                    if (!f.isEmpty()) bench.files().replace_asset(asset_id, f.toStdString());
                });
}

}  // namespace vemtra::app
