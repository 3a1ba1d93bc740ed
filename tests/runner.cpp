// The test runner of Catch2, compiled once; the suites' own main functions prepare what their cases need and call it.
#define CATCH_CONFIG_RUNNER
#include "runner.h"

#include <catch2/catch.hpp>

namespace vemtra::test {

int run_cases(int argc, char** argv) {
    return Catch::Session().run(argc, argv);
}

}  // namespace vemtra::test
