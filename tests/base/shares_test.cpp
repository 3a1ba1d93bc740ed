#include "base/shares.h"

#include "support.h"

using namespace vemtra;

TEST_CASE("one budget for many: who wants little gets it, the others alike, and all together no more than there is") {
    CHECK(largest_share({}, 100) == SIZE_MAX);
    CHECK(largest_share({10, 20, 70}, 100) == SIZE_MAX);
    CHECK(largest_share({10, 20, 71}, 100) == 70);
    CHECK(largest_share({50, 10, 60}, 100) == 45);
    CHECK(largest_share(std::vector<size_t>(7, 100), 70) == 10);
    CHECK(largest_share(std::vector<size_t>(7, 100), 3) == 0);
    std::mt19937 random(3);
    for (int round = 0; round < 200; ++round) {
        std::vector<size_t> wanted(1 + random() % 20);
        for (size_t& w : wanted) w = random() % 1000;
        const size_t all = random() % 8000;
        const size_t share = largest_share(wanted, all);
        size_t given = 0;
        size_t more = 0;  // what a share larger by one would give
        for (const size_t w : wanted) {
            given += std::min(w, share);
            more += share == SIZE_MAX ? 0 : std::min(w, share + 1);
        }
        CHECK(given <= all);
        if (share != SIZE_MAX) CHECK(more > all);
    }
}
