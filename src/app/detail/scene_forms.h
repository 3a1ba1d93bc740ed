// What is edited as a form in the detail panel when it is chosen in the drawer: a rig, one of its lights, a camera, the
// settings of pictures. Named by Selection::form.
#pragma once
#include "app/detail/form.h"

namespace vemtra::app {

inline constexpr const char* rig_form = "rig";          ///< of the rig in use
inline constexpr const char* light_form = "light/";     ///< followed by the light's id
inline constexpr const char* camera_form = "camera/";   ///< followed by the camera's id
inline constexpr const char* picture_form = "picture";  ///< size, samples, limits

/// False where there is nothing of that name (any more).
bool build_scene_form(Form& form, Workbench& bench, const std::string& name);
/// Changes where the rows of the form do: kinds of lights, groups.
std::string shape_of_scene_form(const scene::Scene& scene, const std::string& name);

}  // namespace vemtra::app
