#include "app/detail/scene_forms.h"

#include "render/lights.h"
#include "texture/picture_formats.h"

namespace vemtra::app {
namespace {

using scene::Rig;
using scene::Scene;

scene::Rig* rig_in(Scene& s) {
    return const_cast<Rig*>(scene::active_rig(s));
}

/// Rows for members that are reached from a scene; null where what holds them has gone.
class Rows {
public:
    explicit Rows(Form& form) : form_(form) {}
    template <class T> using Reach = std::function<T*(Scene&)>;

    void number(const QString& label, const QString& help, const NumberRange& range, const Reach<float>& reach) {
        form_.number(label, help, range, read<float>(reach), write<float>(reach));
    }
    void whole(const QString& label, const QString& help, const NumberRange& range, const Reach<int>& reach) {
        form_.number(
            label, help, range,
            [reach](const Scene& s) {
                const int* v = reach(const_cast<Scene&>(s));
                return v ? std::optional(float(*v)) : std::nullopt;
            },
            [reach](Scene& s, float v) {
                if (int* to = reach(s)) *to = int(std::lround(v));
            });
    }
    void color(const QString& label, const QString& help, V3f reset, const Reach<V3f>& reach) {
        form_.color(label, help, reset, read<V3f>(reach), write<V3f>(reach));
    }
    void vector(const QString& label, const QString& help, const NumberRange& range, const Reach<V3f>& reach) {
        form_.vector(label, help, range, 3, read<V3f>(reach), write<V3f>(reach));
    }
    void toggle(const QString& label, const QString& help, const Reach<bool>& reach) {
        form_.toggle(label, help, read<bool>(reach), write<bool>(reach));
    }
    void text(const QString& label, const QString& help, const Reach<std::string>& reach) {
        form_.text(label, help, read<std::string>(reach), write<std::string>(reach));
    }

private:
    template <class T> static Form::Read<T> read(const Reach<T>& reach) {
        return [reach](const Scene& s) {
            const T* v = reach(const_cast<Scene&>(s));
            return v ? std::optional<T>(*v) : std::nullopt;
        };
    }
    template <class T> static Form::Write<T> write(const Reach<T>& reach) {
        return [reach](Scene& s, const T& v) {
            if (T* to = reach(s)) *to = v;
        };
    }
    Form& form_;
};

/// A member of the rig in use.
template <class Get> auto of_rig(Get get) {
    return [get](Scene& s) { return rig_in(s) ? get(*rig_in(s)) : nullptr; };
}

void build_rig(Form& form, const Rig& rig) {
    Rows rows(form);
    form.heading("Rig");
    rows.text("name", "What the rig is called.", of_rig([](Rig& r) { return &r.name; }));
    form.heading("Balance (no new rendering)");
    for (size_t g = 0; g < rig.groups.size(); ++g)
        rows.number(QString::fromStdString(rig.groups[g].name), "Stops for all lights of this group.",
                    {-6.f, 6.f, 0.f, false, false, "stops"},
                    of_rig([g](Rig& r) { return g < r.groups.size() ? &r.groups[g].exposure : nullptr; }));
    form.heading("Environment");
    rows.toggle("on", "Light from all around.", of_rig([](Rig& r) { return &r.environment.on; }));
    form.file(
        "image", "An equirectangular picture; without one, the tint is the light.",
        QString("Images (%1)").arg(QString::fromStdString(texture::picture_patterns())),
        [](const Scene& s) {
            const Rig* r = scene::active_rig(s);
            return r ? std::optional(r->environment.image) : std::nullopt;
        },
        [](Scene& s, const std::string& v) {
            if (Rig* r = rig_in(s)) r->environment.image = v;
        });
    rows.number("rotation", "Turns the environment about the vertical.", {-180.f, 180.f, 0.f, false, false, "deg"},
                of_rig([](Rig& r) { return &r.environment.rotation; }));
    rows.number("exposure", "Brightness of the environment.", {-6.f, 6.f, 0.f, false, false, "stops"},
                of_rig([](Rig& r) { return &r.environment.exposure; }));
    rows.toggle("seen", "The camera sees the environment behind the asset.",
                of_rig([](Rig& r) { return &r.environment.seen; }));
    rows.color("tint", "Multiplies the environment.", V3f(1.f), of_rig([](Rig& r) { return &r.environment.tint; }));
    rows.color("backdrop", "What stands behind the asset where the environment is not seen.", V3f(.18f),
               of_rig([](Rig& r) { return &r.environment.backdrop; }));
    form.heading("Stage");
    rows.toggle("stage on", "A floor under the asset.", of_rig([](Rig& r) { return &r.stage.on; }));
    rows.color("stage colour", "Colour of the floor.", V3f(.18f), of_rig([](Rig& r) { return &r.stage.color; }));
    rows.number("stage roughness", "How blurred the floor's reflection is.", {0.f, 1.f, .5f, true},
                of_rig([](Rig& r) { return &r.stage.roughness; }));
    rows.number("stage height", "Where the floor lies.", {-1.f, 1.f, 0.f, false, false, "m"},
                of_rig([](Rig& r) { return &r.stage.height; }));
}

/// A row that only lights of one kind have.
template <class Reach> void kind_row(Form& form, const render::LightRow& row, Reach light) {
    using What = render::LightRow::What;
    auto vector = [&](int components, NumberRange range, auto get, auto set) {
        form.vector(
            row.label, row.help, range, components,
            [=](const Scene& s) {
                auto* x = light(const_cast<Scene&>(s));
                return x ? std::optional(get(*x)) : std::nullopt;
            },
            [=](Scene& s, const V3f& v) {
                if (auto* x = light(s)) set(*x, v);
            });
    };
    switch (row.what) {
        case What::target:
            vector(
                3, {-3.f, 3.f, 0.f}, [](const scene::Light& x) { return x.target; },
                [](scene::Light& x, const V3f& v) { x.target = v; });
            break;
        case What::width_and_height:
            vector(
                2, {.01f, 3.f, .5f}, [](const scene::Light& x) { return V3f(x.size.x, x.size.y, 0.f); },
                [](scene::Light& x, const V3f& v) { x.size = V2f(std::max(1e-3f, v.x), std::max(1e-3f, v.y)); });
            break;
        case What::diameter:
            form.number(
                row.label, row.help, {.01f, 3.f, .5f},
                [=](const Scene& s) {
                    auto* x = light(const_cast<Scene&>(s));
                    return x ? std::optional(x->size.x) : std::nullopt;
                },
                [=](Scene& s, float v) {
                    if (auto* x = light(s)) x->size.x = std::max(1e-3f, v);
                });
            break;
    }
}

void build_light(Form& form, Workbench& bench, const scene::Light& l) {
    auto light = [id = l.id](Scene& s) { return rig_in(s) ? scene::find(rig_in(s)->lights, id) : nullptr; };
    auto member = [light](auto get) { return [light, get](Scene& s) { return light(s) ? get(*light(s)) : nullptr; }; };
    Rows rows(form);
    form.heading("Light");
    rows.text("name", "What the light is called.", member([](scene::Light& x) { return &x.name; }));
    rows.toggle("on", "Light on or off.", member([](scene::Light& x) { return &x.on; }));
    rows.number("exposure", "Brightness.", {-6.f, 6.f, 0.f, false, false, "stops"},
                member([](scene::Light& x) { return &x.exposure; }));
    rows.number("intensity", "Radiance of its surface at exposure 0.", {0.f, 100.f, 10.f},
                member([](scene::Light& x) { return &x.intensity; }));
    rows.color("colour", "Colour of the light.", V3f(1.f), member([](scene::Light& x) { return &x.color; }));
    rows.toggle("seen", "The camera sees it.", member([](scene::Light& x) { return &x.seen; }));
    rows.vector("position", "Where it stands, metres.", {-3.f, 3.f, 0.f},
                member([](scene::Light& x) { return &x.position; }));
    QStringList kinds;
    for (const render::LightKind& k : render::light_kinds()) kinds << k.title;
    form.choice(
        "shape", "Its shape.", kinds,
        [=](const Scene& s) {
            auto* x = light(const_cast<Scene&>(s));
            return x ? std::optional(int(&render::light_kind(x->shape) - render::light_kinds().data())) : std::nullopt;
        },
        [=](Scene& s, int v) {
            if (auto* x = light(s)) x->shape = render::light_kinds()[size_t(v)].name;
        });
    for (const render::LightRow& row : render::light_kind(l.shape).rows) kind_row(form, row, light);
    form.button("Remove the light", "Takes it out of the rig.", [&bench, id = l.id] {
        // The form goes with the light: not while its button is still at work.
        QMetaObject::invokeMethod(
            &bench,
            [&bench, id] {
                bench.edit("Remove light", [&](Scene& s) {
                    if (Rig* r = rig_in(s)) std::erase_if(r->lights, [&](const scene::Light& x) { return x.id == id; });
                });
            },
            Qt::QueuedConnection);
    });
}

void build_camera(Form& form, const std::string& id) {
    auto member = [id](auto get) {
        return [id, get](Scene& s) {
            auto* c = scene::find(s.cameras, id);
            return c ? get(*c) : nullptr;
        };
    };
    Rows rows(form);
    form.heading("Camera");
    rows.text("name", "What the camera is called.", member([](scene::Camera& c) { return &c.name; }));
    rows.number("focal length", "Of the lens, on a sensor 36 mm wide.", {10.f, 300.f, 50.f, false, false, "mm"},
                member([](scene::Camera& c) { return &c.focal_length; }));
    rows.vector("position", "Where it stands, metres.", {-5.f, 5.f, 0.f},
                member([](scene::Camera& c) { return &c.position; }));
    rows.vector("target", "What it looks at, metres.", {-5.f, 5.f, 0.f},
                member([](scene::Camera& c) { return &c.target; }));
}

void build_picture(Form& form) {
    Rows rows(form);
    form.heading("Pictures");
    auto member = [](auto field) { return [field](Scene& s) { return &(s.render.*field); }; };
    using R = scene::RenderSettings;
    rows.whole("width", "Pixels of a written picture.", {16, 16384, 1280, true, true, "px"}, member(&R::width));
    rows.whole("height", "Pixels of a written picture.", {16, 16384, 800, true, true, "px"}, member(&R::height));
    rows.whole("samples", "Samples per pixel at most.", {1, 4096, 256, true, true}, member(&R::samples));
    rows.number("noise",
                "A part of the picture is done once its relative error is below this, and the time goes to the rest; "
                "0: every pixel gets all samples.",
                {0.f, .1f, 0.f, true}, member(&R::noise));
    rows.toggle("smooth",
                "Written pictures are smoothed: the light of each group is fitted over pixels that look alike, and the "
                "error that is left is told. Passes of data stay as they are.",
                member(&R::smooth));
    rows.whole("depth", "Surfaces that light may meet on its way. Glass within glass needs more.",
               {1, 64, 6, true, true}, member(&R::depth));
    rows.whole("seed", "Another number gives another noise.", {0, 65535, 0, true, true}, member(&R::seed));
    rows.number("relief pixels",
                "About how far apart heights of networks are computed, in pixels of the written picture; heights that "
                "are one map are met at every texel.",
                {.25f, 8.f, 1.f, false}, member(&R::relief_pixels));
    rows.whole(
        "relief points",
        "Computed heights per part at most, in millions: 2.6 MB each. All parts together have four times as many.",
        {1, 512, 16, true, true}, member(&R::relief_points));
    rows.number("preview clamp",
                "In the window no single indirect sample counts for more: caustics and sparks are dimmed. 0: nothing "
                "is clamped.",
                {0.f, 32.f, 8.f, true}, member(&R::preview_clamp));
    rows.number("final clamp", "The same in written pictures; 0, as it should be for finals: nothing is clamped.",
                {0.f, 32.f, 0.f, true}, member(&R::clamp));
}

}  // namespace

bool build_scene_form(Form& form, Workbench& bench, const std::string& name) {
    const Scene& s = bench.scene();
    const Rig* rig = scene::active_rig(s);
    if (name == picture_form) {
        build_picture(form);
        return true;
    }
    if (name == rig_form && rig) {
        build_rig(form, *rig);
        return true;
    }
    if (name.starts_with(light_form) && rig)
        if (const scene::Light* l = scene::find(rig->lights, name.substr(std::string(light_form).size()))) {
            build_light(form, bench, *l);
            return true;
        }
    if (name.starts_with(camera_form))
        if (const scene::Camera* c = scene::find(s.cameras, name.substr(std::string(camera_form).size()))) {
            build_camera(form, c->id);
            return true;
        }
    return false;
}

std::string shape_of_scene_form(const Scene& s, const std::string& name) {
    std::string key = name + "|";
    const Rig* rig = scene::active_rig(s);
    if (!rig) return key;
    key += rig->id;
    if (name == rig_form)
        for (const auto& g : rig->groups) key += "," + g.name;
    if (name.starts_with(light_form))
        for (const auto& l : rig->lights) key += "," + l.id + l.shape;
    return key;
}

}  // namespace vemtra::app
