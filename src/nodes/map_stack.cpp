#include "nodes/map_stack.h"

#include <algorithm>
#include <functional>
#include <set>

namespace vemtra::nodes {
namespace {

constexpr const char* kind_of_stack = "mapstack";
constexpr const char* order_port = "entries";
using Entries = std::vector<StackEntry>;
using Sort = StackEntry::Sort;

/// "1 2a 3( 4 5 )": a map, an adjuster, a group of two maps.
class OrderReader {
public:
    explicit OrderReader(const std::string& text) : text_(text) {}
    Entries read(int depth = 0) {
        Entries out;
        while (next()) {
            if (text_[at_] == ')') {
                ++at_;
                if (depth > 0) return out;
                continue;
            }
            if (text_[at_] < '0' || text_[at_] > '9') {
                ++at_;
                continue;
            }
            StackEntry e;
            for (; at_ < text_.size() && text_[at_] >= '0' && text_[at_] <= '9'; ++at_)
                e.number = std::min(e.number * 10 + (text_[at_] - '0'), 100000);
            const char sort = at_ < text_.size() ? text_[at_] : ' ';
            if (sort == 'a') e.sort = Sort::adjuster;
            if (sort == '(' && depth < deepest_group) {
                ++at_;
                e.sort = Sort::group;
                e.members = read(depth + 1);
            }
            const bool good = e.number >= 1 && e.number <= 999 && taken_.size() < size_t(most_entries) &&
                              taken_.insert(e.number).second;
            if (good) out.push_back(std::move(e));
        }
        return out;
    }

private:
    bool next() {
        while (at_ < text_.size() && text_[at_] == ' ') ++at_;
        return at_ < text_.size();
    }
    const std::string& text_;
    size_t at_ = 0;
    std::set<int> taken_;
};

std::string order_of(const Entries& entries) {
    std::string out;
    for (const StackEntry& e : entries) {
        if (!out.empty()) out += ' ';
        out += std::to_string(e.number);
        if (e.sort == Sort::adjuster) out += 'a';
        if (e.sort == Sort::group) out += "( " + order_of(e.members) + " )";
    }
    return out;
}

void for_each_entry(const Entries& entries, const std::function<void(const StackEntry&)>& f) {
    for (const StackEntry& e : entries) {
        f(e);
        for_each_entry(e.members, f);
    }
}

/// The list that holds the entry, and its place there.
struct Found {
    Entries* list = nullptr;
    size_t at = 0;
    Entries* outer = nullptr;  ///< the list that holds the group; null: it lies in none
    size_t outer_at = 0;
};
Found find(Entries& list, int number, Entries* outer = nullptr, size_t outer_at = 0) {
    for (size_t i = 0; i < list.size(); ++i) {
        if (list[i].number == number) return {&list, i, outer, outer_at};
        if (const Found f = find(list[i].members, number, &list, i); f.list) return f;
    }
    return {};
}

// How both meet, and how it is said: a node of the standard that takes fg, bg and mix, or a mode of ours.
struct Mode {
    const char* name;
    const char* kind;
    int own = -1;  ///< the mode's number of our own blend node
};
const std::vector<Mode>& modes() {
    static const std::vector<Mode> all{{"normal", "mix"},
                                       {"multiply", "multiply"},
                                       {"screen", "screen"},
                                       {"overlay", "overlay"},
                                       {"add", "plus"},
                                       {"subtract", "minus"},
                                       {"difference", "difference"},
                                       {"darken", "blend", 8},
                                       {"lighten", "blend", 7},
                                       {"dodge", "dodge"},
                                       {"burn", "burn"},
                                       {"soft light", "blend", 0},
                                       {"hard light", "blend", 1},
                                       {"linear burn", "blend", 2},
                                       {"vivid light", "blend", 3},
                                       {"linear light", "blend", 4},
                                       {"pin light", "blend", 5},
                                       {"hard mix", "blend", 6},
                                       {"exclusion", "blend", 9},
                                       {"hue", "blend", 10},
                                       {"saturation", "blend", 11},
                                       {"colour", "blend", 12},
                                       {"luminosity", "blend", 13}};
    return all;
}

std::vector<Port> ports_of(const StackEntry& e, Type type) {
    std::vector<Port> out;
    const std::string group = "entry " + std::to_string(e.number);
    auto add = [&](EntryPort what, const char* help, Port p) {
        p.name = entry_port(what, e.number);
        p.help = help;
        p.section = group;
        out.push_back(std::move(p));
    };
    if (e.sort == Sort::map)
        add(EntryPort::map, "What lies here: a map, or any network. A colour with alpha covers by its alpha.",
            {.type = type == Type::number ? Type::number : Type::color4, .value = type == Type::number ? 0.5f : .5f});
    if (e.sort == Sort::map) {
        Port mode{.high = float(modes().size() - 1), .hard = true, .uniform = true, .whole = true};
        for (const Mode& m : modes()) mode.choices.push_back(m.name);
        add(EntryPort::mode, "How it meets what lies below.", mode);
    }
    add(EntryPort::opacity, "How much of it.", {.value = 1.f, .folded = true});
    add(EntryPort::mask, "Where it is: white shows it, black leaves what lies below.", {.value = 1.f});
    add(EntryPort::on, "Whether it counts.",
        {.value = 1.f, .hard = true, .uniform = true, .whole = true, .choices = {"no", "yes"}});
    add(EntryPort::title, "What it is called in the list.",
        {.type = Type::text, .value = std::string(), .uniform = true, .text = true, .role = Role::entry_title});
    if (e.sort == Sort::group) return out;
    const auto folded = [](Port p) {
        p.folded = true;
        return p;
    };
    add(EntryPort::exposure, "Twice as bright with each step.",
        folded({.value = 0.f, .low = -4.f, .high = 4.f, .unit = "stops"}));
    add(EntryPort::low, "This value becomes 0.", folded({.value = 0.f}));
    add(EntryPort::high, "This value becomes 1.", folded({.value = 1.f}));
    add(EntryPort::gamma, "Bends the middle: above 1 lifts it.", folded({.value = 1.f, .low = .1f, .high = 4.f}));
    if (type != Type::number) {
        add(EntryPort::hue, "Turns the colours; 1 is a whole turn.", folded({.value = 0.f, .low = -.5f, .high = .5f}));
        add(EntryPort::saturation, "From grey at 0 over what it is at 1 to more.", folded({.value = 1.f, .high = 2.f}));
        add(EntryPort::tint, "Times this colour.", folded({.type = Type::color, .value = V3f(1.f)}));
    }
    add(EntryPort::turned, "Black and white change places.",
        folded({.value = 0.f, .hard = true, .uniform = true, .whole = true, .choices = {"no", "yes"}}));
    return out;
}

NodeDescription stack_of(const scene::Node& node) {
    NodeDescription d = *describe(kind_of_stack);
    d.of_node = nullptr;
    const Type type = d.output_type(node);
    for_each_entry(entries_of(node), [&](const StackEntry& e) {
        for (Port& p : ports_of(e, type)) d.ports.push_back(std::move(p));
    });
    d.index();
    return d;
}

/// Builds the chain.
class StackChain {
public:
    StackChain(const scene::Node& node, const TypeOf& type_of)
        : node_(node), type_of_(type_of), d_(stack_of(node)), type_(d_.output_type(node)) {}

