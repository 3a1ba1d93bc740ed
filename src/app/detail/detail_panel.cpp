#include "app/detail/detail_panel.h"

#include <QLabel>
#include <QLineEdit>
#include <QScrollBar>
#include <QTimer>
#include <QVBoxLayout>
#include <set>

#include "app/bench/decal_tool.h"
#include "app/detail/brush_form.h"
#include "app/detail/decal_form.h"
#include "app/detail/form.h"
#include "app/detail/height_plot.h"
#include "app/detail/levels_plot.h"
#include "app/detail/list_rows.h"
#include "app/detail/part_form.h"
#include "app/detail/port_rows.h"
#include "app/detail/scene_forms.h"
#include "app/theme/theme.h"
#include "nodes/description.h"
#include "nodes/frame.h"
#include "nodes/map_stack.h"
#include "nodes/plain_names.h"
#include "scene/edits.h"

namespace vemtra::app {

using nodes::Port;
using nodes::Type;
using scene::Input;
using scene::Scene;

DetailPanel::DetailPanel(Workbench& bench, QWidget* parent) : QScrollArea(parent), bench_(bench) {
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setObjectName("detail");
    auto* holder = new QWidget(viewport());
    auto* all = new QVBoxLayout(holder);
    all->setContentsMargins(0, 0, 0, 0);
    setWidget(holder);
    connect(&bench_, &Workbench::selection_changed, this, &DetailPanel::wait);
    connect(&bench_, &Workbench::changed, this, &DetailPanel::refresh);
    connect(&bench_, &Workbench::measured_changed, this, &DetailPanel::refresh);
    connect(&bench_, &Workbench::arranging_changed, this, &DetailPanel::refresh);
    connect(&bench_.painter(), &Painter::tool_changed, this, &DetailPanel::refresh);
    connect(&bench_.decals(), &DecalTool::tool_changed, this, &DetailPanel::refresh);
    refresh();
}

std::string DetailPanel::shape() const {
    const Selection& s = bench_.selection();
    std::string key = s.build_up + "|" + s.layer + "|" + s.node + "|";
    if (bench_.painter().armed()) return shape_of_brush(bench_);
    if (bench_.arranging().on())
        return key + "arranged" + (bench_.arranging().whole_asset() ? " whole" : "") +
               std::to_string(bench_.scene().parts.size());
    if (!s.form.empty()) return key + shape_of_scene_form(bench_.scene(), s.form);
    if (const auto* n = bench_.node())
        key += n->kind + n->type + n->network + nodes::word_of(*n, nodes::Role::list_order) +
               (n->held.empty() ? "" : " held");
    else if (const auto* l = bench_.layer())
        for (const auto& [name, input] : l->surface) {
            if (!input.from.empty()) key += name + ",";
            if (input.worn) key += name + "+,";
        }
    if (const auto* l = bench_.layer()) key += std::to_string(l->decal.pins.size()) + "@";
    if (const auto* l = bench_.layer()) key += std::string(scene::traits(l->kind).name) + "|" + l->build_up;
    return key;
}

void DetailPanel::wait() {
    if (std::exchange(waits_, true)) return;
    QTimer::singleShot(0, this, &DetailPanel::now);
}
void DetailPanel::refresh() {
    if (waits_) return;
    if (!form_ || shape_ != shape()) rebuild();
    form_->refresh();
    if (plot_)
        if (const auto* n = bench_.node()) {
            const review::Histogram* h = nullptr;
            if (bench_.measured().build_up == bench_.selection().build_up)
                if (auto it = bench_.measured().nodes.find(nodes::source_of(*n, nodes::Role::subject));
                    it != bench_.measured().nodes.end())
                    h = &it->second.values;
            plot_->set_histogram(h);
            plot_->set_cuts(nodes::number_of(*n, nodes::Role::cut_low), nodes::number_of(*n, nodes::Role::cut_high));
        }
}

void DetailPanel::build() {
    if (bench_.painter().armed()) return build_brush(*form_, bench_);
    if (bench_.arranging().on() && bench_.part()) return build_part(*form_, bench_);
    if (build_scene_form(*form_, bench_, bench_.selection().form)) return;
    if (const auto* n = bench_.node()) return build_node(*n);
    if (const auto* l = bench_.layer()) return build_layer(*l);
    form_->note("Nothing is selected. Click a layer or a tile on the board, or a part in the picture.");
}

void DetailPanel::rebuild() {
    shape_ = shape();
    plot_ = nullptr;
    filters_ = false;
    Form* const before = form_;
    if (before) before->give_up();
    form_ = new Form(bench_, widget());
    build();
    if (filters_ && !filter_.isEmpty()) form_->filter(filter_);
    if (verticalScrollBar()->value() > 0) form_->finish();  // what is looked at stays where it is
    // What is taken out of its parent is styled anew with all that is in it, even on its way out.
    if (before) {
        widget()->layout()->removeWidget(before);
        before->hide();
        before->deleteLater();
    }
    widget()->layout()->addWidget(form_);
}

namespace {

/// Reaches the layer of a scene; null where it is gone.
struct LayerPlace {
    std::string build_up, layer;
    const scene::Layer* in(const Scene& s) const {
        const auto* b = scene::find(s.build_ups, build_up);
        return b ? scene::find(b->layers, layer) : nullptr;
    }
    scene::Layer* in(Scene& s) const {
        auto* b = scene::find(s.build_ups, build_up);
        return b ? scene::find(b->layers, layer) : nullptr;
    }
};

/// A row for a member of the layer.
template <class Get> void amount_row(Form& form, const char* title, const char* help, const LayerPlace& at, Get get) {
    form.number(
        title, help, {0.f, 1.f, 1.f, true},
        [=](const Scene& s) {
            const scene::Layer* l = at.in(s);
            return l ? std::optional<float>(get(*l)) : std::nullopt;
        },
        [=](Scene& s, float v) {
            if (scene::Layer* l = at.in(s)) get(*l) = v;
        });
}

}  // namespace

/// A line that leaves only the rows with these letters.
void DetailPanel::add_filter() {
    filters_ = true;
    auto* line = new QLineEdit(filter_);
    line->setPlaceholderText("Find a setting");
    line->setClearButtonEnabled(true);
    line->setObjectName("find-setting");
    connect(line, &QLineEdit::textChanged, this, [this](const QString& text) {
        filter_ = text;
        form_->filter(text);
    });
    form_->widget(line);
}

void DetailPanel::build_layer(const scene::Layer& layer) {
    const LayerPlace at{bench_.selection().build_up, layer.id};
    const bool base = bench_.build_up()->layers.front().id == layer.id;
    form_->heading(base ? "Base layer" : layer.decal.pins.empty() ? scene::traits(layer.kind).title : "Decal");
    add_filter();
    form_->text(
        "name", "What the layer is called on the board.",
        [=](const Scene& s) {
            const scene::Layer* l = at.in(s);
            return l ? std::optional(l->name) : std::nullopt;
        },
        [=](Scene& s, const std::string& v) {
            if (scene::Layer* l = at.in(s)) l->name = v;
        });
    form_->text(
        "note", "What is worth knowing about it; shown in its lane.",
        [=](const Scene& s) {
            const scene::Layer* l = at.in(s);
            return l ? std::optional(l->note) : std::nullopt;
        },
        [=](Scene& s, const std::string& v) {
            if (scene::Layer* l = at.in(s)) l->note = v;
        });
    if (!base) {
        amount_row(
            *form_, "amount", "How much of the layer is there at all: 0.5 is half there everywhere.", at,
            [](auto& l) -> auto& { return l.amount; });
        const Port gate{.name = scene::gate_slot,
                        .help = "The mask: white shows the layer, black hides it.",
                        .value = 1.f,
                        .hard = true};
        add_port(bench_, *form_, gate, Type::number, reach_slot(at.build_up, at.layer, gate));
        amount_row(
            *form_, "gate amount", "Towards 0 the mask is pushed to white: the gate stands open.", at,
            [](auto& l) -> auto& { return l.gate.amount; });
    }
    if (!base && !layer.decal.pins.empty()) build_decal(*form_, bench_, layer);
    if (scene::traits(layer.kind).may_be_build_up) {
        build_made_of(layer);
        if (!layer.build_up.empty()) {
            form_->note("This layer is a whole build-up. Select a part that wears it to change it.");
            return;
        }
    }
    build_slots(layer);
}

/// Another build-up may stand in place of a surface, unless that would run in a circle.
void DetailPanel::build_made_of(const scene::Layer& layer) {
    const LayerPlace at{bench_.selection().build_up, layer.id};
    const std::vector<char> reaches = scene::BuildUpReach(bench_.scene()).to(at.build_up);
    std::vector<std::string> ids{""};
    QStringList names{"surface of its own"};
    for (size_t i = 0; i < bench_.scene().build_ups.size(); ++i) {
        if (reaches[i]) continue;
        const scene::BuildUp& other = bench_.scene().build_ups[i];
        ids.push_back(other.id);
        names << QString::fromStdString(other.name);
    }
    if (ids.size() == 1) return;
    form_->choice(
        "made of", "A surface of its own, or a finished build-up as a layer of this one.", names,
        [=](const Scene& s) -> std::optional<int> {
            const scene::Layer* l = at.in(s);
            if (!l) return std::nullopt;
            const auto it = std::find(ids.begin(), ids.end(), l->build_up);
            return it == ids.end() ? 0 : int(it - ids.begin());
        },
        [=](Scene& s, int i) {
            if (scene::Layer* l = at.in(s)) l->build_up = ids[size_t(i)];
        });
}

/// The slots of the layer's surface: what is wired first, then group by group.
void DetailPanel::build_slots(const scene::Layer& layer) {
    const std::string& b = bench_.selection().build_up;
    const auto& ports = nodes::slots_of(layer).ports;
    auto input_of = [&](const Port& p) -> const scene::Input* {
        const auto it = layer.surface.find(p.name);
        return it == layer.surface.end() ? nullptr : &it->second;
    };
    auto wired = [&](const Port& p) {
        const scene::Input* i = input_of(p);
        return i && !i->from.empty();
    };
    auto changed = [&](const Port& p) {
        const scene::Input* i = input_of(p);
        return i && (!i->from.empty() || i->worn || !(i->value == p.value));
    };
    // What is wired and what differs from the default comes first; a value that is changed now stays where it is.
    std::set<std::string> first;
    for (const Port& p : ports)
        if (changed(p)) first.insert(p.name);
    if (!first.empty()) {
        form_->heading("Set here");
        for (const bool of_wired : {true, false})
            for (const Port& p : ports)
                if (first.contains(p.name) && wired(p) == of_wired)
                    form_->later([this, form = form_, &p, of_wired, b, l = layer.id] {
                        add_port(bench_, *form, p, p.type, reach_slot(b, l, p));
                        if (of_wired && p.name == nodes::slot::height) add_height_source(l);
                    });
    }
    // The first two groups are always of use.
    for (size_t i = 0; i < ports.size();) {
        const std::string group = ports[i].section;
        size_t end = i;
        const bool used = i == 0 || group == "specular";
        size_t left = 0;
        for (; end < ports.size() && ports[end].section == group; ++end) left += !first.contains(ports[end].name);
        if (!left) {
            i = end;
            continue;
        }
        std::vector<const Port*> rows;
        for (; i < end; ++i)
            if (!first.contains(ports[i].name)) rows.push_back(&ports[i]);
        form_->later([this, form = form_, group, used, rows, b, l = layer.id] {
            form->fold(
                QString::fromStdString(group), used,
                [this, form, rows, b, l] {
                    for (const Port* p : rows)
                        form->later(
                            [this, form, p, b, l] { add_port(bench_, *form, *p, p->type, reach_slot(b, l, *p)); });
                },
                [rows](const QString& words) {
                    return std::any_of(rows.begin(), rows.end(),
                                       [&](const Port* p) { return is_mentioned(*p, words); });
                });
        });
    }
}

/// What the map that is wired to a layer's height holds.
void DetailPanel::add_height_source(const std::string& of_layer) {
    const scene::BuildUp* b = bench_.build_up();
    const scene::Layer* layer = b ? scene::find(b->layers, of_layer) : nullptr;
    const auto height = layer ? layer->surface.find(nodes::slot::height) : scene::Inputs::const_iterator();
    if (!layer || height == layer->surface.end()) return;
    const scene::Node* map = scene::find_node(*b, height->second.from).node;
    if (!map || !nodes::has_use(*map, nodes::Use::map)) return;
    const LayerPlace at{bench_.selection().build_up, of_layer};
    auto* plot = new HeightPlot;
    form_->widget(plot);
    auto* words = new QLabel;
    words->setWordWrap(true);
    words->setObjectName("height-words");
    form_->widget(words);
    form_->also([=, this] {
        const review::HeightSource* source = bench_.height_source(at.layer);
        const scene::Layer* l = at.in(bench_.scene());
        plot->set_source(source);
        if (!l || !source) return words->clear();
        auto number = [&](const char* name) {
            return scene::as_number(nodes::literal_of(l->surface, *nodes::slots_of(*l).port(name)));
        };
        const float metres = number(nodes::slot::height_scale) * number(nodes::slot::height_strength);
        plot->set_marks(number(nodes::slot::height_low), number(nodes::slot::height_high),
                        number(nodes::slot::height_neutral), metres);
        const QString kind = source->floating ? QString("Floats") : QString("%1 bits").arg(source->bits);
        const QString levels = QString("%1: %2 levels over what it uses, %3 deep.")
                                   .arg(kind)
                                   .arg(source->levels)
                                   .arg(length_text((source->ends.y - source->ends.x) * metres));
        words->setText(source->bits <= 8 ? levels
                                         : levels + QString(" 8 bits would leave %1 of them.").arg(source->levels_8));
    });
    form_->button("Take the map's range",
                  "Limits and neutral value become what the map holds: the ends between which 998 in a thousand texels "
                  "lie, and the value that most are near.",
                  [=, this] {
                      const review::HeightSource* source = bench_.height_source(at.layer);
                      if (!source) {
                          Q_EMIT bench_.said("The map is not read yet");
                          return;
                      }
                      bench_.edit("Take the map's range", [&, s = *source](Scene& x) {
                          if (scene::Layer* l = at.in(x)) review::take_range(*l, s);
                      });
                  });
}

/// Whether the node counts, its other version, what was noted about it.
void DetailPanel::add_states(const std::string& id) {
    const std::string b = bench_.selection().build_up;
    auto with = [=](const Scene& s) -> scene::Node* {
        auto* build_up = scene::find(const_cast<Scene&>(s).build_ups, b);
        return build_up ? scene::node(*build_up, id) : nullptr;
    };
    form_->text(
        "note", "What is worth knowing about it; shown with the tile.",
        [=](const Scene& s) {
            auto* n = with(s);
            return n ? std::optional(n->note) : std::nullopt;
        },
        [=](Scene& s, const std::string& v) {
            if (auto* n = with(s)) n->note = v;
        });
    form_->toggle(
        "bypassed", "What it works on passes as it is.",
        [=](const Scene& s) {
            auto* n = with(s);
            return n ? std::optional(n->bypassed) : std::nullopt;
        },
        [=](Scene& s, bool v) {
            if (auto* n = with(s)) n->bypassed = v;
        });
    const scene::Node* now = bench_.node();
    if (now && !now->held.empty())
        form_->button("Flip to the held version", "The values that are held and those that stand change places.",
                      [this] { bench_.node_work().flip_version(); });
}

/// The node of that id, wherever the scene has it.
static auto node_in(const std::string& build_up, const std::string& id) {
    return [=](const Scene& s) -> scene::Node* {
        auto* b = scene::find(const_cast<Scene&>(s).build_ups, build_up);
        return b ? scene::node(*b, id) : nullptr;
    };
}

/// Of nodes that work on more than one type.
void DetailPanel::add_type(std::shared_ptr<const nodes::NodeDescription> d, const std::string& b,
                           const std::string& id) {
    const auto with = node_in(b, id);
    QStringList names;
    for (Type t : d->types)
        names << QString("%1  %2").arg(QChar(nodes::type_letter(t))).arg(QString::fromStdString(nodes::plain_name(t)));
    form_->choice(
        "carries", "What the node works on and gives.", names,
        [=](const Scene& s) {
            auto* n = with(s);
            return n ? std::optional(
                           int(std::find(d->types.begin(), d->types.end(), d->output_type(*n)) - d->types.begin()))
                     : std::nullopt;
        },
        [=](Scene& s, int i) {
            if (auto* n = with(s)) n->type = nodes::type_name(d->types[size_t(i)]);
        });
}

/// The histogram of what arrives, with the ends that are cut off.
void DetailPanel::add_levels(const std::string& b, const std::string& id) {
    const auto with = node_in(b, id);
    plot_ = new LevelsPlot;
    form_->widget(plot_);
    connect(plot_, &LevelsPlot::moved, this, [=, this](bool high, float v) {
        bench_.edit(
            "Levels",
            [&](Scene& s) {
                if (auto* n = with(s)) nodes::set(*n, high ? nodes::Role::cut_high : nodes::Role::cut_low, v);
            },
            "levels " + id);
    });
    connect(plot_, &LevelsPlot::settled, this, [this] { bench_.end_merge(); });
    form_->button("Fit the ends to what arrives",
                  "The lowest and the highest hundredth of the visible surface become the two ends.", [=, this] {
                      const auto& measured = bench_.measured();
                      const scene::Node* n = bench_.node();
                      const auto it = n && measured.build_up == b
                                          ? measured.nodes.find(nodes::source_of(*n, nodes::Role::subject))
                                          : measured.nodes.end();
                      if (it == measured.nodes.end() || it->second.values.points == 0) {
                          Q_EMIT bench_.said("Nothing arrives on what the camera sees");
                          return;
                      }
                      const V2f ends = it->second.values.between(.01f, .99f);
                      bench_.edit("Fit ends", [&](Scene& s) {
                          if (auto* x = with(s)) {
                              nodes::set(*x, nodes::Role::cut_low, ends.x);
                              nodes::set(*x, nodes::Role::cut_high, ends.y);
                          }
                      });
                  });
}

void DetailPanel::build_node(const scene::Node& node) {
    const std::string b = bench_.selection().build_up;
    const std::string id = node.id;
    const std::shared_ptr<const nodes::NodeDescription> d = nodes::describe(bench_.scene(), node);
    if (!d) {
        form_->heading("Unknown node");
        form_->note("This version has no node of the kind '" + QString::fromStdString(node.kind) +
                    "'. It is kept in the file, and its readers use their own values.");
        return;
    }
    form_->heading(QString::fromStdString(d->title));
    form_->note(QString::fromStdString(d->help));
    if (const std::string says = nodes::plain_formula(*d); !says.empty()) form_->note(QString::fromStdString(says));
    const auto with = node_in(b, id);
    form_->text(
        "name", "What the tile is called on the board.",
        [=](const Scene& s) {
            auto* n = with(s);
            return n ? std::optional(n->name) : std::nullopt;
        },
        [=](Scene& s, const std::string& v) {
            if (auto* n = with(s)) n->name = v;
        });
    if (d->types.size() > 1) add_type(d, b, id);
    if (d->port(nodes::Role::cut_low) && d->port(nodes::Role::subject)) add_levels(b, id);
    if (nodes::has_use(node, nodes::Use::painting))
        form_->button("Take the brush", "Strokes in the picture go to this painting (Q).",
                      [this, id] { bench_.painter().arm(id); });
    if (nodes::is_stack(node)) build_stack(*form_, bench_, node);
    if (d->port(nodes::Role::knot)) build_curves(*form_, bench_, node, *d);
    if (nodes::has_pin(*d))
        form_->button("Place in the picture",
                      "Click a place on the asset: it becomes the middle, and the surface's direction there the axis.",
                      [=, this] {
                          bench_.picking().pick_place([=, this](const SurfaceSpot& spot) {
                              bench_.edit("Place " + id, [&](Scene& s) {
                                  if (auto* n = with(s)) nodes::place(*n, spot.position, spot.normal, true);
                              });
                          });
                      });
    if (nodes::is_pinned_mask(node))
        form_->button(
            "Another one in this mask",
            "Click a place on the asset: a copy of this pin goes there, and the mask is where either is. In the "
            "picture: Ctrl and drag its middle.",
            [=, this] {
                bench_.picking().pick_place([=, this](const SurfaceSpot& spot) {
                    std::string another;
                    bench_.edit_build_up("Another pin", [&](scene::BuildUp& to) {
                        another = nodes::another_pin(to, id);
                        if (scene::Node* n = scene::node(to, another))
                            nodes::place(*n, spot.position, spot.normal, true);
                    });
                    if (!another.empty()) bench_.select_node(another);
                });
            });
    const Type type = d->output_type(node);
    int stops = 2;
    if (const Port* n = d->port(nodes::Role::stop_count)) stops = int(nodes::number_of(node, *n));
    std::vector<const Port*> more;
    for (const Port& p : d->ports) {
        if (p.section.starts_with("entry ") || p.role == nodes::Role::list_order || p.role == nodes::Role::knot ||
            p.role == nodes::Role::knot_count)
            continue;                               // shown above, as a list or as a curve
        if (p.stop > std::max(stops, 4)) continue;  // a row per stop only where the ramp has that many
        if (p.stop == 0 && p.folded)
            more.push_back(&p);
        else
            form_->later([this, form = form_, d, &p, type, b, id] {
                add_port(bench_, *form, p, d->port_type(p, type), reach_node(b, id, p));
            });
    }
    if (!more.empty())
        form_->later([this, form = form_, d, more, type, b, id] {
            form->fold("More", false, [this, form, d, more, type, b, id] {
                for (const Port* p : more) add_port(bench_, *form, *p, d->port_type(*p, type), reach_node(b, id, *p));
            });
        });
    form_->later([this, id] { add_states(id); });
}

}  // namespace vemtra::app
