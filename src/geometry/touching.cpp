#include "geometry/touching.h"

#include "base/hash.h"
#include "geometry/nearest.h"

namespace vemtra::geometry {

Touching::Touching(const Geometry& geometry, bool ground, const std::vector<char>& named, float gap)
    : geometry_(geometry), gap_(gap), low_(geometry.bounds().min.y) {
    const float numbers[] = {gap_, ground ? low_ : 0.f};
    content_ = hash_bytes(numbers, sizeof numbers, ground ? 1 : 2);
    if (ground) return;
    others_.assign(geometry.instances().size(), 0);
    for (uint32_t i = 0; i < others_.size(); ++i) {
        if (!named.empty() && !(i < named.size() && named[i])) continue;
        const Instance& in = geometry.instances()[i];
        others_[i] = 1;
        all_.push_back(i);
        const uint64_t shape = in.shape->content();
        content_ = hash_bytes(&shape, sizeof shape, hash_bytes(&in.to_world, sizeof in.to_world, content_));
    }
}
Touching::~Touching() = default;

bool Touching::at(const Place& place) const {
    const SurfacePoint s = geometry_.at(place);
    if (others_.empty()) return s.position.y - low_ <= gap_;
    std::call_once(once_, [&] { nearest_ = std::make_unique<const Nearest>(geometry_, all_); });
    if (hit_something(nearest_->at(s.position, V3f(0.f), gap_, place.instance).place)) return true;
    const V3f& n = s.normal_geometric;
    if (!(n.length2() > .5f)) return false;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    RTCRayHit ray = single_ray(offset_origin(s.position, n), n);
    rtcIntersect1(geometry_.scene(), &context, &ray);
    const Place met = place_of(ray.hit);
    return hit_something(met) && met.instance != place.instance && others_[met.instance] &&
           geometry_.at(met).normal_geometric.dot(n) > 0.f;
}

}  // namespace vemtra::geometry
