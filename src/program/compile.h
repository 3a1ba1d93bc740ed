// From networks to programs. Instances of networks are taken apart: what has been computed is known by the path of
// instances that leads to it, so that two instances with other inputs are two computations, and equal work of both is
// still done once.
#pragma once
#include "base/result.h"
#include "nodes/description.h"
#include "program/program.h"

namespace vemtra::program {

using nodes::FieldRequest;
using nodes::ImageRequest;
using nodes::most_uv_sets;
using nodes::Resources;

/// One value that is wanted from a network: a literal, or a node's output converted to `type`.
struct Wanted {
    std::string name;
    nodes::Type type = nodes::Type::number;
    scene::Input input;
    /// The axis along which a direction varies over the footprint (nodes/kernels/spread.h), in place of the direction:
    /// 0 where nothing is known of it.
    bool spread = false;
};

/// Compiles. What cannot be resolved (unknown node or network, circle, missing source) is reported and the literal
/// stands in its place. `networks`: the scene's definitions; null: there are none. Chains of any length are followed
/// without recursion.
Program compile(const scene::BuildUp& build_up, const std::vector<Wanted>& wanted, Resources& resources,
                std::vector<Error>& problems, const std::vector<scene::Network>* networks = nullptr);

}  // namespace vemtra::program
