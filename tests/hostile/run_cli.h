// Runs vemtra-cli as a stranger's file would meet it: a process of its own, with a limit of time and of memory.
#pragma once
#include <string>
#include <vector>

#include "base/file.h"

namespace vemtra::hostile {

struct Limits {
    double seconds = 20;
    size_t bytes = size_t(2) << 30;  ///< of memory that can be written to
};

struct Answer {
    int code = -1;        ///< of the process that ended by itself
    int signal = 0;       ///< that ended it
    bool in_time = true;  ///< else it was ended here
    double seconds = 0;
    size_t megabytes = 0;  ///< the most that it had in memory
    std::string text;      ///< what it said, both streams
    /// It ended by itself with one of its own codes, and said why where it failed.
    bool answered() const;
    std::string line() const;
};

/// Waits for the process. `environment`: NAME=VALUE beside what this process has.
Answer run_cli(const std::vector<std::string>& arguments, const Limits& limits = {},
               const std::vector<std::string>& environment = {}, const fs::path& folder = {});

}  // namespace vemtra::hostile
