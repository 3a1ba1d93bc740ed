#include "scene/part_names.h"

#include <algorithm>

#include "base/text.h"

namespace vemtra::scene {

std::vector<std::string> names_in(const std::string& list) {
    std::vector<std::string> names;
    for (size_t begin = 0; begin <= list.size() && names.size() <= most_names;) {
        const size_t end = std::min(list.find(';', begin), list.size());
        if (std::string name = trimmed(list.substr(begin, end - begin)); !name.empty())
            names.push_back(std::move(name));
        begin = end + 1;
    }
    return names;
}

std::string with_name(const std::string& list, const std::string& name, bool with) {
    std::vector<std::string> names = names_in(list);
    std::erase_if(names, [&](const std::string& p) { return is_meant(p, name); });
    if (with) {
        names.push_back(trimmed(name));
        std::replace(names.back().begin(), names.back().end(), ';', '*');  // which would end it
    }
    std::string joined;
    for (const std::string& n : names) joined += (joined.empty() ? "" : "; ") + n;
    return joined;
}

bool is_meant(const std::string& pattern, const std::string& name) {
    const std::string n = lower(trimmed(name));
    if (pattern.size() > longest_pattern || n.size() > longest_pattern)
        return pattern.size() == n.size() && lower(pattern) == n;
    const std::string p = lower(pattern);
    // Only the last star that was passed needs to be tried again with a letter more.
    size_t at = 0;
    size_t star = std::string::npos;
    size_t taken = 0;
    for (size_t i = 0; i < n.size();) {
        if (at < p.size() && p[at] == '*') {
            star = at++;
            taken = i;
        } else if (at < p.size() && p[at] == n[i]) {
            ++at;
            ++i;
        } else if (star != std::string::npos) {
            at = star + 1;
            i = ++taken;
        } else {
            return false;
        }
    }
    while (at < p.size() && p[at] == '*') ++at;
    return at == p.size();
}

bool is_meant_by(const std::vector<std::string>& names, const std::string& name) {
    const auto last = names.begin() + long(std::min(names.size(), most_names));
    return std::any_of(names.begin(), last, [&](const std::string& p) { return is_meant(p, name); });
}
bool is_meant_by(const std::string& list, const std::string& name) {
    return is_meant_by(names_in(list), name);
}

}  // namespace vemtra::scene
