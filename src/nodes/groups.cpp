#include "nodes/groups.h"

#include <algorithm>
#include <set>

#include "scene/edits.h"

namespace vemtra::nodes {
namespace {

using Nodes = std::vector<scene::Node>;

Error no_group(const std::string& title, const std::string& why, const std::string& remedy) {
    return {title, "", "", why, remedy};
}

/// The lane that holds the node; null where there is none.
Nodes* lane_of(scene::BuildUp& b, const std::string& node) {
    auto holds = [&](const Nodes& lane) {
        return std::any_of(lane.begin(), lane.end(), [&](const scene::Node& n) { return n.id == node; });
    };
    for (scene::Layer& l : b.layers)
        if (holds(l.nodes)) return &l.nodes;
    return holds(b.commons) ? &b.commons : nullptr;
}
Type type_named(const std::string& name) {
    Type t = Type::color;
    type_from_name(name, t);
    return t;
}
/// What a wire from there carries.
Type carried(const scene::Scene& scene, const scene::BuildUp& b, const scene::Input& wire) {
    const scene::Node* n = scene::find_node(b, wire.from).node;
    if (!n) return Type::color;
    if (const scene::Network* of = n->network.empty() ? nullptr : scene::find(scene.networks, n->network))
        for (const scene::NetworkOutput& o : of->outputs)
            if (wire.output.empty() || o.name == wire.output) return type_named(o.type);
    const auto d = describe(scene, *n);
    return d ? d->output_type(*n) : Type::color;
}
const NodeDescription& pass() {
    static const NodeDescription& d = *describe("dot");
    return d;
}
bool may_pass(Type t) {
    const auto& types = pass().types;
    return std::find(types.begin(), types.end(), t) != types.end();
}
const std::string& pass_port() {
    return pass().ports.front().name;
}

/// Turns nodes of a build-up into a network.
class Gather {
public:
    Gather(scene::Scene& scene, scene::BuildUp& b, scene::Network network)
        : scene_(scene), b_(b), network_(std::move(network)) {}

