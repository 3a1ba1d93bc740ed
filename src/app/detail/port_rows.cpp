#include "app/detail/port_rows.h"

#include "nodes/plain_names.h"

#include <QMenu>

#include "app/bench/decal_tool.h"
#include "app/theme/theme.h"
#include "nodes/frame.h"
#include "scene/edits.h"
#include "texture/picture_formats.h"

namespace vemtra::app {

using nodes::Port;
using nodes::Type;
using scene::Input;
using scene::Scene;

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

namespace {

/// Numbers and colours of one end of an input: `end` gives the literal to read, or makes the place to write.
void add_literal(Form& form, const Port& port, Type type, const QString& label, const QString& help,
                 const std::function<scene::Value(const Scene&)>& literal,
                 const std::function<void(Scene&, scene::Value)>& write) {
    const NumberRange range{port.low,
                            port.high,
                            scene::as_number(port.value),
                            port.hard,
                            port.whole || type == Type::integer,
                            QString::fromStdString(port.unit)};
    auto number = [=](const Scene& s) { return std::optional(scene::as_number(literal(s))); };
    auto read = [=](const Scene& s) { return std::optional(scene::as_triple(literal(s))); };
    auto give = [=](Scene& s, const V3f& v) { write(s, nodes::to_value(type, v)); };
    switch (nodes::info(type).editor) {
        case nodes::Editor::number:
            form.number(label, help, range, number, [=](Scene& s, float v) { write(s, v); });
            break;
        case nodes::Editor::toggle:
            form.toggle(
                label, help, [=](const Scene& s) { return std::optional(*number(s) > .5f); },
                [=](Scene& s, bool v) { write(s, v ? 1.f : 0.f); });
            break;
        case nodes::Editor::color: form.color(label, help, scene::as_triple(port.value), read, give); break;
        case nodes::Editor::vector:
            form.vector(label, help, range, std::min(3, nodes::components(type)), read, give);
            break;
        case nodes::Editor::words:
            form.text(
                label, help,
                [=](const Scene& s) {
                    const auto v = literal(s);
                    auto* t = std::get_if<std::string>(&v);
                    return std::optional(t ? *t : std::string());
                },
                [=](Scene& s, const std::string& v) { write(s, v); });
            break;
        case nodes::Editor::none:  // a place has no value of its own: without a placement it is where the UVs are
            form.choice(
                label, help, {"the UVs"}, [](const Scene&) { return std::optional(0); }, [](Scene&, int) {});
            break;
    }
}

QString label_of(const Port& port) {
    return QString::fromStdString(nodes::plain_name(port));
}
QString help_of(const Port& port) {
    return QString::fromStdString(port.help + (nodes::plain_name(port) == port.name ? "" : "\n" + port.name));
}

class PortRows {
public:
    PortRows(Workbench& bench, Form& form, const Port& port, Type type, const Reach& reach)
        : bench_(bench),
          form_(form),
          port_(port),
          type_(type),
          reach_(reach),
          label_(label_of(port)),
          help_(help_of(port)) {}
    void add();

private:
    std::function<scene::Value(const Scene&)> literal() const;
    Form::Read<std::string> text() const;
    std::function<void(Scene&, scene::Value)> write() const;
    void add_name(const QString& empty, bool properties);
    void add_file();
    void add_painting();
    void add_choice();
    void add_ends();
    void add_connection();
    void add_worn_end(bool driven);

