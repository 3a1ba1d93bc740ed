#include <OpenImageIO/imageio.h>

#include "exchange/map_pack.h"
#include "texture/texture.h"
#include "texture_support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

struct Set {
    Scratch s, out;
    void map(const std::string& name, float value, int channels = 1) const {
        write_image(s.path / name, 8, 8, channels, Kept::bytes,
                    [=](int, int, int c) { return value + .1f * float(c); });
    }
    texture::MapSet found() const {
        std::vector<Error> problems;
        auto sets = texture::find_map_sets({s.path}, problems);
        REQUIRE(sets.size() == 1);
        return sets[0];
    }
    Result<exchange::Packed> packed(const std::string& recipe) const {
        Scratch elsewhere;
        const auto r = exchange::read_recipe(elsewhere.write("r.json", recipe));
        REQUIRE(r);
        return exchange::pack(found(), *r, out.path);
    }
    float value_of(const fs::path& file) const {
        auto in = OIIO::ImageInput::open(file.string());
        REQUIRE(in);
        std::vector<float> texels(8 * 8 * size_t(in->spec().nchannels));
        REQUIRE(in->read_image(0, 0, 0, -1, OIIO::TypeDesc::FLOAT, texels.data()));
        return texels[0];
    }
};

constexpr const char* roughness = R"({"outputs":[{"name":"{set}_r.png","channels":["roughness"]}]})";
constexpr const char* gloss = R"({"outputs":[{"name":"{set}_g.png","channels":["glossiness"]}]})";

}  // namespace

TEST_CASE("a set with neither roughness nor gloss is packed by every recipe that ships") {
    const Set set;
    set.map("crate_basecolor.png", .3f, 3);
    for (const fs::path& file : exchange::shipped_recipes()) {
        INFO(file.stem().string());
        const auto recipe = exchange::read_recipe(file);
        REQUIRE(recipe);
        const auto packed = exchange::pack(set.found(), *recipe, set.out.path);
        REQUIRE(packed);
        CHECK(packed->written.size() + packed->left_out.size() > 0);
    }
    CHECK(set.packed(roughness)->written.empty());
    CHECK(set.packed(gloss)->written.empty());
}

TEST_CASE("roughness comes from gloss turned over, and the other way round") {
    const Set rough, glossy;
    rough.map("crate_roughness.png", .2f);
    glossy.map("crate_glossiness.png", .2f);
    CHECK(rough.value_of(rough.packed(roughness)->written.at(0)) == Approx(.2).margin(.003));
    CHECK(rough.value_of(rough.packed(gloss)->written.at(0)) == Approx(.8).margin(.003));
    CHECK(glossy.value_of(glossy.packed(gloss)->written.at(0)) == Approx(.2).margin(.003));
    CHECK(glossy.value_of(glossy.packed(roughness)->written.at(0)) == Approx(.8).margin(.003));
}

TEST_CASE("the three names of heights stand for one another") {
    const Set set;
    set.map("crate_height.png", .4f);
    for (const char* kind : {"height", "displacement", "bump"}) {
        const auto packed =
            set.packed(std::string(R"({"outputs":[{"name":"{set}_h.png","channels":[")") + kind + R"("]}]})");
        REQUIRE(packed);
        REQUIRE(packed->written.size() == 1);
        CHECK(set.value_of(packed->written[0]) == Approx(.4).margin(.003));
    }
}

TEST_CASE("a set that is called like a word of recipes is packed under its name") {
    const Set set;
    set.map("crate_roughness.png", .2f);
    texture::MapSet named = set.found();
    named.name = "{set}{tile}";
    const auto recipe = exchange::read_recipe(set.out.write("r.json", roughness));
    REQUIRE(recipe);
    const auto packed = exchange::pack(named, *recipe, set.out.path);
    REQUIRE(packed);
    REQUIRE(packed->written.size() == 1);
    CHECK(fs::exists(packed->written[0]));
}

TEST_CASE("recipes that lie are refused with their place") {
    Scratch s;
    for (const char* text :
         {"", "7", "[]", "{}", R"({"outputs":[]})", R"({"outputs":[7]})",
          R"({"outputs":[{"name":"../x.png","channels":["roughness"]}]})",
          R"({"outputs":[{"name":"x.gif","channels":["roughness"]}]})",
          R"({"outputs":[{"name":"x.png","channels":[]}]})", R"({"outputs":[{"name":"x.png","channels":[7]}]})",
          R"({"outputs":[{"name":"x.png","channels":["roughness"],"resize":99999999999}]})",
          R"({"outputs":[{"name":"x.png","channels":["roughness"],"resize":1e400}]})",
          R"({"outputs":[{"name":"x.png","channels":["roughness"],"scale":0}]})",
          R"({"outputs":[{"name":"x.png","channels":["roughness"],"space":"moon"}]})",
          R"({"skip_blank":1,"outputs":[{"name":"x.png","channels":["roughness"]}]})"}) {
        INFO(text);
        const auto r = exchange::read_recipe(s.write("r.json", text));
        REQUIRE_FALSE(r);
        CHECK(r.error().file == (s.path / "r.json").string());
        CHECK_FALSE(r.error().why.empty());
    }
    CHECK_FALSE(exchange::read_recipe(s.write("r.json", std::string(100000, '['))));
}
