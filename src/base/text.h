// Small things that many floors do with words.
#pragma once
#include <string>

namespace vemtra {

/// ASCII letters in lower case; other bytes as they are. For extensions, names of files, words of a convention.
inline std::string lower(std::string s) {
    for (char& c : s)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return s;
}

}  // namespace vemtra
