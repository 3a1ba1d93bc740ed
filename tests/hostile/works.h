// Work that writes files over and over, in a process of its own, and what must hold wherever it was ended.
#pragma once
#include "base/file.h"

namespace vemtra::hostile {

struct Work {
    const char* name;
    /// Makes what it needs, says that it has begun by a file `begun`, and writes until it is ended; once where `once`.
    void (*go)(const fs::path& folder, bool once);
    /// What is wrong with the files under their final names; empty: nothing.
    std::string (*wrong)(const fs::path& folder);
};
const std::vector<Work>& works();
const Work* work(const std::string& name);

/// Files in the folder, and in those below it, that are on their way to another name.
size_t unfinished_files(const fs::path& folder);

/// The way of a process that is asked to do one work: `--work NAME FOLDER [once]`. False where it is not.
bool was_work(int argc, char** argv);

}  // namespace vemtra::hostile
