// Example of docs/adding.md: a view of the picture. In the house: one word in enum View, one line in views().
#include "render/views.h"

namespace example {

using namespace vemtra;

/// How much a surface faces the eye.
extern const render::ViewKind facing_view;
const render::ViewKind facing_view{render::View::node,
                                   "facing",
                                   "&Facing",
                                   "",
                                   false,
                                   2.f,
                                   [](const render::FirstHit& h) { return V3f(std::fabs(h.s.normal.dot(h.to_eye))); },
                                   false};

}  // namespace example
