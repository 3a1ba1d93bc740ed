#include "render/pinhole.h"

#include "render_support.h"
#include "support.h"

using namespace vemtra;

TEST_CASE("a wider window shows more at both sides of what was framed, a taller one above and below") {
    scene::Camera c;
    c.focal_length = 36.f;
    const render::Pinhole framed(c, 1280, 800, 1.6f);
    CHECK(framed.tan_x == Approx(.5f));
    CHECK(framed.tan_y == Approx(.3125f));
    const render::Pinhole wide(c, 2000, 500, 1.6f);
    CHECK(wide.tan_y == Approx(.3125f));
    CHECK(wide.tan_x == Approx(1.25f));
    CHECK(wide.pixel_angle == Approx(2.f * 1.25f / 2000.f));
    const render::Pinhole tall(c, 500, 800, 1.6f);
    CHECK(tall.tan_x == Approx(.5f));
    CHECK(tall.tan_y == Approx(.8f));
    const render::Pinhole own(c, 2000, 500);
    CHECK(own.tan_x == Approx(.5f));
}
