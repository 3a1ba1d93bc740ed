// Where the sources and the command line are. One file alone is told: all others are the same in a clone elsewhere, and
// come out of the compiler's cache there.
#pragma once

namespace vemtra::test {

extern const char* const source_folder;
extern const char* const cli_file;

}  // namespace vemtra::test
