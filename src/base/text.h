// Small things that many floors do with words.
#pragma once
#include <string>
#include <string_view>

namespace vemtra {

/// ASCII letters in lower case; other bytes as they are. For extensions, names of files, words of a convention.
inline std::string lower(std::string s) {
    for (char& c : s)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return s;
}

/// Without blanks at both ends.
inline std::string trimmed(const std::string& s) {
    const size_t first = s.find_first_not_of(" \t");
    return first == std::string::npos ? std::string() : s.substr(first, s.find_last_not_of(" \t") - first + 1);
}

/// The text with every byte replaced by '?' that is no part of well-formed UTF-8 (Unicode 15, table 3-7).
inline std::string valid_utf8(std::string_view text) {
    std::string out;
    out.reserve(text.size());
    for (size_t i = 0; i < text.size();) {
        const auto at = [&](size_t k) { return i + k < text.size() ? static_cast<unsigned char>(text[i + k]) : 0u; };
        const unsigned a = at(0);
        const unsigned b = at(1);
        const size_t length = a < 0x80                ? 1
                              : a >= 0xc2 && a < 0xe0 ? 2
                              : a >= 0xe0 && a < 0xf0 ? 3
                              : a >= 0xf0 && a < 0xf5 ? 4
                                                      : 0;
        bool good = length > 0;
        for (size_t k = 1; k < length; ++k) good &= (at(k) & 0xc0u) == 0x80u;
        good &= !(a == 0xe0 && b < 0xa0) && !(a == 0xed && b > 0x9f) && !(a == 0xf0 && b < 0x90) &&
                !(a == 0xf4 && b > 0x8f);
        out += good ? text.substr(i, length) : std::string_view("?");
        i += good ? length : 1;
    }
    return out;
}

/// For a terminal or one line of a log: what would move the cursor or break the line is '?'.
inline std::string printable(std::string text) {
    for (char& c : text)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) c = '?';
    return text;
}

}  // namespace vemtra
