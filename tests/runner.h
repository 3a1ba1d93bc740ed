// Runs the cases that are linked in.
#pragma once

namespace vemtra::test {

/// The suite's exit code; arguments are those of Catch2.
int run_cases(int argc, char** argv);

}  // namespace vemtra::test
