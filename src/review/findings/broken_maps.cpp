// What turned out to be wrong with maps while they were prepared or read.
#include "review/finding.h"

namespace vemtra::review {

void find_broken_maps(Look& look) {
    for (const Error& e : look.store.problems()) look.tell(Grade::problem, e);
}

}  // namespace vemtra::review
