#include <QHBoxLayout>
#include <QListWidget>
#include <QPushButton>
#include <QScrollArea>

#include "app/detail/form.h"
#include "app/drawer/drawer.h"
#include "render/lights.h"
#include "scene/edits.h"
#include "scene/graph.h"
#include "texture/picture_formats.h"

namespace vemtra::app {
namespace {

using scene::Rig;
using scene::Scene;

class RigsPage : public QWidget {
public:
    explicit RigsPage(Workbench& bench) : bench_(bench) {
        auto* row = new QHBoxLayout(this);
        row->setContentsMargins(6, 6, 6, 6);
        auto* left = new QVBoxLayout;
        list_ = new QListWidget;
        list_->setObjectName("rigs");
        list_->setFixedWidth(170);
        left->addWidget(list_);
        auto* buttons = new QHBoxLayout;
        auto* add = new QPushButton("Duplicate");
        add->setToolTip("A copy of this rig to change");
        auto* light = new QPushButton("Add light");
        light->setToolTip("A rectangle light to the right of the camera");
        buttons->addWidget(add);
        buttons->addWidget(light);
        left->addLayout(buttons);
        row->addLayout(left);
        area_ = new QScrollArea;
        area_->setWidgetResizable(true);
        row->addWidget(area_, 1);
        connect(list_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
            if (!item || filling_) return;
            const std::string id = item->data(Qt::UserRole).toString().toStdString();
            bench_.edit("Choose rig", [&](Scene& s) { s.rig = id; });
        });
        connect(add, &QPushButton::clicked, this, [this] {
            bench_.edit("Duplicate rig", [](Scene& s) {
                const Rig* now = scene::active_rig(s);
                if (!now) return;
                Rig copy = *now;
                copy.name += " copy";
                copy.id = scene::FreshIds(scene::ids_of(s.rigs)).take(scene::stem_of(copy.name));
                s.rig = copy.id;
                s.rigs.push_back(copy);
            });
        });
        connect(light, &QPushButton::clicked, this, [this] {
            bench_.edit("Add light", [](Scene& s) {
                Rig* rig = const_cast<Rig*>(scene::active_rig(s));
                if (!rig) return;
                const scene::Camera* camera = scene::active_camera(s);
                scene::Light l;
                std::vector<std::string> taken;
                for (auto& x : rig->lights) taken.push_back(x.id);
                l.name = "Light " + std::to_string(rig->lights.size() + 1);
                l.id = scene::fresh_id(taken, scene::stem_of(l.name));
                l.group = l.id;
                if (camera) {
                    const V3f to = camera->position - camera->target;
                    const V3f side = V3f(0, 1, 0).cross(to).normalized();
                    l.target = camera->target;
                    l.position = camera->target + to * .6f + side * (to.length() * .6f) + V3f(0, to.length() * .4f, 0);
                    l.size = V2f(to.length() * .25f);
                }
                rig->lights.push_back(l);
                scene::LightGroup group;
                group.name = l.group;
                rig->groups.push_back(group);
            });
        });
        connect(&bench_, &Workbench::changed, this, [this] { fill(); });
        fill();
    }

private:
    std::string shape() const {
        std::string key = bench_.scene().rig + "|";
        for (const Rig& r : bench_.scene().rigs) key += r.id + r.name + ",";
        if (const Rig* rig = scene::active_rig(bench_.scene())) {
            for (const auto& l : rig->lights) key += l.id + l.shape;
            for (const auto& g : rig->groups) key += g.name;
        }
        return key;
    }
    void fill() {
        if (shape() != shape_) rebuild();
        form_->refresh();
    }
    void rebuild() {
        shape_ = shape();
        filling_ = true;
        list_->clear();
        const Rig* active = scene::active_rig(bench_.scene());
        for (const Rig& r : bench_.scene().rigs) {
            auto* item = new QListWidgetItem(QString::fromStdString(r.name), list_);
            item->setData(Qt::UserRole, QString::fromStdString(r.id));
            if (&r == active) list_->setCurrentItem(item);
        }
        filling_ = false;
        form_ = new Form(bench_);
        if (active)
            build(*active);
        else
            form_->note("The project has no rig.");
        area_->setWidget(form_);
    }
    void build(const Rig& rig) {
        auto at = [id = rig.id](const Scene& s) { return const_cast<Rig*>(scene::find(s.rigs, id)); };
        // A row for a field that is reached from the rig.
        auto number = [&](const QString& label, const QString& help, NumberRange range, auto get) {
            form_->number(
                label, help, range,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* v = r ? get(*r) : nullptr;
                    return v ? std::optional(*v) : std::nullopt;
                },
                [=](Scene& s, float v) {
                    if (auto* r = at(s))
                        if (auto* to = get(*r)) *to = v;
                });
        };
        auto color = [&](const QString& label, const QString& help, V3f reset, auto get) {
            form_->color(
                label, help, reset,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* v = r ? get(*r) : nullptr;
                    return v ? std::optional(*v) : std::nullopt;
                },
                [=](Scene& s, const V3f& v) {
                    if (auto* r = at(s))
                        if (auto* to = get(*r)) *to = v;
                });
        };
        auto toggle = [&](const QString& label, const QString& help, auto get) {
            form_->toggle(
                label, help,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* v = r ? get(*r) : nullptr;
                    return v ? std::optional(*v) : std::nullopt;
                },
                [=](Scene& s, bool v) {
                    if (auto* r = at(s))
                        if (auto* to = get(*r)) *to = v;
                });
        };
        form_->text(
            "name", "What the rig is called.",
            [=](const Scene& s) {
                auto* r = at(s);
                return r ? std::optional(r->name) : std::nullopt;
            },
            [=](Scene& s, const std::string& v) {
                if (auto* r = at(s)) r->name = v;
            });
        form_->heading("Balance (no new rendering)");
        for (size_t g = 0; g < rig.groups.size(); ++g) {
            const QString name = QString::fromStdString(rig.groups[g].name);
            number(name, "Stops for all lights of this group.", {-6.f, 6.f, 0.f, false, false, "stops"},
                   [g](Rig& r) { return g < r.groups.size() ? &r.groups[g].exposure : nullptr; });
        }
        form_->heading("Environment");
        toggle("on", "Light from all around.", [](Rig& r) { return &r.environment.on; });
        form_->file(
            "image", "An equirectangular picture; without one, the tint is the light.",
            QString("Images (%1)").arg(QString::fromStdString(texture::picture_patterns())),
            [=](const Scene& s) {
                auto* r = at(s);
                return r ? std::optional(r->environment.image) : std::nullopt;
            },
            [=](Scene& s, const std::string& v) {
                if (auto* r = at(s)) r->environment.image = v;
            });
        number("rotation", "Turns the environment about the vertical.", {-180.f, 180.f, 0.f, false, false, "deg"},
               [](Rig& r) { return &r.environment.rotation; });
        number("exposure", "Brightness of the environment.", {-6.f, 6.f, 0.f, false, false, "stops"},
               [](Rig& r) { return &r.environment.exposure; });
        toggle("seen", "The camera sees the environment behind the asset.", [](Rig& r) { return &r.environment.seen; });
        color("tint", "Multiplies the environment.", V3f(1.f), [](Rig& r) { return &r.environment.tint; });
        color("backdrop", "What stands behind the asset where the environment is not seen.", V3f(.18f),
              [](Rig& r) { return &r.environment.backdrop; });
        form_->heading("Stage");
        toggle("stage on", "A floor under the asset.", [](Rig& r) { return &r.stage.on; });
        color("stage colour", "Colour of the floor.", V3f(.18f), [](Rig& r) { return &r.stage.color; });
        number("stage roughness", "How blurred the floor's reflection is.", {0.f, 1.f, .5f, true},
               [](Rig& r) { return &r.stage.roughness; });
        number("stage height", "Where the floor lies.", {-1.f, 1.f, 0.f, false, false, "m"},
               [](Rig& r) { return &r.stage.height; });
        for (size_t i = 0; i < rig.lights.size(); ++i) {
            auto light = [i](Rig& r) { return i < r.lights.size() ? &r.lights[i] : nullptr; };
            const scene::Light& l = rig.lights[i];
            form_->heading(QString::fromStdString(l.name) + "  (" + QString::fromStdString(l.shape) + ")");
            const QString id = QString::fromStdString(l.name) + " ";
            toggle(id + "on", "Light on or off.", [=](Rig& r) {
                auto* x = light(r);
                return x ? &x->on : nullptr;
            });
            number(id + "exposure", "Brightness.", {-6.f, 6.f, 0.f, false, false, "stops"}, [=](Rig& r) {
                auto* x = light(r);
                return x ? &x->exposure : nullptr;
            });
            number(id + "intensity", "Radiance of its surface at exposure 0.", {0.f, 100.f, 10.f}, [=](Rig& r) {
                auto* x = light(r);
                return x ? &x->intensity : nullptr;
            });
            color(id + "colour", "Colour of the light.", V3f(1.f), [=](Rig& r) {
                auto* x = light(r);
                return x ? &x->color : nullptr;
            });
            form_->vector(
                id + "position", "Where it stands, metres.", {-3.f, 3.f, 0.f}, 3,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* x = r ? light(*r) : nullptr;
                    return x ? std::optional(x->position) : std::nullopt;
                },
                [=](Scene& s, const V3f& v) {
                    if (auto* r = at(s))
                        if (auto* x = light(*r)) x->position = v;
                });
            QStringList kinds;
            for (const render::LightKind& k : render::light_kinds()) kinds << k.title;
            form_->choice(
                id + "shape", "Its shape.", kinds,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* x = r ? light(*r) : nullptr;
                    return x ? std::optional(int(&render::light_kind(x->shape) - render::light_kinds().data()))
                             : std::nullopt;
                },
                [=](Scene& s, int v) {
                    if (auto* r = at(s))
                        if (auto* x = light(*r)) x->shape = render::light_kinds()[size_t(v)].name;
                });
            for (const render::LightRow& of_kind : render::light_kind(l.shape).rows) kind_row(of_kind, id, at, light);
            form_->button("Remove " + QString::fromStdString(l.name), "Takes the light out of the rig.", [this, at, i] {
                bench_.edit("Remove light", [&](Scene& s) {
                    if (auto* r = at(s); r && i < r->lights.size()) r->lights.erase(r->lights.begin() + long(i));
                });
            });
        }
    }
    /// A row that only lights of one kind have.
    template <class At, class Light> void kind_row(const render::LightRow& row, const QString& id, At at, Light light) {
        using What = render::LightRow::What;
        auto vector = [&](int components, NumberRange range, auto get, auto set) {
            form_->vector(
                id + row.label, row.help, range, components,
                [=](const Scene& s) {
                    auto* r = at(s);
                    auto* x = r ? light(*r) : nullptr;
                    return x ? std::optional(get(*x)) : std::nullopt;
                },
                [=](Scene& s, const V3f& v) {
                    if (auto* r = at(s))
                        if (auto* x = light(*r)) set(*x, v);
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
                form_->number(
                    id + row.label, row.help, {.01f, 3.f, .5f},
                    [=](const Scene& s) {
                        auto* r = at(s);
                        auto* x = r ? light(*r) : nullptr;
                        return x ? std::optional(x->size.x) : std::nullopt;
                    },
                    [=](Scene& s, float v) {
                        if (auto* r = at(s))
                            if (auto* x = light(*r)) x->size.x = std::max(1e-3f, v);
                    });
                break;
        }
    }
    Workbench& bench_;
    QListWidget* list_;
    QScrollArea* area_;
    Form* form_ = nullptr;
    std::string shape_ = "?";
    bool filling_ = false;
};

}  // namespace

QWidget* make_rigs_page(Workbench& bench) {
    return new RigsPage(bench);
}

}  // namespace vemtra::app
