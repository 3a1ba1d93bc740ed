#include <unistd.h>
#include <cstdlib>
#include <filesystem>
#include <string>

#include "runner.h"

int main(int argc, char** argv) {
    // The tests neither see nor change what the user keeps.
    const auto data = std::filesystem::temp_directory_path() / ("vemtra-test-data-" + std::to_string(::getpid()));
    setenv("XDG_DATA_HOME", data.c_str(), 1);
    const int result = vemtra::test::run_cases(argc, argv);
    std::error_code ec;
    std::filesystem::remove_all(data, ec);
    return result;
}
