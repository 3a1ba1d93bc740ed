#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>
