#include "app/bench/arranging.h"

#include "app/workbench.h"
#include "scene/edits.h"

namespace vemtra::app {

void Arranging::arrange(bool on) {
    on = on && bench_.part();
    if (on_ == on) return;
    on_ = on;
    Q_EMIT bench_.arranging_changed();
    Q_EMIT bench_.selection_changed();
}

void Arranging::set_whole_asset(bool whole) {
    whole_asset_ = whole;
    Q_EMIT bench_.arranging_changed();
}
void Arranging::set_snap(Snap snap) {
    snap_ = snap;
    Q_EMIT bench_.arranging_changed();
}

scene::Placement Arranging::placement() const {
    const scene::Part* p = bench_.part();
    if (!p) return {};
    if (!whole_asset_) return p->placement;
    const scene::Asset* a = scene::find(bench_.scene().assets, p->asset);
    return a ? a->placement : scene::Placement();
}

void Arranging::place(const std::string& label, const std::function<void(scene::Placement&)>& change,
                      const std::string& merge_key) {
    const std::string id = bench_.selection().part;
    bench_.edit(
        label,
        [&](scene::Scene& s) {
            scene::Part* p = scene::find(s.parts, id);
            if (!p) return;
            if (!whole_asset_) return change(p->placement);
            if (scene::Asset* a = scene::find(s.assets, p->asset)) change(a->placement);
        },
        merge_key);
}

M44f Arranging::standing() const {
    const auto image = bench_.image();
    const int i = image && image->prepared ? image->prepared->instance_of(bench_.selection().part) : -1;
    return i < 0 ? M44f() : image->prepared->geometry->instances()[size_t(i)].to_world;
}

Box3f Arranging::standing_bounds() const {
    Box3f box;
    const auto image = bench_.image();
    const scene::Part* p = bench_.part();
    if (!image || !image->prepared || !p) return box;
    const render::Prepared& prepared = *image->prepared;
    for (size_t i = 0; i < prepared.parts.size(); ++i)
        if (whole_asset_ ? prepared.parts[i]->asset == p->asset : prepared.parts[i]->id == p->id)
            box.extendBy(prepared.geometry->instances()[i].bounds());
    return box;
}

V3f Arranging::standing_pivot() const {
    const scene::Part* p = bench_.part();
    const scene::Asset* asset = p ? scene::find(bench_.scene().assets, p->asset) : nullptr;
    if (!asset) return V3f(0.f);
    if (whole_asset_) return asset->placement.position;
    // The middle of the part as its file has it, moved with it.
    const auto state = bench_.workshop().asset(*asset, bench_.files().paths());
    const render::AssetState::Part* form = state->part(p->source);
    return form ? moved(form->pivot + p->placement.position, scene::matrix_of(asset->placement)) : V3f(0.f);
}

void Arranging::move_by(const V3f& world, const std::string& label, const std::string& merge_key) {
    const scene::Part* p = bench_.part();
    const scene::Asset* asset = p ? scene::find(bench_.scene().assets, p->asset) : nullptr;
    if (!asset || !finite(world)) return;
    const V3f own =
        whole_asset_
            ? world
            : turned(world, scene::matrix_of(asset->placement).inverse());  // a part is moved in its asset's space
    place(
        label, [&](scene::Placement& q) { q.position += own; }, merge_key);
}

void Arranging::turn_by(const V3f& axis, float degrees, const std::string& merge_key) {
    const scene::Part* p = bench_.part();
    const scene::Asset* asset = p ? scene::find(bench_.scene().assets, p->asset) : nullptr;
    if (!asset) return;
    const V3f own = whole_asset_ ? axis : turned(axis, scene::matrix_of(asset->placement).inverse()).normalized();
    place(
        "Turn",
        [&](scene::Placement& q) {
            M44f turn;
            turn.setAxisAngle(own, radians(degrees));
            scene::Placement still = q;
            still.position = V3f(0.f);
            const V3f position = q.position;
            const V3f scale = q.scale;
            q = scene::placement_of(scene::matrix_of(still) * turn);
            q.position = position;
            q.scale = scale;
        },
        merge_key);
}

void Arranging::sit_down() {
    const Box3f box = standing_bounds();
    const scene::Rig* rig = scene::active_rig(bench_.scene());
    if (box.isEmpty() || !rig) return;
    move_by(V3f(0.f, rig->stage.height - box.min.y, 0.f), "Sit down on the stage", {});
}

void Arranging::duplicate_part() {
    const scene::Part* p = bench_.part();
    if (!p) return;
    const Box3f box = standing_bounds();
    std::string made;
    bench_.edit("Another " + p->name, [&](scene::Scene& s) {
        scene::Part copy = *scene::find(s.parts, bench_.selection().part);
        copy.id = scene::FreshIds(scene::ids_of(s.parts)).take(copy.id);
        made = copy.id;
        const size_t at = size_t(scene::find(s.parts, bench_.selection().part) - s.parts.data()) + 1;
        s.parts.insert(s.parts.begin() + long(at), copy);
    });
    bench_.select_part(made);
    whole_asset_ = false;
    if (!box.isEmpty()) {
        bench_.end_merge();
        move_by(V3f(box.size().x * 1.1f, 0.f, 0.f), "Another " + p->name, {});
    }
    arrange(true);
}

void Arranging::remove_part() {
    const scene::Part* p = bench_.part();
    if (!p) return;
    bench_.edit("Remove " + p->name, [id = p->id](scene::Scene& s) {
        std::string asset;
        for (const scene::Part& x : s.parts)
            if (x.id == id) asset = x.asset;
        std::erase_if(s.parts, [&](const scene::Part& x) { return x.id == id; });
        const bool used =
            std::any_of(s.parts.begin(), s.parts.end(), [&](const scene::Part& x) { return x.asset == asset; });
        if (!used)
            std::erase_if(s.assets, [&](const scene::Asset& a) { return a.id == asset; });  // its last part has gone
    });
    if (!bench_.part()) arrange(false);
}

}  // namespace vemtra::app
