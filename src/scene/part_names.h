// Parts said by their names, as an artist writes them in a node: "Guard; Bolts*".
#pragma once
#include <string>
#include <vector>

namespace vemtra::scene {

/// The single names of a list that is separated by semicolons, without blanks around them; none is empty.
std::vector<std::string> names_in(const std::string& list);
/// The list with that name, or without all that mean it.
std::string with_name(const std::string& list, const std::string& name, bool with);
/// Whether a name is meant: capitals do not matter, and `*` stands for any letters or none.
bool is_meant(const std::string& pattern, const std::string& name);
/// By any of the list.
bool is_meant_by(const std::string& list, const std::string& name);

}  // namespace vemtra::scene
