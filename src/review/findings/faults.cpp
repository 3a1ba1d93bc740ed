// Values from networks that no surface can have, where the camera sees them.
#include "review/finding.h"

namespace vemtra::review {

void find_faults(Look& look) {
    for (const scene::BuildUp& b : look.prepared.scene->build_ups)
        for (const Error& e : look.measured(b.id).faults) look.tell(Grade::problem, e);
}

}  // namespace vemtra::review