    std::vector<scene::Node> run() {
        scene::Input below = input("base");
        below = laid(entries_of(node_), below);
        scene::Node last = made("dot", type_, "");
        last.id = node_.id;
        last.name = node_.name;
        last.inputs["in"] = below;
        out_.push_back(std::move(last));
        return std::move(out_);
    }

private:
    scene::Input input(const std::string& port) const {
        const auto it = node_.inputs.find(port);
        if (it != node_.inputs.end()) return it->second;
        const Port* p = d_.port(port);
        return {p ? p->value : scene::Value{0.f}, {}};
    }
    scene::Input of(EntryPort what, const StackEntry& e) const { return input(entry_port(what, e.number)); }
    /// Whether it is anything but this value.
    static bool differs(const scene::Input& i, const scene::Value& neutral) {
        return !i.from.empty() || i.worn ||
               !(i.value == neutral || scene::as_triple(i.value) == scene::as_triple(neutral));
    }
    scene::Node made(const char* kind, Type type, const std::string& name) {
        scene::Node n;
        n.id = node_.id + "/" + std::to_string(++count_);
        n.kind = kind;
        n.type = type_name(type);
        n.name = name;
        return n;
    }
    scene::Input emit(const char* kind, Type type, scene::Inputs inputs) {
        scene::Node n = made(kind, type, node_.name.empty() ? node_.id : node_.name);
        n.inputs = std::move(inputs);
        out_.push_back(n);
        return {scene::Value{0.f}, n.id};
    }
    static scene::Input value(scene::Value v) { return {std::move(v), {}}; }

