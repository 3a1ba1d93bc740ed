// Disks that are full and folders that may not be written to: a small file system in memory, seen by one process alone.
#include <fcntl.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include "hostile/inputs.h"
#include "hostile/works.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::hostile;

namespace {

/// May this process have a file system of its own? Where it may not, what follows cannot be shown.
bool own_file_system(const fs::path& at, const char* size) {
    const uid_t user = ::getuid();
    if (::unshare(user == 0 ? CLONE_NEWNS : CLONE_NEWNS | CLONE_NEWUSER) != 0) return false;
    if (user != 0) {
        std::ofstream("/proc/self/setgroups") << "deny";
        std::ofstream("/proc/self/uid_map") << "0 " << user << " 1";
    }
    ::mount(nullptr, "/", nullptr, MS_REC | MS_PRIVATE, nullptr);
    return ::mount("none", at.c_str(), "tmpfs", 0, (std::string("size=") + size).c_str()) == 0;
}

void fill_to_the_last_byte(const fs::path& folder) {
    const int fd = ::open((folder / "filler").c_str(), O_WRONLY | O_CREAT, 0644);
    const std::string block(4096, 'x');
    while (::write(fd, block.data(), block.size()) > 0) {}
    while (::write(fd, block.data(), 1) > 0) {}
    ::close(fd);
}

struct Case {
    const char* name;
    std::vector<std::string> arguments;
    int code;  ///< that is expected
    std::vector<std::string> environment{};
};

/// A project with a map and a field, and files that stand where others will be written.
std::vector<Case> prepared_cases(const fs::path& disk, const fs::path& elsewhere) {
    scene::Scene s = square_project(disk);
    fs::copy_file(test::root / "demo" / "maps" / "hardware_Roughness.1001.png", disk / "crate_roughness.png");
    scene::Node map, field, sum;
    map.id = "map";
    map.kind = "image";
    map.inputs["file"].value = std::string("crate_roughness.png");
    field.id = "field";
    field.kind = "cavity";
    sum.id = "sum";
    sum.kind = "add";
    sum.inputs["in1"].from = "map";
    sum.inputs["in2"].from = "field";
    s.build_ups[0].layers[0].nodes = {map, field, sum};
    s.build_ups[0].layers[0].surface["specular_roughness"].from = "sum";
    const std::string project = save_in(disk, s).string(), square = (disk / "square.obj").string();
    for (const char* name : {"o.png", "o.exr", "old.vemtra"}) write_bytes(disk / name, "old");
    auto on_disk = [&](const char* name) { return (disk / name).string(); };
    const std::string cache = "XDG_CACHE_HOME=" + on_disk("cache");
    return {
        {"a picture, PNG", {"render", project, "-o", on_disk("o.png"), "--size", "64x40", "--samples", "1"}, 1},
        {"a picture, EXR", {"render", project, "-o", on_disk("o.exr"), "--size", "64x40", "--samples", "1"}, 1},
        {"a new picture", {"render", project, "-o", on_disk("new.png"), "--size", "64x40", "--samples", "1"}, 1},
        {"a project over another one", {"new", square, "-o", on_disk("old.vemtra")}, 1},
        {"a new project", {"new", square, "-o", on_disk("new.vemtra")}, 1},
        {"packed maps", {"maps", disk.string(), "--pack", "each-slot-8bit", "-o", on_disk("packed")}, 1},
        {"collected files", {"collect", project, "-o", on_disk("to") + "/p.vemtra"}, 1},
        {"caches",
         {"render", project, "-o", (elsewhere / "c.png").string(), "--size", "64x40", "--samples", "1", "--outside"},
         0,
         {cache}},
    };
}

/// In the process with the file system: one line per thing that is not as it should be.
std::string what_is_wrong(const fs::path& disk, const fs::path& elsewhere, bool full, const char* reason) {
    const std::vector<Case> cases = prepared_cases(disk, elsewhere);
    if (full)
        fill_to_the_last_byte(disk);
    else if (::mount("none", disk.c_str(), nullptr, MS_REMOUNT | MS_RDONLY, nullptr) != 0)
        return "the file system could not be made read-only\n";
    std::string wrong;
    for (const Case& c : cases) {
        const Answer a = run_cli(c.arguments, {}, c.environment);
        if (a.code != c.code) wrong += std::string(c.name) + ": " + a.line() + "\n";
        if (c.code == 1 && a.text.find(reason) == std::string::npos)
            wrong += std::string(c.name) + " does not say '" + reason + "': " + a.text + "\n";
    }
    for (const char* name : {"o.png", "o.exr", "old.vemtra"})
        if (const auto bytes = read_file(disk / name); !bytes || *bytes != "old")
            wrong += std::string(name) + " is not the old one\n";
    for (const char* name : {"new.png", "new.vemtra"})
        if (fs::exists(disk / name)) wrong += std::string(name) + " is there\n";
    if (unfinished_files(disk)) wrong += "unfinished files are left\n";
    if (!texture::read_picture(elsewhere / "c.png")) wrong += "without caches there is no picture\n";
    return wrong;
}

/// Runs it in a child; "no file system" where there may be none.
std::string on_a_small_disk(bool full, const char* reason) {
    const test::Scratch scratch;
    const fs::path disk = scratch.path / "disk", elsewhere = scratch.path / "elsewhere",
                   report = scratch.path / "report";
    fs::create_directories(disk);
    fs::create_directories(elsewhere);
    const pid_t child = ::fork();
    if (child == 0) {
        const bool mounted = own_file_system(disk, "2m");
        write_bytes(report, mounted ? what_is_wrong(disk, elsewhere, full, reason) : "no file system");
        ::_exit(0);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    const auto text = read_file(report);
    return text ? *text : "there is no report";
}

void holds(bool full, const char* reason) {
    const std::string wrong = on_a_small_disk(full, reason);
    if (wrong == "no file system")
        WARN("not shown: this system does not let a process have a file system of its own");
    else
        CHECK(wrong == "");
}

}  // namespace

TEST_CASE("a full disk is told, and takes nothing with it", "[disk]") {
    holds(true, "No space left");
}
TEST_CASE("a file system that may not be written to is told", "[disk]") {
    holds(false, "Read-only file system");
}
