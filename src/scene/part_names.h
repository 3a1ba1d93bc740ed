// Parts said by their names, as an artist writes them in a node: "Guard; Bolts*".
#pragma once
#include <string>
#include <vector>

namespace vemtra::scene {

/// What is beyond in one list is not read: so many names are tried on every part.
inline constexpr size_t most_names = 32;
/// A longer one is a name as it stands; stars in it mean themselves.
inline constexpr size_t longest_pattern = 64;

/// The single names of a list that is separated by semicolons, without blanks around them; none is empty. At most one
/// more than most_names.
std::vector<std::string> names_in(const std::string& list);
/// The list with that name, or without all that mean it.
std::string with_name(const std::string& list, const std::string& name, bool with);
/// Whether a name is meant: capitals do not matter, and `*` stands for any letters or none.
bool is_meant(const std::string& pattern, const std::string& name);
/// By any of the first most_names of a list.
bool is_meant_by(const std::vector<std::string>& names, const std::string& name);
bool is_meant_by(const std::string& list, const std::string& name);

}  // namespace vemtra::scene