    scene::Input adjusted(const StackEntry& e, scene::Input x) {
        if (const scene::Input stops = of(EntryPort::exposure, e); differs(stops, 0.f)) {
            const scene::Input times = emit("power", Type::number, {{"in1", value(2.f)}, {"in2", stops}});
            x = emit("multiply", type_, {{"in1", x}, {"in2", times}});
        }
        const scene::Input low = of(EntryPort::low, e);
        const scene::Input high = of(EntryPort::high, e);
        const scene::Input gamma = of(EntryPort::gamma, e);
        if (differs(low, 0.f) || differs(high, 1.f) || differs(gamma, 1.f))
            x = emit("levels", type_, {{"in", x}, {"inlow", low}, {"inhigh", high}, {"gamma", gamma}});
        if (type_ != Type::number) {
            const scene::Input hue = of(EntryPort::hue, e);
            const scene::Input saturation = of(EntryPort::saturation, e);
            if (differs(hue, 0.f) || differs(saturation, 1.f)) {
                const scene::Input amount =
                    emit("combine3", Type::vector3, {{"in1", hue}, {"in2", saturation}, {"in3", value(1.f)}});
                x = emit("hsvadjust", type_, {{"in", x}, {"amount", amount}});
            }
            if (const scene::Input tint = of(EntryPort::tint, e); differs(tint, V3f(1.f)))
                x = emit("multiply", type_, {{"in1", x}, {"in2", tint}});
        }
        if (scene::as_number(of(EntryPort::turned, e).value) > .5f) x = emit("invert", type_, {{"in", x}});
        return x;
    }
    /// Opacity, mask and, of a map that has it, alpha.
    scene::Input amount(const StackEntry& e, const scene::Input& map) {
        scene::Input a = of(EntryPort::opacity, e);
        if (const scene::Input mask = of(EntryPort::mask, e); differs(mask, 1.f))
            a = differs(a, 1.f) ? emit("multiply", Type::number, {{"in1", a}, {"in2", mask}}) : mask;
        if (type_ != Type::number && !map.from.empty() && type_of_(map.from) == Type::color4) {
            const scene::Input alpha = emit("extract", Type::number, {{"in", map}, {"index", value(3.f)}});
            a = differs(a, 1.f) ? emit("multiply", Type::number, {{"in1", a}, {"in2", alpha}}) : alpha;
        }
        return a;
    }
    scene::Input laid(const Entries& entries, scene::Input below) {
        for (const StackEntry& e : entries) {
            if (scene::as_number(of(EntryPort::on, e).value, 1.f) < .5f) continue;
            scene::Input x;
            scene::Input map;
            const Mode* mode = &modes()[0];
            if (e.sort == Sort::map) {
                map = of(EntryPort::map, e);
                x = map;
                if (!map.from.empty() && type_ != Type::number) x = emit("convert", type_, {{"in", map}});
                x = adjusted(e, x);
                const size_t m =
                    size_t(std::clamp(scene::as_number(of(EntryPort::mode, e).value), 0.f, float(modes().size() - 1)));
                mode = &modes()[m];
            } else if (e.sort == Sort::adjuster) {
                x = adjusted(e, below);
            } else {
                x = laid(e.members, below);
            }
            const scene::Input a = amount(e, map);
            const bool whole = !differs(a, 1.f);
            const std::string kind = mode->kind;
            if (kind == "multiply") x = emit("multiply", type_, {{"in1", below}, {"in2", x}});
            if (kind == "mix" || kind == "multiply")
                below = whole ? x : emit("mix", type_, {{"fg", x}, {"bg", below}, {"mix", a}});
            else if (mode->own >= 0)
                below = emit("blend", type_, {{"fg", x}, {"bg", below}, {"mix", a}, {"mode", value(float(mode->own))}});
            else
                below = emit(mode->kind, type_, {{"fg", x}, {"bg", below}, {"mix", a}});
        }
        return below;
    }