    std::string run(const std::vector<std::string>& inside, const std::vector<std::string>& inputs,
                    const std::vector<std::string>& outputs) {
        inside_ = {inside.begin(), inside.end()};
        Nodes* lane = lane_of(b_, inside.empty() ? outputs.front() : inside.front());
        instance_.id = scene::fresh_id(b_, scene::stem_of(network_.name));
        instance_.network = network_.id;
        instance_.name = network_.name;
        // Inside, nodes and inputs are read by one name: that of an input stays, for other instances give it a value.
        for (const std::string& id : inputs) declared_input(*scene::find_node(b_, id).node);
        for (const std::string& id : inside)
            for (const auto& [port, word] : scene::find_node(b_, id).node->words_from) names_.insert(word_of(word));
        for (const std::string& id : inside) renamed_[id] = take_name(id);
        for (const std::string& id : inside) {
            scene::Node n = *scene::find_node(b_, id).node;
            n.id = renamed_[id];
            n.laid_open.clear();
            for (auto& [name, input] : n.inputs) inward(name, input);
            take_words(n);
            network_.nodes.push_back(std::move(n));
        }
        for (const std::string& id : outputs) declared_output(*scene::find_node(b_, id).node);
        scene::for_each_node(b_, [&](scene::Node& n, scene::Layer*) {
            if (!inside_.contains(n.id) && !gone_.contains(n.id))
                for (auto& [name, input] : n.inputs) outward(input);
        });
        for (scene::Layer& l : b_.layers) {
            outward(l.gate.mask);
            for (auto& [name, input] : l.surface) outward(input);
        }
        for (auto& [name, input] : instance_.inputs) outward(input);  // an output that goes round into an input
        if (network_.outputs.empty() && !inside.empty()) add_output(inside.back());
        stand(*lane);
        return instance_.id;
    }

private:
    static std::string take(std::set<std::string>& taken, const std::string& wanted) {
        std::string name = wanted;
        for (int n = 2; !taken.insert(name).second; ++n) name = wanted + "-" + std::to_string(n);
        return name;
    }
    std::string take_name(const std::string& wanted) { return take(names_, wanted); }
    std::string output_name(const std::string& wanted) { return take(output_names_, wanted); }
    void declared_input(const scene::Node& n) {
        const std::string name = take_name(n.name.empty() ? n.id : n.name);
        const auto at = n.inputs.find(pass_port());
        const scene::Input given = at == n.inputs.end() ? scene::Input() : at->second;
        network_.inputs.push_back({name, n.type, given.value, help_of(name), {}});
        instance_.inputs[name] = given;
        inward_[{n.id, ""}] = name;
        gone_.insert(n.id);
    }
    static const std::string& word_of(const scene::Input& i) {
        static const std::string none;
        const std::string* word = std::get_if<std::string>(&i.value);
        return word ? *word : none;
    }
    /// What fixed ports took from inputs of the group before it lay open, they take again.
    void take_words(scene::Node& n) {
        for (const auto& [port, word] : n.words_from) {
            const std::string& name = word_of(word);
            scene::Input& input = n.inputs[port];
            if (!instance_.inputs.contains(name)) {
                std::string type = type_name(Type::text);
                for (const scene::NetworkInput& i : before_)
                    if (i.name == name) type = i.type;
                network_.inputs.push_back({name, type, input.value, help_of(name), {}});
                instance_.inputs[name].value = input.value;
            }
            input.from = name;
        }
        n.words_from.clear();
    }
    std::string help_of(const std::string& name) const {
        for (const scene::NetworkInput& i : before_)
            if (i.name == name) return i.help;
        return {};
    }
    void declared_output(const scene::Node& n) {
        const std::string name = output_name(n.name.empty() ? n.id : n.name);
        const auto at = n.inputs.find(pass_port());
        scene::Input input = at == n.inputs.end() ? scene::Input() : at->second;
        inward(name, input);
        network_.outputs.push_back({name, n.type, input, {}});
        outward_[{n.id, ""}] = name;
        gone_.insert(n.id);
    }
    /// What a node inside reads from elsewhere becomes an input.
    void inward(const std::string& port, scene::Input& input) {
        if (input.from.empty()) return;
        if (inside_.contains(input.from)) {
            input.from = renamed_[input.from];
            return;
        }
        const std::pair<std::string, std::string> key{input.from, input.output};
        auto known = inward_.find(key);
        if (known == inward_.end()) {
            const scene::Node* source = scene::find_node(b_, input.from).node;
            const std::string name = take_name(source && !source->name.empty() ? source->name : port);
            network_.inputs.push_back({name, type_name(carried(scene_, b_, input)), input.value, {}, {}});
            instance_.inputs[name] = {input.value, input.from, input.output};
            known = inward_.emplace(key, name).first;
        }
        input.from = known->second;
        input.output.clear();
    }
    /// What reads a node inside, or an output tile, reads the instance.
    void outward(scene::Input& input) {
        const std::pair<std::string, std::string> key{input.from, input.output};
        if (!inside_.contains(input.from) && !outward_.contains(key)) return;
        auto known = outward_.find(key);
        if (known == outward_.end()) known = outward_.emplace(key, add_output(input.from, input.output)).first;
        input.from = instance_.id;
        input.output = known->second;
    }
    std::string add_output(const std::string& id, const std::string& output = {}) {
        const scene::Node* n = scene::find_node(b_, id).node;
        const std::string type = type_name(carried(scene_, b_, {scene::Value{0.f}, id, output}));
        const std::string name = output_name(network_.outputs.empty() || !n || n->name.empty() ? "out" : n->name);
        network_.outputs.push_back({name, type, {scene::Value{0.f}, renamed_[id], output}, {}});
        return name;
    }
    /// The instance takes the place of the first of its nodes.
    void stand(Nodes& lane) {
        auto is_gone = [&](const scene::Node& n) { return inside_.contains(n.id) || gone_.contains(n.id); };
        const auto first = std::find_if(lane.begin(), lane.end(), is_gone);
        lane.insert(first, instance_);
        std::erase_if(b_.commons, is_gone);
        for (scene::Layer& l : b_.layers) std::erase_if(l.nodes, is_gone);
        if (scene::Network* there = scene::find(scene_.networks, network_.id))
            *there = std::move(network_);
        else
            scene_.networks.push_back(std::move(network_));
    }

