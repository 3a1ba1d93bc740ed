// What was broken or left out while the picture was prepared.
#include "review/finding.h"

namespace vemtra::review {

void find_noticed(Look& look) {
    for (const Error& e : look.prepared.problems) look.tell(Grade::problem, e);
}

}  // namespace vemtra::review
