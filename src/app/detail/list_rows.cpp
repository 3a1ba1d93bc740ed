#include "app/detail/list_rows.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPushButton>

#include "app/detail/curve_plot.h"
#include "app/detail/port_rows.h"
#include "nodes/map_stack.h"
#include "program/compile.h"
#include "scene/edits.h"

namespace vemtra::app {

using nodes::Port;
using nodes::StackEntry;

namespace {

/// Changes the node in an edit, wherever it is by then.
struct NodePlace {
    Workbench& bench;
    std::string build_up, node;
    void edit(const QString& label, const std::function<void(scene::Node&)>& change,
              const std::string& merge_key = {}) const {
        bench.edit(
            label.toStdString(),
            [&](scene::Scene& s) {
                scene::BuildUp* b = scene::find(s.build_ups, build_up);
                if (scene::Node* n = b ? scene::node(*b, node) : nullptr) change(*n);
            },
            merge_key);
    }
    const scene::Node* now() const {
        const scene::BuildUp* b = scene::find(bench.scene().build_ups, build_up);
        return b ? scene::find_node(*b, node).node : nullptr;
    }
};

struct Press {
    const char *text, *help;
    std::function<void(scene::Node&)> change;
};
/// A row of small buttons.
QWidget* buttons(const NodePlace& at, const std::vector<Press>& presses) {
    auto* row = new QWidget;
    auto* box = new QHBoxLayout(row);
    box->setContentsMargins(0, 2, 0, 6);
    box->setSpacing(4);
    for (const Press& press : presses) {
        auto* b = new QPushButton(press.text);
        b->setToolTip(press.help);
        QObject::connect(b, &QPushButton::clicked, row,
                         [at, press] { at.edit(press.text, [&](scene::Node& n) { press.change(n); }); });
        box->addWidget(b);
    }
    box->addStretch(1);
    return row;
}

/// "Rust photo, screen, 80 %"
QString line_of(const scene::Node& n, const StackEntry& e, int depth) {
    QString text = QString(3 * depth, ' ') + QString::fromStdString(nodes::title_of(n, e));
    auto literal = [&](nodes::EntryPort what) -> const scene::Input* {
        const auto it = n.inputs.find(nodes::entry_port(what, e.number));
        return it == n.inputs.end() ? nullptr : &it->second;
    };
    const auto d = nodes::describe(n);
    if (const scene::Input* mode = literal(nodes::EntryPort::mode); mode && d)
        if (const Port* p = d->port(nodes::entry_port(nodes::EntryPort::mode, e.number))) {
            const size_t k = size_t(std::max(0.f, scene::as_number(mode->value)));
            if (k > 0 && k < p->choices.size()) text += ", " + QString::fromStdString(p->choices[k]);
        }
    if (const scene::Input* opacity = literal(nodes::EntryPort::opacity))
        text += opacity->from.empty() ? QString(", %1 %").arg(qRound(scene::as_number(opacity->value, 1.f) * 100))
                                      : QString(", driven");
    if (const scene::Input* mask = literal(nodes::EntryPort::mask); mask && !mask->from.empty()) text += ", masked";
    if (const scene::Input* on = literal(nodes::EntryPort::on); on && scene::as_number(on->value, 1.f) < .5f)
        text += "  (off)";
    return text;
}

/// The rows of one entry, and what can be done with it.
void fill_entry(Form& form, const NodePlace& at, int number) {
    const scene::Node* node = at.now();
    const auto d = node ? nodes::describe(*node) : nullptr;
    if (!d) return;
    const std::string group = "entry " + std::to_string(number);
    for (const Port& p : d->ports)
        if (p.section == group)
            add_port(at.bench, form, p, d->port_type(p, d->output_type(*node)), reach_node(at.build_up, at.node, p));
    form.widget(buttons(at, {{"Up", "One place up, towards the eye", [=](auto& n) { nodes::move_entry(n, number, 1); }},
                             {"Down", "One place down", [=](auto& n) { nodes::move_entry(n, number, -1); }},
                             {"Into group", "A group of it and the one below; into the group below where that is one",
                              [=](auto& n) { nodes::group_entry(n, number); }},
                             {"Remove", "Takes it out of the list; what fed it stays on the board",
                              [=](auto& n) { nodes::remove_entry(n, number); }}}));
}

void add_entry(Form& form, const NodePlace& at, const scene::Node& node, const StackEntry& e, int depth) {
    QToolButton* head =
        form.fold(line_of(node, e, depth), false, [&form, at, number = e.number] { fill_entry(form, at, number); });
    head->setObjectName(QString("entry-%1").arg(e.number));
    form.also([head, at, e, depth] {
        if (const scene::Node* n = at.now()) head->setText(line_of(*n, e, depth));
    });
    for (size_t k = e.members.size(); k-- > 0;) add_entry(form, at, node, e.members[k], depth + 1);
}

}  // namespace

void build_stack(Form& form, Workbench& bench, const scene::Node& node) {
    const NodePlace at{bench, bench.selection().build_up, node.id};
    form.widget(buttons(at, {{"Add map", "One more map or network, on top",
                              [](auto& n) { nodes::add_entry(n, StackEntry::Sort::map); }},
                             {"Add adjuster", "Levels, exposure and colour of all that lies below it",
                              [](auto& n) { nodes::add_entry(n, StackEntry::Sort::adjuster); }}}));
    const auto entries = nodes::entries_of(node);
    if (entries.empty()) form.note("The list is empty: the stack gives what it lies on.");
    for (size_t k = entries.size(); k-- > 0;) add_entry(form, at, node, entries[k], 0);
}

void build_curves(Form& form, Workbench& bench, const scene::Node& node, const nodes::NodeDescription& d) {
    const NodePlace at{bench, bench.selection().build_up, node.id};
    std::vector<const Port*> counts;
    std::vector<std::vector<const Port*>> knots;
    for (const Port& p : d.ports) {
        if (p.role == nodes::Role::knot_count) {
            counts.push_back(&p);
            knots.emplace_back();
        }
        if (p.role != nodes::Role::knot) continue;
        for (size_t c = 0; c < counts.size(); ++c)
            if (counts[c]->section == p.section) knots[c].push_back(&p);
    }
    auto* channel = new QComboBox;
    channel->setObjectName("curve-channel");
    channel->setToolTip("Which channels the curve bends; those of one colour go through their own first");
    for (const Port* p : counts) channel->addItem(QString::fromStdString(p->section));
    auto* plot = new CurvePlot(int(knots.front().size()));
    form.widget(plot);
    form.widget(channel);
    auto show = [=, &bench] {
        const scene::Node* n = at.now();
        if (!n) return;
        const size_t c = size_t(channel->currentIndex());
        std::vector<V2f> places;
        const size_t count = size_t(std::clamp(nodes::number_of(*n, *counts[c]), 0.f, float(knots[c].size())));
        for (size_t k = 0; k < count; ++k) {
            const V3f v = scene::as_vector(nodes::literal_of(*n, *knots[c][k]));
            places.push_back({v.x, v.y});
        }
        // The line: what the node itself gives, with this channel's curve alone.
        scene::BuildUp alone = scene::default_build_up("b", "b");
        scene::Node copy = *n;
        copy.bypassed = false;
        for (size_t other = 0; other < counts.size(); ++other)
            if (other != c) copy.inputs.erase(counts[other]->name);
        std::vector<float> line;
        copy.type = nodes::type_name(nodes::Type::color);
        alone.layers.front().nodes = {copy};
        for (int i = 0; i <= 64; ++i) {
            const V3f x(float(i) / 64.f);
            for (auto& [name, input] : alone.layers.front().nodes.front().inputs) input.from.clear();
            nodes::set(alone.layers.front().nodes.front(), nodes::Role::subject, x);
            nodes::Resources resources;
            std::vector<Error> problems;
            const auto p = program::compile(alone, {{"line", nodes::Type::color, {scene::Value{0.f}, n->id}}},
                                            resources, problems);
            const V3f* v = p.constant(0);
            line.push_back(!v ? x.x : c == 0 ? v->x : (&v->x)[c - 1]);
        }
        plot->set_curve(std::move(places), std::move(line));
        const auto& measured = bench.measured();
        const auto it = measured.nodes.find(nodes::source_of(*n, nodes::Role::subject));
        plot->set_histogram(measured.build_up == at.build_up && it != measured.nodes.end() ? &it->second.values
                                                                                           : nullptr);
    };
    form.also(show);
    QObject::connect(channel, &QComboBox::currentIndexChanged, plot, show);
    QObject::connect(plot, &CurvePlot::changed, plot, [=](const std::vector<V2f>& places) {
        const size_t c = size_t(channel->currentIndex());
        at.edit(
            "Curve",
            [&](scene::Node& n) {
                n.inputs[counts[c]->name].value = float(places.size());
                for (size_t k = 0; k < knots[c].size(); ++k) {
                    if (k < places.size())
                        n.inputs[knots[c][k]->name].value = places[k];
                    else
                        n.inputs.erase(knots[c][k]->name);
                }
            },
            "curve " + at.node);
    });
    QObject::connect(plot, &CurvePlot::settled, plot, [&bench] { bench.end_merge(); });
}

}  // namespace vemtra::app