    scene::Scene& scene_;
    scene::BuildUp& b_;
    scene::Network network_;
    std::vector<scene::NetworkInput> before_;
    scene::Node instance_;
    std::set<std::string> inside_, gone_, names_, output_names_;
    std::map<std::string, std::string> renamed_;  ///< ids of the nodes inside: as they were, as they are there
    std::map<std::pair<std::string, std::string>, std::string> inward_, outward_;

public:
    void keep_help_of(const std::vector<scene::NetworkInput>& inputs) { before_ = inputs; }
};

/// The instance's inside, ready to stand in the lane in its place.
Nodes laid_out(const scene::BuildUp& b, const scene::Node& instance, const scene::Network& network,
               std::map<std::string, std::string>& output_tiles) {
    std::unordered_map<std::string, std::string> renamed;
    Nodes inside = scene::copies(b, network.nodes, renamed);
    std::vector<std::string> taken = scene::ids_of(b.layers);
    scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { taken.push_back(n.id); });
    for (const scene::Node& n : inside) taken.push_back(n.id);
    scene::FreshIds fresh(taken);
    auto tile = [&](const std::string& name, const std::string& type, LaidAs as) {
        scene::Node n;
        n.id = fresh.take(scene::stem_of(name));
        n.kind = pass().kind;
        n.type = type;
        n.name = name;
        n.laid_open = laid_open_as(network.id, as);
        return n;
    };
    Nodes out;
    std::unordered_map<std::string, scene::Value> words;
    for (const scene::NetworkInput& i : network.inputs) {
        const auto given = instance.inputs.find(i.name);
        if (type_named(i.type) == Type::text) {  // no wire carries words: they are written where they are read
            words[i.name] = given == instance.inputs.end() ? i.value : given->second.value;
            continue;
        }
        scene::Node n = tile(i.name, i.type, LaidAs::input);
        n.inputs[pass_port()] = given == instance.inputs.end() ? scene::Input{i.value, {}} : given->second;
        renamed[i.name] = n.id;  // it goes before a node of that name
        out.push_back(std::move(n));
    }
    for (scene::Node& n : inside) n.laid_open = laid_open_as(network.id, LaidAs::inside);
    for (size_t k = 0; k < inside.size(); ++k) {
        inside[k].inputs = network.nodes[k].inputs;
        for (auto& [port, input] : inside[k].inputs)
            if (const auto word = words.find(input.from); word != words.end()) {
                inside[k].words_from[port].value = word->first;
                input = {word->second, {}};
            }
        scene::follow(inside[k].inputs, renamed);
        out.push_back(std::move(inside[k]));
    }
    for (const scene::NetworkOutput& o : network.outputs) {
        scene::Node n = tile(o.name, o.type, LaidAs::output);
        scene::Inputs in{{pass_port(), o.input}};
        scene::follow(in, renamed);
        n.inputs = std::move(in);
        output_tiles[o.name] = n.id;
        out.push_back(std::move(n));
    }
    return out;
}

std::string free_network(const scene::Scene& scene, const std::string& name) {
    return scene::fresh_id(scene::ids_of(scene.networks), scene::stem_of(name));
}

}  // namespace

std::string laid_open_as(const std::string& network, LaidAs as) {
    return network + (as == LaidAs::input ? "/in" : as == LaidAs::output ? "/out" : "");
}
std::pair<std::string, LaidAs> laid_open_of(const scene::Node& node) {
    const std::string& s = node.laid_open;
    if (s.ends_with("/in")) return {s.substr(0, s.size() - 3), LaidAs::input};
    if (s.ends_with("/out")) return {s.substr(0, s.size() - 4), LaidAs::output};
    return {s, LaidAs::inside};
}

Result<std::string> make_group(scene::Scene& scene, const std::string& build_up, const std::vector<std::string>& nodes,
                               const std::string& name) {
    scene::BuildUp* b = scene::find(scene.build_ups, build_up);
    std::vector<std::string> inside;
    for (const std::string& id : nodes)
        if (b && scene::find_node(*b, id).node) inside.push_back(id);
    if (inside.empty()) return no_group("No group", "no node is marked", "Draw a frame around some tiles first");
    scene::Network network;
    network.id = free_network(scene, name);
    network.name = name;
    return Gather(scene, *b, std::move(network)).run(inside, {}, {});
}

