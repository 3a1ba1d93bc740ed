// Processes that are ended without warning at moments of chance while they write: the last good version stands.
#include <sys/wait.h>
#include <csignal>
#include <random>
#include <thread>

#include "hostile/run_cli.h"
#include "hostile/works.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::hostile;

namespace {

int rounds() {
    const char* text = std::getenv("VEMTRA_KILLS");  // ./run hostile asks for many
    return text ? std::atoi(text) : 6;
}

void become(const std::string& work, const fs::path& folder, bool once) {
    const std::string self = "/proc/self/exe";
    ::execl(self.c_str(), "vemtra_hostile", "--work", work.c_str(), folder.c_str(), once ? "once" : nullptr, nullptr);
}

/// Starts the work, waits until it has begun, and ends it some time later.
bool begin_and_kill(const std::string& work, const fs::path& folder, long microseconds) {
    fs::remove(folder / "begun");
    const pid_t child = ::fork();
    if (child == 0) {
        become(work, folder, false);
        ::_exit(127);
    }
    for (int i = 0; i < 20000 && !fs::exists(folder / "begun"); ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    std::this_thread::sleep_for(std::chrono::microseconds(microseconds));
    int status = 0;
    if (::waitpid(child, &status, WNOHANG) != 0) return false;
    ::kill(child, SIGKILL);
    ::waitpid(child, &status, 0);
    return fs::exists(folder / "begun");
}

void killed_while(const std::string& name) {
    const test::Scratch scratch;
    const Work& w = *work(name);
    std::mt19937 random(std::random_device{}());
    int left_over = 0;
    const int n = rounds();
    for (int round = 0; round < n; ++round) {
        INFO(name << ", round " << round);
        REQUIRE(begin_and_kill(name, scratch.path, long(random() % 30000)));
        REQUIRE(w.wrong(scratch.path) == "");
        left_over += unfinished_files(scratch.path) > 0;
        CHECK(unfinished_files(scratch.path) <= 8);  // they do not pile up
    }
    const pid_t child = ::fork();
    if (child == 0) {
        become(name, scratch.path, true);
        ::_exit(127);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    CHECK(unfinished_files(scratch.path) == 0);  // the next writer takes away what was left
    CHECK(w.wrong(scratch.path) == "");
    WARN(name << ": " << n << " kills, " << left_over << " of them in the middle of a file");
}

}  // namespace

TEST_CASE("killed while saving", "[kills]") {
    killed_while("save");
}
TEST_CASE("killed while autosaving", "[kills]") {
    killed_while("autosave");
}
TEST_CASE("killed while writing a picture", "[kills]") {
    killed_while("picture");
}
TEST_CASE("killed while packing maps", "[kills]") {
    killed_while("pack");
}
TEST_CASE("killed while collecting", "[kills]") {
    killed_while("collect");
}
TEST_CASE("killed while preparing maps", "[kills]") {
    killed_while("prepare");
}
TEST_CASE("killed while keeping fields", "[kills]") {
    killed_while("fields");
}
TEST_CASE("killed while painting and saving", "[kills]") {
    killed_while("paint");
}
