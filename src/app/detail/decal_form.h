// The rows of a layer that is a decal.
#pragma once
#include "app/detail/form.h"

namespace vemtra::app {

void build_decal(Form& form, Workbench& bench, const scene::Layer& layer);

}  // namespace vemtra::app
