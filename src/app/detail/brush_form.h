// The brush in hand as rows of the detail panel: what it does, how it presses, where it may go, and what is done to the
// whole of the painting.
#pragma once
#include "app/detail/form.h"

namespace vemtra::app {

void build_brush(Form& form, Workbench& bench);
/// Changes when the rows have to be others.
std::string shape_of_brush(const Workbench& bench);

}  // namespace vemtra::app
