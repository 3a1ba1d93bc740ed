// The map stack: one node that is a list. Its entries lie on each other from the bottom to the top; each is a map or a
// network with a blend mode, an opacity, a mask and adjusters of its own, or an adjuster of all that lies below it, or
// a group of entries. It has no kernel: what is computed and handed over is the chain of nodes that it stands for.
#pragma once
#include <string>
#include <vector>

#include "nodes/description.h"

namespace vemtra::nodes {

inline constexpr int most_entries = 64;  ///< of one stack
inline constexpr int deepest_group = 8;

struct StackEntry {
    enum class Sort : uint8_t { map, adjuster, group };
    int number = 0;  ///< its ports are called by it; it stays when the entry is moved
    Sort sort = Sort::map;
    std::vector<StackEntry> members;  ///< of a group, bottom to top
};

bool is_stack(const scene::Node& node);
/// Bottom to top. What cannot be read is left out.
std::vector<StackEntry> entries_of(const scene::Node& node);
/// Numbers that `entries` no longer have lose what stood at their ports.
void set_entries(scene::Node& node, const std::vector<StackEntry>& entries);
/// Adds one on top; its number, or 0 where the stack is full.
int add_entry(scene::Node& node, StackEntry::Sort sort);
void remove_entry(scene::Node& node, int number);
/// One place up (+1) or down (-1) among those that it lies with; past the end of a group it leaves the group.
void move_entry(scene::Node& node, int number, int by);
/// It and the one below it become a group, or it joins the group below it.
void group_entry(scene::Node& node, int number);
/// What an entry has ports for.
enum class EntryPort : uint8_t {
    map,
    mode,
    opacity,
    mask,
    on,
    title,
    exposure,
    low,
    high,
    gamma,
    hue,
    saturation,
    tint,
    turned
};
std::string entry_port(EntryPort what, int number);
/// What the artist called the entry; else what it is.
std::string title_of(const scene::Node& node, const StackEntry& entry);

}  // namespace vemtra::nodes