    Workbench& bench_;
    Form& form_;
    const Port port_;
    const Type type_;
    const Reach reach_;
    const QString label_, help_;
};

const Input* peek(const Reach& reach, const Scene& s) {
    return reach(const_cast<Scene&>(s), false);  // without `make` nothing is changed
}

std::function<scene::Value(const Scene&)> PortRows::literal() const {
    return [reach = reach_, otherwise = port_.value](const Scene& s) {
        const Input* i = peek(reach, s);
        return i ? i->value : otherwise;
    };
}

Form::Read<std::string> PortRows::text() const {
    return [literal = literal()](const Scene& s) {
        const scene::Value v = literal(s);
        auto* t = std::get_if<std::string>(&v);
        return std::optional(t ? *t : std::string());
    };
}

std::function<void(Scene&, scene::Value)> PortRows::write() const {
    const scene::Node* n = bench_.node();
    const bool sets_words = port_.uniform && n && nodes::has_use(*n, nodes::Use::lettering);
    return [reach = reach_, sets_words, at = bench_.selection()](Scene& s, const scene::Value& v) {
        if (Input* i = reach(s, true)) i->value = v;
        if (sets_words) DecalTool::fit_to_words(s, at.build_up, at.node);
    };
}

void PortRows::add() {
    if (port_.role == nodes::Role::uv_set) return add_name("the part's first", false);
    if (port_.role == nodes::Role::attribute) return add_name("none yet", true);
    if (port_.role == nodes::Role::file) return add_file();
    if (port_.role == nodes::Role::painting) return add_painting();
    if (port_.role == nodes::Role::part_names)
        return form_.names(
            label_, help_,
            [](const Scene& s) {
                std::vector<std::string> names;
                for (const scene::Part& p : s.parts) names.push_back(p.name);
                return names;
            },
            text(), [write = write()](Scene& s, const std::string& v) { write(s, v); });
    if (port_.role == nodes::Role::lettering)
        return form_.text(label_, help_, text(), [write = write()](Scene& s, const std::string& v) { write(s, v); });
    if (!port_.choices.empty()) return add_choice();
    add_ends();
}

// The names that the assets bring.
void PortRows::add_name(const QString& empty, bool properties) {
    std::vector<std::string> sets{""};
    auto take = [&](const std::string& name) {
        if (std::find(sets.begin(), sets.end(), name) == sets.end()) sets.push_back(name);
    };
    if (const auto image = bench_.image())
        for (const auto& instance : image->prepared->geometry->instances())
            for (const auto& names : {properties ? instance.shape->property_names() : std::vector<std::string>(),
                                      instance.shape->uv_set_names()})
                for (const std::string& name : names) take(name);
    take(*text()(bench_.scene()));
    QStringList items{empty};
    for (size_t i = 1; i < sets.size(); ++i) items << QString::fromStdString(sets[i]);
    form_.choice(
        label_, help_, items,
        [sets, text = text()](const Scene& s) {
            return std::optional(int(std::find(sets.begin(), sets.end(), *text(s)) - sets.begin()));
        },
        [sets, write = write()](Scene& s, int i) { write(s, sets[size_t(i)]); });
}

// The paintings of the project.
void PortRows::add_painting() {
    std::vector<std::string> ids{""};
    QStringList items{"none yet"};
    for (const scene::Painting& p : bench_.scene().paintings) {
        ids.push_back(p.id);
        items << QString::fromStdString(p.name);
    }
    form_.choice(
        label_, help_, items,
        [ids, text = text()](const Scene& s) {
            const auto it = std::find(ids.begin(), ids.end(), *text(s));
            return std::optional(it == ids.end() ? 0 : int(it - ids.begin()));
        },
        [ids, write = write()](Scene& s, int i) { write(s, ids[size_t(i)]); });
}

void PortRows::add_file() {
    const QString filter =
        QString("Images (%1);;All files (*)").arg(QString::fromStdString(texture::picture_patterns()));
    form_.file(label_, help_, filter, text(), [write = write()](Scene& s, const std::string& v) { write(s, v); });
}

void PortRows::add_choice() {
    QStringList items;
    for (const auto& c : port_.choices) items << QString::fromStdString(c);
    const int first = int(port_.low);
    form_.choice(
        label_, help_, items,
        [literal = literal(), choices = port_.choices, first](const Scene& s) {
            const scene::Value v = literal(s);
            if (auto* t = std::get_if<std::string>(&v))
                return std::optional(int(std::find(choices.begin(), choices.end(), *t) - choices.begin()));
            return std::optional(int(scene::as_number(v)) - first);
        },
        [write = write(), port = port_, first](Scene& s, int i) {
            write(s, port.text ? scene::Value(port.choices[size_t(i)]) : scene::Value(float(i + first)));
        });
}

void PortRows::add_ends() {
    const Input* now = peek(reach_, bench_.scene());
    const bool two_ends = now && now->worn;
    const bool driven = now && !now->from.empty();
    add_literal(form_, port_, type_, two_ends ? label_ + ", clean" : label_, help_, literal(), write());
    if (port_.uniform) return;
    add_connection();
    if (two_ends) add_worn_end(driven);
}

void PortRows::add_worn_end(bool driven) {
    add_literal(
        form_, port_, type_, label_ + ", worn", "The other end: where the driver is 1, or while the worn end is shown.",
        [reach = reach_, otherwise = port_.value](const Scene& s) {
            const Input* i = peek(reach, s);
            return i && i->worn ? *i->worn : otherwise;
        },
        [reach = reach_](Scene& s, const scene::Value& v) {
            if (Input* i = reach(s, true)) i->worn = v;
        });
    if (driven) return;
    form_.toggle(
        "show the worn end", "Flips between the two ends in the picture. Connect a mask to move between them by it.",
        [reach = reach_](const Scene& s) {
            const Input* i = peek(reach, s);
            return std::optional(i && i->worn_shown);
        },
        [reach = reach_](Scene& s, bool v) {
            if (Input* i = reach(s, true)) i->worn_shown = v;
        });
}

/// The menu at the end of a row: what the input is connected to, its other end, and all nodes that it may take.
class ConnectionMenu {
public:
    ConnectionMenu(Workbench& bench, const Reach& reach, const QString& label)
        : bench_(bench), reach_(reach), label_(label.toStdString()) {}
    void open(const QPoint& at);

private:
    void add_edit(const QString& text, const std::string& undo, const std::function<void(Input&)>& change);
    void add_present(const Input& now);
    void add_ends(const Input* now);
    void add_sources(const scene::BuildUp& build_up);

