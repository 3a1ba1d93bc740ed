#include <catch2/catch.hpp>

#include "base/json_text.h"
#include "base/text.h"

using namespace vemtra;
using OrderedJson = nlohmann::ordered_json;

TEST_CASE("well-formed UTF-8 stays, and every other byte is replaced by one sign") {
    const std::string good = "buoy \xc3\xb8 \xe2\x82\xac \xf0\x9f\x9a\xa2 \xed\x9f\xbf \xf4\x8f\xbf\xbf";
    CHECK(valid_utf8(good) == good);
    CHECK(valid_utf8("") == "");
    CHECK(valid_utf8("a\xff"
                     "b") == "a?b");
    CHECK(valid_utf8("\xc0\x80") == "??");            // an overlong zero
    CHECK(valid_utf8("\xe0\x9f\xbf") == "???");       // overlong
    CHECK(valid_utf8("\xed\xa0\x80") == "???");       // half of a pair
    CHECK(valid_utf8("\xf4\x90\x80\x80") == "????");  // beyond the last character
    CHECK(valid_utf8("\xf0\x9f\x9a") == "???");       // cut off
    CHECK(valid_utf8(std::string("a\0b", 3)) == std::string("a\0b", 3));
}

TEST_CASE("nothing that a terminal obeys gets into a sentence") {
    CHECK(printable("plain \xc3\xb8") == "plain \xc3\xb8");
    CHECK(printable("a\x1b[2J\nb\x7f") == "a?[2J?b?");
    const Error e{"What", "fi\nle", "pl\tace", "why", "remedy"};
    CHECK(e.line() == "What: fi?le (pl?ace): why. remedy");
}

TEST_CASE("JSON from outside: its place where it breaks, and no depth, number or sign that ends the reader") {
    CHECK((*parse_json<OrderedJson>("{\"a\": [1, 2]}"))["a"][1] == 2);
    const auto broken = parse_json<OrderedJson>("{\n \"a\": 1,\n \"b\" 2\n}");
    REQUIRE_FALSE(broken);
    CHECK(broken.error().place == "line 3");
    CHECK_FALSE(parse_json<OrderedJson>(""));
    CHECK_FALSE(parse_json<OrderedJson>("{\"a\": 1e400}"));
    CHECK_FALSE(parse_json<OrderedJson>("\"\xff\""));
    const auto deep = [](int depth) { return std::string(size_t(depth), '[') + std::string(size_t(depth), ']'); };
    CHECK(parse_json<OrderedJson>(deep(deepest_json)));
    CHECK_FALSE(parse_json<OrderedJson>(deep(deepest_json + 1)));
    CHECK_FALSE(parse_json<OrderedJson>(std::string(1000000, '[')));
    CHECK_FALSE(parse_json<OrderedJson>(std::string(1000000, '{')));
    CHECK(parse_json<OrderedJson>("\"[[[ \\\" [[[\""));  // brackets in texts are no depth
    CHECK(json_depth_within("\"" + std::string(1000, '[') + "\"", 1));
    CHECK_FALSE(json_depth_within("[[]]", 1));
}

TEST_CASE("JSON goes out as UTF-8, whatever bytes are in it") {
    const std::string text = json_text(OrderedJson{{"name", "a\xff"}}, -1);
    CHECK(parse_json<OrderedJson>(text));
    CHECK(text.find('\xff') == std::string::npos);
}
