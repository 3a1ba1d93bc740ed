#include <QHBoxLayout>
#include <QHeaderView>
#include <QTreeWidget>

#include "app/detail/scene_forms.h"
#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "scene/edits.h"

namespace vemtra::app {
namespace {

using scene::Rig;
using scene::Scene;

void add_light(Scene& s) {
    Rig* rig = const_cast<Rig*>(scene::active_rig(s));
    if (!rig) return;
    scene::Light l;
    l.name = "Light " + std::to_string(rig->lights.size() + 1);
    l.id = scene::fresh_id(scene::ids_of(rig->lights), scene::stem_of(l.name));
    l.group = l.id;
    if (const scene::Camera* camera = scene::active_camera(s)) {
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
}

/// Rigs with their lights, cameras, and the settings of pictures: a list; what is chosen is edited in detail.
class RigsPage : public QWidget {
public:
    explicit RigsPage(Workbench& bench) : bench_(bench) {
        auto* box = new QVBoxLayout(this);
        box->setContentsMargins(6, 6, 6, 6);
        tree_ = new QTreeWidget;
        tree_->setObjectName("rigs");
        tree_->setColumnCount(3);
        tree_->setHeaderLabels({"Rigs, lights and cameras", "What it is", "How bright"});
        tree_->header()->setStretchLastSection(false);
        tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
        tree_->setColumnWidth(1, 150);
        tree_->setColumnWidth(2, 110);
        box->addWidget(tree_);
        auto* row = new QHBoxLayout;
        add_button(row, "Duplicate rig", "A copy of the rig in use, to change", [this] {
            bench_.edit("Duplicate rig", [](Scene& s) {
                const Rig* now = scene::active_rig(s);
                if (!now) return;
                Rig copy = *now;
                copy.name += " copy";
                copy.id = scene::FreshIds(scene::ids_of(s.rigs)).take(scene::stem_of(copy.name));
                s.rig = copy.id;
                s.rigs.push_back(copy);
            });
            bench_.show_form(rig_form);
        });
        add_button(row, "Add light", "A rectangle light to the right of the camera", [this] {
            bench_.edit("Add light", add_light);
            if (const Rig* rig = scene::active_rig(bench_.scene()); rig && !rig->lights.empty())
                bench_.show_form(light_form + rig->lights.back().id);
        });
        row->addStretch(1);
        box->addLayout(row);
        connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
            if (item && !filling_)
                QMetaObject::invokeMethod(
                    this, [this] { choose(); }, Qt::QueuedConnection);
        });
        connect(&bench_, &Workbench::changed, this, [this] { fill(); });
        connect(&bench_, &Workbench::selection_changed, this, [this] { fill(); });
        fill();
    }

private:
    static std::string word(const QTreeWidgetItem& item, int role) {
        return item.data(0, role).toString().toStdString();
    }
    enum { form_role = Qt::UserRole, rig_role = Qt::UserRole + 1 };
    void choose() {
        const QTreeWidgetItem* item = tree_->currentItem();
        if (!item) return;
        const std::string rig = word(*item, rig_role);
        const std::string form = word(*item, form_role);
        if (!rig.empty() && rig != bench_.scene().rig) bench_.edit("Choose rig", [&](Scene& s) { s.rig = rig; });
        bench_.show_form(form);
    }
    QTreeWidgetItem* item(QTreeWidgetItem* above, const std::string& name, const QString& what, const std::string& form,
                          const std::string& rig) {
        const QStringList texts{QString::fromStdString(name), what};
        auto* i = above ? new QTreeWidgetItem(above, texts) : new QTreeWidgetItem(tree_, texts);
        i->setData(0, form_role, QString::fromStdString(form));
        i->setData(0, rig_role, QString::fromStdString(rig));
        return i;
    }
    void fill() {
        const Scene& s = bench_.scene();
        const std::string& now = bench_.selection().form;
        std::string key = s.rig + "|" + now + "|";
        for (const Rig& r : s.rigs) {
            key += r.id + r.name + ",";
            for (const auto& l : r.lights)
                key += l.id + l.name + l.shape + std::to_string(l.exposure) + (l.on ? "1" : "0") + ";";
        }
        for (const auto& c : s.cameras) key += c.id + c.name + std::to_string(c.focal_length) + ";";
        if (key == key_) return;
        key_ = key;
        filling_ = true;
        tree_->clear();
        QTreeWidgetItem* chosen = nullptr;
        auto mark = [&](QTreeWidgetItem* i, bool here) {
            if (here && word(*i, form_role) == now) chosen = i;
        };
        const Rig* active = scene::active_rig(s);
        for (const Rig& r : s.rigs) {
            const bool used = &r == active;
            auto* i = item(nullptr, r.name, used ? "rig in use" : "rig", rig_form, r.id);
            if (used) i->setFont(0, strong_font());
            mark(i, used);
            for (const auto& l : r.lights) {
                auto* light = item(i, l.name, QString::fromStdString(l.shape) + " light", light_form + l.id, r.id);
                light->setText(2, l.on ? QString("%1 stops").arg(double(l.exposure), 0, 'f', 1) : QString("off"));
                mark(light, used);
            }
            i->setExpanded(used);
        }
        for (const auto& c : s.cameras) {
            auto* i = item(nullptr, c.name.empty() ? c.id : c.name,
                           QString("camera, %1 mm").arg(double(c.focal_length), 0, 'f', 0), camera_form + c.id, "");
            mark(i, true);
        }
        mark(item(nullptr, "Pictures", "size, samples, limits", picture_form, ""), true);
        if (chosen) tree_->setCurrentItem(chosen);
        filling_ = false;
    }
    Workbench& bench_;
    QTreeWidget* tree_;
    std::string key_ = "?";
    bool filling_ = false;
};

}  // namespace

QWidget* make_rigs_page(Workbench& bench) {
    return new RigsPage(bench);
}

}  // namespace vemtra::app