    Workbench& bench_;
    const Reach& reach_;
    const std::string label_;
    QMenu menu_;
};

void ConnectionMenu::add_edit(const QString& text, const std::string& undo, const std::function<void(Input&)>& change) {
    menu_.addAction(text, [&bench = bench_, reach = reach_, undo, change] {
        bench.edit(undo, [&](Scene& s) {
            if (Input* i = reach(s, true)) change(*i);
        });
    });
}

void ConnectionMenu::open(const QPoint& at) {
    const scene::BuildUp* build_up = bench_.build_up();
    if (!build_up) return;
    const Input* now = peek(reach_, bench_.scene());
    if (now && !now->from.empty()) add_present(*now);
    add_ends(now);
    add_sources(*build_up);
    menu_.exec(at);
}

void ConnectionMenu::add_present(const Input& now) {
    menu_.addAction("Go to " + QString::fromStdString(now.from),
                    [&bench = bench_, id = now.from] { bench.select_node(id); });
    add_edit("Let it go", "Disconnect " + label_, [](Input& i) { i.from.clear(); });
    menu_.addSeparator();
}

void ConnectionMenu::add_ends(const Input* now) {
    if (now && now->worn)
        add_edit("Drop the worn end", "One end: " + label_, [](Input& i) {
            i.worn.reset();
            i.worn_shown = false;
        });
    else
        add_edit("Give it a worn end", "Two ends: " + label_, [](Input& i) { i.worn = i.value; });
    menu_.addSeparator();
}

void ConnectionMenu::add_sources(const scene::BuildUp& build_up) {
    const std::string own = bench_.selection().node;
    bool any = false;
    auto offer = [&](const std::vector<scene::Node>& list, const QString& lane) {
        for (const scene::Node& n : list) {
            if (!own.empty() && scene::would_circle(build_up, n.id, own)) continue;
            any = true;
            add_edit(lane + ": " + QString::fromStdString(n.name.empty() ? n.id : n.name), "Connect " + label_,
                     [id = n.id](Input& i) { i.from = id; });
        }
    };
    for (size_t k = build_up.layers.size(); k-- > 0;)
        offer(build_up.layers[k].nodes, QString::fromStdString(build_up.layers[k].name));
    offer(build_up.commons, "Commons");
    if (!any) menu_.addAction("No node yet: add one with N")->setEnabled(false);
}

void PortRows::add_connection() {
    auto source = [&bench = bench_, reach = reach_]() -> QString {
        const Input* i = peek(reach, bench.scene());
        if (!i || i->from.empty()) return {};
        const scene::BuildUp* b = bench.build_up();
        if (const auto* n = b ? scene::find_node(*b, i->from).node : nullptr) {
            QString name = QString::fromStdString(n->name.empty() ? n->id : n->name);
            const auto& measured = bench.measured();
            const auto it = measured.nodes.find(i->from);
            if (measured.build_up == b->id && it != measured.nodes.end() && it->second.values.points > 0)
                name += QString(", %1 to %2")
                            .arg(number_text(it->second.values.smallest), number_text(it->second.values.largest));
            return name;
        }
        return QString::fromStdString(i->from) + " (missing)";
    };
    form_.connection([&bench = bench_, reach = reach_,
                      label = label_](const QPoint& at) { ConnectionMenu(bench, reach, label).open(at); },
                     source);
}

}  // namespace

bool is_mentioned(const Port& port, const QString& words) {
    return label_of(port).contains(words, Qt::CaseInsensitive) || help_of(port).contains(words, Qt::CaseInsensitive);
}

void add_port(Workbench& bench, Form& form, const Port& port, Type type, const Reach& reach) {
    PortRows(bench, form, port, type, reach).add();
}

}  // namespace vemtra::app
