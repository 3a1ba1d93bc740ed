#include "scene/part_names.h"

#include "support.h"

using namespace vemtra::scene;

TEST_CASE("parts are meant by name, with stars, whatever the capitals and blanks") {
    CHECK(names_in("").empty());
    CHECK(names_in(" ; ;; ").empty());
    CHECK(names_in(" Lens;Bolts and hinges ;x") == std::vector<std::string>{"Lens", "Bolts and hinges", "x"});
    CHECK(is_meant("lens", "Lens"));
    CHECK_FALSE(is_meant("lens", "Lenses"));
    CHECK(is_meant("lens*", "Lenses"));
    CHECK(is_meant("*", ""));
    CHECK(is_meant("b*t*s", "Bolts and hinges"));
    CHECK_FALSE(is_meant("b*x*s", "Bolts and hinges"));
    CHECK_FALSE(is_meant("", "a"));
    CHECK(is_meant("*ab", "aab"));
    CHECK(is_meant_by("rope; bolt*", " Bolts"));
    CHECK_FALSE(is_meant_by("rope; bolt", "Bolts"));
    CHECK_FALSE(is_meant(std::string(60, '*') + "b", std::string(60, 'a')));
    const std::string odd(longest_pattern + 1, '*');  // too long for a pattern
    CHECK_FALSE(is_meant(odd, "a"));
    CHECK(is_meant(odd, odd));
    std::string many;
    for (int i = 0; i < 100; ++i) many += "n" + std::to_string(i) + ";";
    CHECK(names_in(many).size() == most_names + 1);
    CHECK(is_meant_by(many, "n31"));
    CHECK_FALSE(is_meant_by(many, "n32"));
}

TEST_CASE("a name is put into a list and taken out of it") {
    CHECK(with_name("", "Lens", true) == "Lens");
    CHECK(with_name("Lens", "Rope grip", true) == "Lens; Rope grip");
    CHECK(with_name("Lens; Rope grip", "lens", false) == "Rope grip");
    CHECK(with_name("Lens", "Lens", true) == "Lens");
    CHECK(with_name("B*; Lens", "Bolts", false) == "Lens");  // what meant it goes
    const std::string odd = with_name("", "a;b", true);      // a semicolon would end it
    CHECK(is_meant_by(odd, "a;b"));
    CHECK(with_name(odd, "a;b", false).empty());
}