    const scene::Node& node_;
    const TypeOf& type_of_;
    NodeDescription d_;
    Type type_;
    std::vector<scene::Node> out_;
    int count_ = 0;
};

std::vector<scene::Node> chain_of(const scene::Node& node, const TypeOf& type_of) {
    return StackChain(node, type_of).run();
}

}  // namespace

std::string entry_port(EntryPort what, int number) {
    static constexpr const char* words[] = {"map", "mode", "opacity", "mask", "on",         "title", "exposure",
                                            "low", "high", "gamma",   "hue",  "saturation", "tint",  "turned"};
    return words[size_t(what)] + std::to_string(number);
}

bool is_stack(const scene::Node& node) {
    return node.kind == kind_of_stack && node.network.empty();
}

Entries entries_of(const scene::Node& node) {
    const auto it = node.inputs.find(order_port);
    const std::string* text = it == node.inputs.end() ? nullptr : std::get_if<std::string>(&it->second.value);
    const std::string first = "1 2";
    return OrderReader(text ? *text : first).read();
}

void set_entries(scene::Node& node, const Entries& entries) {
    std::set<int> there;
    for_each_entry(entries, [&](const StackEntry& e) { there.insert(e.number); });
    for_each_entry(entries_of(node), [&](const StackEntry& e) {
        if (there.contains(e.number)) return;
        for (const Type t : {Type::color, Type::number})
            for (const Port& p : ports_of(e, t)) node.inputs.erase(p.name);
    });
    node.inputs[order_port].value = order_of(entries);
}

int add_entry(scene::Node& node, Sort sort) {
    Entries entries = entries_of(node);
    std::set<int> taken;
    for_each_entry(entries, [&](const StackEntry& e) { taken.insert(e.number); });
    if (taken.size() >= size_t(most_entries)) return 0;
    int number = 1;
    while (taken.contains(number)) ++number;
    entries.push_back({number, sort, {}});
    set_entries(node, entries);
    return number;
}

void remove_entry(scene::Node& node, int number) {
    Entries entries = entries_of(node);
    const Found f = find(entries, number);
    if (!f.list) return;
    f.list->erase(f.list->begin() + long(f.at));
    set_entries(node, entries);
}

void move_entry(scene::Node& node, int number, int by) {
    Entries entries = entries_of(node);
    const Found f = find(entries, number);
    if (!f.list) return;
    const long to = long(f.at) + by;
    if (to >= 0 && to < long(f.list->size())) {
        std::swap((*f.list)[f.at], (*f.list)[size_t(to)]);
    } else if (f.outer) {
        StackEntry e = std::move((*f.list)[f.at]);
        f.list->erase(f.list->begin() + long(f.at));
        f.outer->insert(f.outer->begin() + long(f.outer_at) + (by > 0 ? 1 : 0), std::move(e));
    }
    set_entries(node, entries);
}

void group_entry(scene::Node& node, int number) {
    Entries entries = entries_of(node);
    const Found f = find(entries, number);
    if (!f.list) return;
    StackEntry e = std::move((*f.list)[f.at]);
    f.list->erase(f.list->begin() + long(f.at));
    if (f.at > 0 && (*f.list)[f.at - 1].sort == Sort::group) {
        (*f.list)[f.at - 1].members.push_back(std::move(e));
        return set_entries(node, entries);
    }
    std::set<int> taken{number};
    for_each_entry(entries, [&](const StackEntry& x) { taken.insert(x.number); });
    StackEntry group{1, Sort::group, {}};
    while (taken.contains(group.number)) ++group.number;
    size_t at = f.at;
    if (at > 0) {
        group.members.push_back(std::move((*f.list)[at - 1]));
        f.list->erase(f.list->begin() + long(--at));
    }
    group.members.push_back(std::move(e));
    f.list->insert(f.list->begin() + long(at), std::move(group));
    set_entries(node, entries);
}

std::string title_of(const scene::Node& node, const StackEntry& e) {
    const auto it = node.inputs.find(entry_port(EntryPort::title, e.number));
    if (it != node.inputs.end())
        if (const auto* text = std::get_if<std::string>(&it->second.value); text && !text->empty()) return *text;
    const char* names[] = {"Map ", "Adjuster ", "Group "};
    return names[size_t(e.sort)] + std::to_string(e.number);
}

void describe_map_stack(std::vector<NodeDescription>& list) {
    list.push_back({.kind = kind_of_stack,
                    .title = "Map stack",
                    .family = "combine",
                    .help =
                        "A list of maps and networks that lie on each other, each with a mode, an opacity, a mask and "
                        "adjusters of its own; adjusters that act on all below them; groups.",
                    .types = {Type::color, Type::number},
                    .ports = {{.name = order_port,
                               .help = "The entries' numbers from the bottom to the top; edited as a list.",
                               .type = Type::text,
                               .value = std::string("1 2"),
                               .uniform = true,
                               .text = true,
                               .role = Role::list_order},
                              {.name = "base",
                               .help = "What all entries lie on.",
                               .same_as_output = true,
                               .value = 0.f,
                               .role = Role::subject}},
                    .of_node = stack_of,
                    .stands_for = chain_of});
}

}  // namespace vemtra::nodes
