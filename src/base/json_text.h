// JSON from outside. Depth is bounded, so that nothing that walks it can run out of stack, and what the library throws
// becomes an Error; what goes out is always valid UTF-8.
#pragma once
#include <algorithm>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

#include "base/result.h"

namespace vemtra {

/// Lists and objects within one another; what programs write is a tenth of it.
inline constexpr int deepest_json = 256;

/// False where lists and objects stand deeper within one another than `deepest`.
inline bool json_depth_within(std::string_view text, int deepest = deepest_json) {
    int depth = 0;
    for (size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '"') {
            for (++i; i < text.size() && text[i] != '"'; ++i)
                if (text[i] == '\\') ++i;
        } else if (c == '[' || c == '{') {
            if (++depth > deepest) return false;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return true;
}

/// Json: nlohmann::json or nlohmann::ordered_json. The Error has `place` "line N" where that is known, and `why`; what
/// and file are the caller's to say.
template <class Json> Result<Json> parse_json(std::string_view text) {
    auto wrong = [&](size_t byte, const std::string& why) {
        const long line = 1 + std::count(text.begin(), text.begin() + long(std::min(byte, text.size())), '\n');
        return Error{"", "", byte ? "line " + std::to_string(line) : "", why, ""};
    };
    if (!json_depth_within(text)) return wrong(0, "its lists and objects are nested too deep");
    try {
        return Json::parse(text.begin(), text.end());
    } catch (const typename Json::parse_error& e) {
        return wrong(e.byte, "the JSON breaks off or has a mistake there");
    } catch (const typename Json::out_of_range&) {
        return wrong(0, "a number in it is too large for any computer");
    } catch (const std::exception& e) {
        return wrong(0, e.what());
    }
}

/// Indented by one; bytes that are no UTF-8 are replaced.
template <class Json> std::string json_text(const Json& json, int indent = 1) {
    return json.dump(indent, ' ', false, Json::error_handler_t::replace);
}

}  // namespace vemtra
