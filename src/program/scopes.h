// Networks within networks: which node computes what an input reads, through instances and their inputs.
#pragma once
#include <deque>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "scene/scene.h"

namespace vemtra::program {

/// Scope 0 is the build-up itself, every other one the inside of one instance of a network. Scopes are made as they are
/// entered, each once.
class Scopes {
public:
    using Tell = std::function<void(const std::string& node, const std::string& why, const std::string& remedy)>;
    /// `networks` null: there are none. Both are referred to.
    Scopes(const scene::BuildUp& build_up, const std::vector<scene::Network>* networks, Tell tell);

    int parent(int scope) const { return scopes_[size_t(scope)].parent; }
    /// The input of that name of the network whose inside the scope is; null where there is none.
    const scene::NetworkInput* network_input(int scope, const std::string& name) const;
    /// What the instance of a scope has at that input of its network: its own, or the network's default.
    scene::Input given(int scope, const scene::NetworkInput& port) const;

    struct Computing {
        int scope = 0;
        const scene::Node* node = nullptr;
    };
    /// Follows an input through instances to the node that computes it; node null: a literal stands there, or nothing
    /// that exists. `aloud`: what does not exist is told.
    Computing resolve(int scope, scene::Input input, const std::string& reader, bool aloud);
    /// What a fixed port is given from outside of its network, or by what passes on a literal; nothing: it differs from
    /// point to point. `words`: by inputs of networks alone, for those are where paths are looked for before any file
    /// is opened (nodes::file_inputs).
    std::optional<scene::Value> fixed_value(int scope, scene::Input input, bool words);

private:
    struct Scope {
        const scene::Network* network = nullptr;  ///< null: the build-up
        const scene::Node* instance = nullptr;
        int parent = -1, depth = 0;
        std::unordered_map<std::string_view, const scene::Node*> nodes;
        std::unordered_map<std::string, int> children;  ///< by the instance's id
    };
    /// The inside of an instance; -1 where its network is not there or contains itself.
    int inside(int scope, const scene::Node& instance);

    Tell tell_;
    std::unordered_map<std::string, const scene::Network*> networks_;
    std::deque<Scope> scopes_;  // references stay good while instances are entered
};

}  // namespace vemtra::program