Status lay_open(scene::Scene& scene, const std::string& build_up, const std::string& id) {
    scene::BuildUp* b = scene::find(scene.build_ups, build_up);
    const scene::Node* found = b ? scene::find_node(*b, id).node : nullptr;
    const scene::Network* network = found ? scene::find(scene.networks, found->network) : nullptr;
    if (!network) return no_group("Not opened", "the node is no group", "Select a group");
    for (const scene::BuildUp& other : scene.build_ups) {
        bool open = false;
        scene::for_each_node(
            other, [&](const scene::Node& n, const scene::Layer*) { open |= laid_open_of(n).first == network->id; });
        if (open)
            return no_group("Not opened", "'" + network->name + "' lies open already, in '" + other.name + "'",
                            "Close it there first");
    }
    auto refused = [&](const std::string& port) {
        return no_group("Not opened", "its '" + port + "' cannot be carried by a wire",
                        "Change it in the network's own file, or replace the node");
    };
    for (const scene::NetworkInput& i : network->inputs)
        if (type_named(i.type) != Type::text && !may_pass(type_named(i.type))) return refused(i.name);
    for (const scene::NetworkOutput& o : network->outputs)
        if (!may_pass(type_named(o.type))) return refused(o.name);
    const scene::Node instance = *found;
    std::map<std::string, std::string> outputs;
    Nodes open = laid_out(*b, instance, *network, outputs);
    const std::string first = network->outputs.empty() ? std::string() : network->outputs.front().name;
    scene::for_each_input(*b, [&](scene::Input& i) {
        if (i.from != id) return;
        i.from = outputs[i.output.empty() ? first : i.output];
        i.output.clear();
    });
    for (scene::Node& n : open)  // what of its inputs came from its own outputs
        for (auto& [name, input] : n.inputs)
            if (input.from == id) input.from = outputs[input.output.empty() ? first : input.output];
    Nodes& lane = *lane_of(*b, id);
    const auto at = std::find_if(lane.begin(), lane.end(), [&](const scene::Node& n) { return n.id == id; });
    const auto next = lane.erase(at);
    lane.insert(next, std::make_move_iterator(open.begin()), std::make_move_iterator(open.end()));
    return Done{};
}

Result<std::string> close_group(scene::Scene& scene, const std::string& build_up, const std::string& id) {
    scene::BuildUp* b = scene::find(scene.build_ups, build_up);
    std::vector<std::string> parts[3];
    if (b)
        scene::for_each_node(*b, [&](const scene::Node& n, const scene::Layer*) {
            if (const auto [of, as] = laid_open_of(n); !of.empty() && of == id) parts[size_t(as)].push_back(n.id);
        });
    if (parts[0].empty() && parts[2].empty())
        return no_group("Not closed", "nothing of that group lies open", "Open one first");
    scene::Network network;
    network.id = id;
    network.name = id;
    std::vector<scene::NetworkInput> before;
    if (const scene::Network* there = scene::find(scene.networks, id)) {
        network.name = there->name;
        network.help = there->help;
        network.extra = there->extra;
        before = there->inputs;
    }
    Gather gather(scene, *b, std::move(network));
    gather.keep_help_of(before);
    return gather.run(parts[size_t(LaidAs::inside)], parts[size_t(LaidAs::input)], parts[size_t(LaidAs::output)]);
}

Status dissolve(scene::Scene& scene, const std::string& build_up, const std::string& instance) {
    const scene::BuildUp* before = scene::find(scene.build_ups, build_up);
    const scene::Node* n = before ? scene::find_node(*before, instance).node : nullptr;
    const std::string network = n ? n->network : std::string();
    if (Status s = lay_open(scene, build_up, instance); !s) return s;
    scene::for_each_node(*scene::find(scene.build_ups, build_up), [&](scene::Node& x, scene::Layer*) {
        if (laid_open_of(x).first != network) return;
        x.laid_open.clear();
        x.words_from.clear();
    });
    return Done{};
}

Status make_unique(scene::Scene& scene, const std::string& build_up, const std::string& instance) {
    scene::BuildUp* b = scene::find(scene.build_ups, build_up);
    scene::Node* n = b ? scene::node(*b, instance) : nullptr;
    const scene::Network* of = n ? scene::find(scene.networks, n->network) : nullptr;
    if (!of) return no_group("Not made unique", "the node is no group", "Select a group");
    scene::Network own = *of;
    own.id = free_network(scene, own.name);
    n->network = own.id;
    scene.networks.push_back(std::move(own));
    return Done{};
}

int instances_of(const scene::Scene& scene, const std::string& network) {
    int count = 0;
    for (const scene::BuildUp& b : scene.build_ups)
        scene::for_each_node(b, [&](const scene::Node& n, const scene::Layer*) { count += n.network == network; });
    for (const scene::Network& w : scene.networks)
        for (const scene::Node& n : w.nodes) count += n.network == network;
    return count;
}

}  // namespace vemtra::nodes
