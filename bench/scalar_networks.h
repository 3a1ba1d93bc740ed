// Six typical networks as a programmer would write them by hand, one point at a time: what ours are held against.
#pragma once

namespace vemtra::bench {

struct ScalarPoint {
    float x, y, z;     ///< position
    float nx, ny, nz;  ///< normal
    float u, v;
};
float hand_worn_edge(const ScalarPoint& p);
float hand_rust(const ScalarPoint& p);
float hand_box_grunge(const ScalarPoint& p);
float hand_stack(const ScalarPoint& p);
float hand_brick(const ScalarPoint& p);
float hand_noise_ramp(const ScalarPoint& p);

}  // namespace vemtra::bench
