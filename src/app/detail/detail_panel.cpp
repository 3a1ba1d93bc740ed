#include "app/detail/detail_panel.h"

#include <QMenu>

#include "app/detail/form.h"
#include "app/detail/levels_plot.h"
#include "app/detail/part_form.h"
#include "app/theme/theme.h"
#include "nodes/description.h"
#include "nodes/frame.h"
#include "texture/picture_formats.h"
#include "scene/edits.h"

namespace vemtra::app {

using nodes::Port;
using nodes::Type;
using scene::Input;
using scene::Scene;

namespace {

/// How a row reaches its input: by ids, because the document may have changed since the row was made.
using Reach = std::function<Input*(Scene&, bool make)>;

Reach reach_node(const std::string& build_up, const std::string& node, const Port& port) {
    return [=](Scene& s, bool make) -> Input* {
        auto* b = scene::find(s.build_ups, build_up);
        auto* n = b ? scene::node(*b, node) : nullptr;
        if (!n) return nullptr;
        if (make) n->inputs.try_emplace(port.name, Input{port.value, {}});
        const auto it = n->inputs.find(port.name);
        return it == n->inputs.end() ? nullptr : &it->second;
    };
}
Reach reach_slot(const std::string& build_up, const std::string& layer, const Port& port) {
    return [=](Scene& s, bool make) -> Input* {
        auto* b = scene::find(s.build_ups, build_up);
        auto* l = b ? scene::find(b->layers, layer) : nullptr;
        if (!l) return nullptr;
        if (port.name == scene::gate_slot) return &l->gate.mask;
        if (make) l->surface.try_emplace(port.name, Input{port.value, {}});
        const auto it = l->surface.find(port.name);
        return it == l->surface.end() ? nullptr : &it->second;
    };
}

QString label_of(const Port& port) { return QString::fromStdString(port.name).replace('_', ' '); }

/// Numbers and colours of one end of an input: `end` gives the literal to read, or makes the place to write.
void add_literal(Form& form, const Port& port, Type type, const QString& label, const QString& help, const std::function<scene::Value(const Scene&)>& literal,
                 const std::function<void(Scene&, scene::Value)>& write) {
    const NumberRange range{port.low, port.high, scene::as_number(port.value), port.hard, port.whole || type == Type::integer, QString::fromStdString(port.unit)};
    auto number = [=](const Scene& s) { return std::optional(scene::as_number(literal(s))); };
    auto read = [=](const Scene& s) { return std::optional(scene::as_triple(literal(s))); };
    auto give = [=](Scene& s, const V3f& v) { write(s, nodes::to_value(type, v)); };
    switch (nodes::info(type).editor) {
        case nodes::Editor::number: form.number(label, help, range, number, [=](Scene& s, float v) { write(s, v); }); break;
        case nodes::Editor::toggle: form.toggle(label, help, [=](const Scene& s) { return std::optional(*number(s) > .5f); }, [=](Scene& s, bool v) { write(s, v ? 1.f : 0.f); }); break;
        case nodes::Editor::color: form.color(label, help, scene::as_triple(port.value), read, give); break;
        case nodes::Editor::vector: form.vector(label, help, range, std::min(3, nodes::components(type)), read, give); break;
        case nodes::Editor::words:
            form.text(label, help, [=](const Scene& s) { const auto v = literal(s); auto* t = std::get_if<std::string>(&v); return std::optional(t ? *t : std::string()); },
                      [=](Scene& s, const std::string& v) { write(s, v); });
            break;
        case nodes::Editor::none:  // a place has no value of its own: without a placement it is where the UVs are
            form.choice(label, help, {"the UVs"}, [](const Scene&) { return std::optional(0); }, [](Scene&, int) {});
            break;
    }
}

void add_port(Workbench& bench, Form& form, const Port& port, Type type, const Reach& reach) {
    const QString label = label_of(port), help = QString::fromStdString(port.help);
    auto literal = [=](const Scene& s) -> scene::Value {
        const Input* i = reach(const_cast<Scene&>(s), false);
        return i ? i->value : port.value;
    };
    if (port.role == nodes::Role::uv_set) {
        // The names that the assets bring.
        std::vector<std::string> sets{""};
        if (const auto image = bench.image())
            for (const auto& instance : image->prepared->geometry->instances())
                for (const std::string& name : instance.shape->uv_set_names())
                    if (std::find(sets.begin(), sets.end(), name) == sets.end()) sets.push_back(name);
        const scene::Value now = literal(bench.scene());
        if (const auto* t = std::get_if<std::string>(&now); t && std::find(sets.begin(), sets.end(), *t) == sets.end()) sets.push_back(*t);
        QStringList items{"the part's first"};
        for (size_t i = 1; i < sets.size(); ++i) items << QString::fromStdString(sets[i]);
        form.choice(label, help, items,
                    [=](const Scene& s) {
                        const auto v = literal(s);
                        auto* t = std::get_if<std::string>(&v);
                        return std::optional(t ? int(std::find(sets.begin(), sets.end(), *t) - sets.begin()) : 0);
                    },
                    [=](Scene& s, int i) { if (Input* in = reach(s, true)) in->value = sets[size_t(i)]; });
        return;
    }
    if (port.role == nodes::Role::file) {
        form.file(label, help, QString("Images (%1);;All files (*)").arg(QString::fromStdString(texture::picture_patterns())),
                  [=](const Scene& s) { auto v = literal(s); auto* t = std::get_if<std::string>(&v); return std::optional(t ? *t : std::string()); },
                  [=](Scene& s, const std::string& v) { if (Input* i = reach(s, true)) i->value = v; });
        return;
    }
    if (!port.choices.empty()) {
        QStringList items;
        for (const auto& c : port.choices) items << QString::fromStdString(c);
        const int first = int(port.low);
        form.choice(label, help, items,
                    [=](const Scene& s) {
                        const auto v = literal(s);
                        if (auto* t = std::get_if<std::string>(&v)) return std::optional(int(std::find(port.choices.begin(), port.choices.end(), *t) - port.choices.begin()));
                        return std::optional(int(scene::as_number(v)) - first);
                    },
                    [=](Scene& s, int i) {
                        if (Input* in = reach(s, true)) in->value = port.text ? scene::Value(port.choices[size_t(i)]) : scene::Value(float(i + first));
                    });
        return;
    }
    const Input* at_first = reach(const_cast<Scene&>(bench.scene()), false);
    const bool two_ends = at_first && at_first->worn;
    add_literal(form, port, type, two_ends ? label + ", clean" : label, help, literal, [=](Scene& s, const scene::Value& v) { if (Input* i = reach(s, true)) i->value = v; });
    if (port.uniform) return;
    auto source = [&bench, reach]() -> QString {
        const Input* i = reach(const_cast<Scene&>(bench.scene()), false);
        if (!i || i->from.empty()) return {};
        for (const auto& b : bench.scene().build_ups)
            if (const auto* n = scene::find_node(b, i->from).node; n && b.id == bench.selection().build_up) return QString::fromStdString(n->name.empty() ? n->id : n->name);
        return QString::fromStdString(i->from) + " (missing)";
    };
    form.connection([&bench, reach, label](const QPoint& at) {
        QMenu menu;
        const auto* b = bench.build_up();
        if (!b) return;
        const std::string own = bench.selection().node;
        const std::string text = label.toStdString();
        const Input* now = reach(const_cast<Scene&>(bench.scene()), false);
        if (now && !now->from.empty()) {
            menu.addAction("Go to " + QString::fromStdString(now->from), [&bench, id = now->from] { bench.select_node(id); });
            menu.addAction("Let it go", [&bench, reach, text] {
                bench.edit("Disconnect " + text, [&](Scene& s) { if (Input* i = reach(s, true)) i->from.clear(); });
            });
            menu.addSeparator();
        }
        if (now && now->worn) {
            menu.addAction("Drop the worn end", [&bench, reach, text] {
                bench.edit("One end: " + text, [&](Scene& s) { if (Input* i = reach(s, true)) i->worn.reset(), i->worn_shown = false; });
            });
        } else {
            menu.addAction("Give it a worn end", [&bench, reach, text] {
                bench.edit("Two ends: " + text, [&](Scene& s) { if (Input* i = reach(s, true)) i->worn = i->value; });
            });
        }
        menu.addSeparator();
        bool any = false;
        auto offer = [&](const std::vector<scene::Node>& list, const QString& group) {
            for (const scene::Node& n : list) {
                if (!own.empty() && scene::would_circle(*b, n.id, own)) continue;
                any = true;
                menu.addAction(group + ": " + QString::fromStdString(n.name.empty() ? n.id : n.name), [&bench, reach, text, id = n.id] {
                    bench.edit("Connect " + text, [&](Scene& s) { if (Input* i = reach(s, true)) i->from = id; });
                });
            }
        };
        for (size_t k = b->layers.size(); k-- > 0;) offer(b->layers[k].nodes, QString::fromStdString(b->layers[k].name));
        offer(b->commons, "Commons");
        if (!any) menu.addAction("No node yet: add one with N")->setEnabled(false);
        menu.exec(at);
    }, source);
    if (!two_ends) return;
    add_literal(form, port, type, label + ", worn", "The other end: where the driver is 1, or while the worn end is shown.",
                [=](const Scene& s) { const Input* i = reach(const_cast<Scene&>(s), false); return i && i->worn ? *i->worn : port.value; },
                [=](Scene& s, const scene::Value& v) { if (Input* i = reach(s, true)) i->worn = v; });
    if (at_first->from.empty())
        form.toggle("show the worn end", "Flips between the two ends in the picture. Connect a mask to move between them by it.",
                    [=](const Scene& s) { const Input* i = reach(const_cast<Scene&>(s), false); return std::optional(i && i->worn_shown); },
                    [=](Scene& s, bool v) { if (Input* i = reach(s, true)) i->worn_shown = v; });
}

}  // namespace

DetailPanel::DetailPanel(Workbench& bench, QWidget* parent) : QScrollArea(parent), bench_(bench) {
    setWidgetResizable(true);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setObjectName("detail");
    connect(&bench_, &Workbench::selection_changed, this, &DetailPanel::refresh);
    connect(&bench_, &Workbench::changed, this, &DetailPanel::refresh);
    connect(&bench_, &Workbench::measured_changed, this, &DetailPanel::refresh);
    connect(&bench_, &Workbench::arranging_changed, this, &DetailPanel::refresh);
    refresh();
}

std::string DetailPanel::shape() const {
    const Selection& s = bench_.selection();
    std::string key = s.build_up + "|" + s.layer + "|" + s.node + "|";
    if (bench_.arranging()) return key + "arranged" + (bench_.whole_asset ? " whole" : "") + std::to_string(bench_.scene().parts.size());
    if (const auto* n = bench_.node()) key += n->kind + n->type + n->network;
    else if (const auto* l = bench_.layer())
        for (const auto& [name, input] : l->surface) {
            if (!input.from.empty()) key += name + ",";
            if (input.worn) key += name + "+,";
        }
    if (const auto* l = bench_.layer()) key += std::string(scene::traits(l->kind).name) + "|" + l->build_up;
    return key;
}

void DetailPanel::refresh() {
    if (!form_ || shape_ != shape()) rebuild();
    form_->refresh();
    if (plot_)
        if (const auto* n = bench_.node()) {
            const review::Histogram* h = nullptr;
            if (bench_.measured().build_up == bench_.selection().build_up)
                if (auto it = bench_.measured().nodes.find(nodes::source_of(*n, nodes::Role::subject)); it != bench_.measured().nodes.end()) h = &it->second.values;
            plot_->set_histogram(h);
            plot_->set_cuts(nodes::number_of(*n, nodes::Role::cut_low), nodes::number_of(*n, nodes::Role::cut_high));
        }
}

void DetailPanel::rebuild() {
    shape_ = shape();
    plot_ = nullptr;
    form_ = new Form(bench_);
    if (bench_.arranging() && bench_.part()) build_part(*form_, bench_);
    else if (const auto* n = bench_.node()) build_node(*n);
    else if (const auto* l = bench_.layer()) build_layer(*l);
    else form_->note("Nothing is selected. Click a layer or a tile on the board, or a part in the picture.");
    setWidget(form_);  // deletes the rows that were there
}

void DetailPanel::build_layer(const scene::Layer& layer) {
    const std::string b = bench_.selection().build_up, id = layer.id;
    auto with = [=](const Scene& s) -> const scene::Layer* {
        const auto* build_up = scene::find(s.build_ups, b);
        return build_up ? scene::find(build_up->layers, id) : nullptr;
    };
    const bool base = bench_.build_up()->layers.front().id == id;
    const bool coat = !scene::traits(layer.kind).may_be_build_up;
    form_->heading(base ? "Base layer" : scene::traits(layer.kind).title);
    form_->text("name", "What the layer is called on the board.", [=](const Scene& s) { auto* l = with(s); return l ? std::optional(l->name) : std::nullopt; },
                [=](Scene& s, const std::string& v) { if (auto* l = with(s)) const_cast<scene::Layer*>(l)->name = v; });
    if (!base) {
        form_->number("amount", "How much of the layer is there at all: 0.5 is half there everywhere.", {0.f, 1.f, 1.f, true},
                      [=](const Scene& s) { auto* l = with(s); return l ? std::optional(l->amount) : std::nullopt; },
                      [=](Scene& s, float v) { if (auto* l = with(s)) const_cast<scene::Layer*>(l)->amount = v; });
        Port gate{.name = scene::gate_slot, .help = "The mask: white shows the layer, black hides it.", .value = 1.f, .hard = true};
        add_port(bench_, *form_, gate, Type::number, reach_slot(b, id, gate));
        form_->number("gate amount", "Towards 0 the mask is pushed to white: the gate stands open.", {0.f, 1.f, 1.f, true},
                      [=](const Scene& s) { auto* l = with(s); return l ? std::optional(l->gate.amount) : std::nullopt; },
                      [=](Scene& s, float v) { if (auto* l = with(s)) const_cast<scene::Layer*>(l)->gate.amount = v; });
    }
    if (!coat) {
        // Another build-up may stand in place of a surface, unless that would run in a circle.
        std::vector<std::string> ids{""};
        QStringList names{"surface of its own"};
        for (const auto& other : bench_.scene().build_ups)
            if (!scene::build_up_reaches(bench_.scene(), other.id, b)) ids.push_back(other.id), names << QString::fromStdString(other.name);
        if (ids.size() > 1)
            form_->choice("made of", "A surface of its own, or a finished build-up as a layer of this one.", names,
                          [=](const Scene& s) { auto* l = with(s); return l ? std::optional(int(std::max<std::ptrdiff_t>(0, std::find(ids.begin(), ids.end(), l->build_up) - ids.begin() < std::ptrdiff_t(ids.size()) ? std::find(ids.begin(), ids.end(), l->build_up) - ids.begin() : 0))) : std::nullopt; },
                          [=](Scene& s, int i) { if (auto* l = with(s)) const_cast<scene::Layer*>(l)->build_up = ids[size_t(i)]; });
        if (!layer.build_up.empty()) {
            form_->note("This layer is a whole build-up. Select a part that wears it to change it.");
            return;
        }
    }
    const auto& ports = nodes::slots_of(layer).ports;
    auto wired = [&](const Port& p) {
        const auto it = layer.surface.find(p.name);
        return it != layer.surface.end() && !it->second.from.empty();
    };
    auto changed = [&](const Port& p) {
        const auto it = layer.surface.find(p.name);
        return it != layer.surface.end() && (!it->second.from.empty() || it->second.worn || !(it->second.value == p.value));
    };
    if (std::any_of(ports.begin(), ports.end(), wired)) {
        form_->heading("Wired");
        for (const Port& p : ports)
            if (wired(p)) add_port(bench_, *form_, p, p.type, reach_slot(b, id, p));
    }
    // The first two groups are always of use; the others are open where something in them is set.
    for (size_t i = 0; i < ports.size();) {
        const std::string group = ports[i].group;
        size_t end = i;
        bool used = i == 0 || group == "specular";
        for (; end < ports.size() && ports[end].group == group; ++end) used |= changed(ports[end]);
        form_->begin_fold(QString::fromStdString(group), used);
        for (; i < end; ++i)
            if (!wired(ports[i])) add_port(bench_, *form_, ports[i], ports[i].type, reach_slot(b, id, ports[i]));
        form_->end_fold();
    }
}

void DetailPanel::build_node(const scene::Node& node) {
    const std::string b = bench_.selection().build_up, id = node.id;
    const std::shared_ptr<const nodes::NodeDescription> d = nodes::describe(bench_.scene(), node);
    if (!d) {
        form_->heading("Unknown node");
        form_->note("This version has no node of the kind '" + QString::fromStdString(node.kind) + "'. It is kept in the file, and its readers use their own values.");
        return;
    }
    form_->heading(QString::fromStdString(d->title));
    form_->note(QString::fromStdString(d->help));
    auto with = [=](const Scene& s) -> scene::Node* {
        auto* build_up = scene::find(const_cast<Scene&>(s).build_ups, b);
        return build_up ? scene::node(*build_up, id) : nullptr;
    };
    form_->text("name", "What the tile is called on the board.", [=](const Scene& s) { auto* n = with(s); return n ? std::optional(n->name) : std::nullopt; },
                [=](Scene& s, const std::string& v) { if (auto* n = with(s)) n->name = v; });
    if (d->types.size() > 1) {
        QStringList names;
        for (Type t : d->types) names << QString("%1  %2").arg(QChar(nodes::type_letter(t))).arg(nodes::type_name(t));
        form_->choice("carries", "What the node works on and gives.", names,
                      [=](const Scene& s) { auto* n = with(s); return n ? std::optional(int(std::find(d->types.begin(), d->types.end(), d->output_type(*n)) - d->types.begin())) : std::nullopt; },
                      [=](Scene& s, int i) { if (auto* n = with(s)) n->type = nodes::type_name(d->types[size_t(i)]); });
    }
    if (d->port(nodes::Role::cut_low) && d->port(nodes::Role::subject)) {
        plot_ = new LevelsPlot;
        form_->widget(plot_);
        connect(plot_, &LevelsPlot::moved, this, [=, this](bool high, float v) {
            bench_.edit("Levels", [&](Scene& s) {
                if (auto* n = with(s)) nodes::set(*n, high ? nodes::Role::cut_high : nodes::Role::cut_low, v);
            }, "levels " + id);
        });
        connect(plot_, &LevelsPlot::settled, this, [this] { bench_.end_merge(); });
    }
    if (nodes::has_pin(*d))
        form_->button("Place in the picture", "Click a place on the asset: it becomes the middle, and the surface's direction there the axis.", [=, this] {
            bench_.pick_place([=, this](const Workbench::SurfaceSpot& spot) {
                bench_.edit("Place " + id, [&](Scene& s) {
                    if (auto* n = with(s)) nodes::place(*n, spot.position, spot.normal, true);
                });
            });
        });
    const Type type = d->output_type(node);
    int stops = 2;
    if (const Port* n = d->port(nodes::Role::stop_count)) stops = int(nodes::number_of(node, *n));
    bool folded = false;
    for (bool advanced : {false, true})
        for (const Port& p : d->ports) {
            // A row per stop only where the ramp has that many.
            if (p.stop > 0) {
                if (advanced || p.stop > std::max(stops, 4)) continue;
            } else if (p.folded != advanced) continue;
            if (advanced && !folded) form_->begin_fold("More"), folded = true;
            add_port(bench_, *form_, p, d->port_type(p, type), reach_node(b, id, p));
        }
    form_->end_fold();
}

}  // namespace vemtra::app
