// Where a part or its asset stands: the rows of the detail panel while parts are arranged.
#pragma once
#include "app/detail/form.h"

namespace vemtra::app {

/// Of the selected part.
void build_part(Form& form, Workbench& bench);

}  // namespace vemtra::app
