// How far the nearest other part is through the air, any or only those that are named, or the ground: the level of the
// lowest place of all. Metres; as far as all is large where there is none.
#include "geometry/nearest.h"

#include "geometry/fields/kinds.h"

namespace vemtra::geometry {

FieldKind nearest_field() {
    return {.name = "nearest",
            .version = 4,
            .parameters = {"0 the other parts, 1 the ground"},
            .adaptive = true,
            .tolerance = .001f,
            .samplers = [](const Geometry& geometry, const FieldAsked& asked) -> FieldSamplers {
                const std::vector<float>& p = asked.parameters;
                const float furthest = size_of_all(geometry);
                if (p[0] > .5f) {
                    const float low = geometry.bounds().min.y;
                    return [low, furthest]() -> FieldSampler {
                        return [=](const FieldPoint& at, float* out) {
                            out[0] = std::clamp(at.position.y - low, 0.f, furthest);
                        };
                    };
                }
                std::vector<uint32_t> all;
                for (uint32_t i = 0; i < geometry.instances().size(); ++i)
                    if (asked.named.empty() || asked.is_named(i)) all.push_back(i);
                auto nearest = std::make_shared<const Nearest>(geometry, all);
                return [nearest, furthest]() -> FieldSampler {
                    return [=](const FieldPoint& at, float* out) {
                        const Nearest::Found found = nearest->at(at.position, V3f(0.f), furthest, at.instance);
                        out[0] = hit_something(found.place) ? found.distance : furthest;
                    };
                };
            }};
}

}  // namespace vemtra::geometry
