#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

#include "app/drawer/drawer.h"
#include "app/theme/theme.h"
#include "nodes/description.h"
#include "scene/slot_names.h"

namespace vemtra::app {
namespace {

/// "name  linear 0.5 0.2 0.1  sRGB 188 124 89  #bc7c59  roughness 0.3"
QString as_text(const scene::KeptValue& v) {
    int c[3];
    for (int k = 0; k < 3; ++k) c[k] = int(std::lround(255.f * linear_to_srgb(clamp01(v.color[k]))));
    return QString("%1  linear %2 %3 %4  sRGB %5 %6 %7  %8  roughness %9")
        .arg(QString::fromStdString(v.name))
        .arg(double(v.color.x), 0, 'g', 4)
        .arg(double(v.color.y), 0, 'g', 4)
        .arg(double(v.color.z), 0, 'g', 4)
        .arg(c[0])
        .arg(c[1])
        .arg(c[2])
        .arg(QColor(c[0], c[1], c[2]).name())
        .arg(double(v.roughness), 0, 'g', 3);
}

class KeptValuesPage : public QWidget {
public:
    explicit KeptValuesPage(Workbench& bench) : bench_(bench) {
        auto* row = new QHBoxLayout(this);
        row->setContentsMargins(6, 6, 6, 6);
        list_ = new QListWidget;
        list_->setObjectName("kept-values");
        list_->setIconSize(QSize(34, 18));
        list_->setEditTriggers(QAbstractItemView::EditKeyPressed);
        row->addWidget(list_, 1);
        auto* buttons = new QVBoxLayout;
        add_button(buttons, "Write down", "Keeps the selected layer's colour and roughness as they are shown now",
                   [this] { write_down(); });
        add_button(buttons, "Use", "Gives them to the selected layer", [this] { use(); });
        add_button(buttons, "Copy", "Copies all as text: linear, sRGB in 8 bits, hexadecimal", [this] { copy(); });
        add_button(buttons, "Remove", "Crosses the chosen one out", [this] {
            const int i = list_->currentRow();
            bench_.edit("Remove kept value", [&](scene::Scene& s) {
                if (i >= 0 && i < int(s.kept_values.size())) s.kept_values.erase(s.kept_values.begin() + i);
            });
        });
        buttons->addStretch();
        row->addLayout(buttons);
        hint_ = new QLabel(
            "Nothing written down yet. Find the cleanest and the most worn value\nof a layer, and write both down.",
            list_->viewport());
        hint_->move(14, 12);
        connect(&bench_, &Workbench::changed, this, [this] { fill(); });
        fill();
    }

private:
    static const char* color_slot(const scene::Layer& l) {
        return scene::traits(l.kind).hides ? scene::slot::base_color : scene::slot::coat_color;
    }
    static const char* rough_slot(const scene::Layer& l) {
        return scene::traits(l.kind).hides ? scene::slot::specular_roughness : scene::slot::coat_roughness;
    }
    static scene::Value shown(const scene::Layer& l, const char* slot) {
        const auto it = l.surface.find(slot);
        return it == l.surface.end() ? nodes::slots_of(l).port(slot)->value : it->second.shown();
    }
    void write_down() {
        const auto* l = bench_.layer();
        if (!l) return;
        scene::KeptValue v{
            l->name,
            scene::as_vector(shown(*l, color_slot(*l)), V3f(scene::as_number(shown(*l, color_slot(*l))))),
            scene::as_number(shown(*l, rough_slot(*l))),
            {}};
        bench_.edit("Write down values", [&](scene::Scene& s) { s.kept_values.push_back(v); });
    }
    void use() {
        const int i = list_->currentRow();
        const auto* l = bench_.layer();
        if (!l || i < 0 || i >= int(bench_.scene().kept_values.size())) return;
        const scene::KeptValue v = bench_.scene().kept_values[size_t(i)];
        bench_.edit_build_up("Use " + v.name, [&](scene::BuildUp& b) {
            auto* to = scene::find(b.layers, bench_.selection().layer);
            if (!to) return;
            to->surface[color_slot(*to)].value = v.color;
            to->surface[rough_slot(*to)].value = v.roughness;
        });
    }
    void copy() {
        QStringList lines;
        for (const auto& v : bench_.scene().kept_values) lines << as_text(v);
        QApplication::clipboard()->setText(lines.join("\n"));
        Q_EMIT bench_.said(QString("%1 values copied as text").arg(lines.size()));
    }
    void fill() {
        if (shown_ == bench_.scene().kept_values && list_->count()) return;
        shown_ = bench_.scene().kept_values;
        const int current = list_->currentRow();
        list_->clear();
        for (const auto& v : shown_) {
            QPixmap p(34, 18);
            p.fill(swatch(v.color));
            list_->addItem(new QListWidgetItem(QIcon(p), as_text(v)));
        }
        list_->setCurrentRow(std::min(current, list_->count() - 1));
        hint_->setVisible(shown_.empty());
    }
    Workbench& bench_;
    QListWidget* list_;
    QLabel* hint_;
    std::vector<scene::KeptValue> shown_;
};

}  // namespace

QWidget* make_kept_values_page(Workbench& bench) {
    return new KeptValuesPage(bench);
}

}  // namespace vemtra::app
