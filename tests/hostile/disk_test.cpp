// Disks that are full and folders that may not be written to: a small file system in memory, seen by one process alone.
#include <fcntl.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include "hostile/inputs.h"
#include "hostile/works.h"
#include "scene/paint_journal.h"
#include "scene/project_file.h"
#include "support.h"
#include "texture/paint_files.h"
#include "texture/texture.h"

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
    if (!texture::read_linear_image(elsewhere / "c.png")) wrong += "without caches there is no picture\n";
    return wrong;
}

/// A sheet of chance, which no compression makes small.
scene::Painting noisy(uint32_t seed) {
    scene::TexelsEdit edit(scene::Texels::blank(512, 2));
    for (int y = 0; y < 8; ++y)
        for (int x = 0; x < 8; ++x) {
            uint16_t* t = edit.tile(x, y);
            for (int i = 0; i < scene::texel_tile * scene::texel_tile * 2; ++i) {
                seed = seed * 1664525u + 1013904223u;
                t[i] = uint16_t(0x3000 + (seed >> 22));
            }
        }
    scene::Painting p{.id = "p", .name = "P", .size = 512};
    p.sheets.push_back({1001, 512, "", edit.done(), {}});
    return p;
}

/// A painted project is saved, painted on, and saved again while the disk is full: as the window does it.
std::string paint_on_a_full_disk(const fs::path& disk) {
    const fs::path project = disk / "p.vemtra";
    scene::Scene s = square_project(disk);
    s.paintings = {noisy(1)};
    if (!texture::save_paintings(s, project, Paths(disk), nullptr) || !scene::save(s, project)) return "not saved\n";
    const scene::Scene saved = s;
    fill_to_the_last_byte(disk);
    s.paintings[0].sheets = noisy(2).sheets;
    std::string wrong;
    const auto full = texture::save_paintings(s, project, Paths(disk), &saved);
    if (full)
        wrong += "paint was saved on a full disk\n";
    else if (full.error().why.find("No space left") == std::string::npos)
        wrong += "it is not told why: " + full.error().line() + "\n";
    scene::PaintJournal journal;
    journal.begin(saved);
    if (journal.keep(s, disk / "journal")) wrong += "the journal was kept on a full disk\n";
    if (unfinished_files(disk)) wrong += "unfinished files are left\n";
    auto loaded = scene::load(project);
    if (!loaded) return wrong + "the project is gone\n";
    texture::load_paintings(loaded->scene, Paths(disk), loaded->problems);
    const scene::Sheet* sheet = loaded->scene.paintings[0].sheet(1001);
    if (!sheet || !sheet->texels) return wrong + "what was painted is gone\n";
    size_t apart = 0;
    sheet->texels->for_each_apart(*saved.paintings[0].sheets[0].texels, [&](int level, int x, int y) {
        const auto& a = sheet->texels->tile(level, x, y);
        const auto& b = saved.paintings[0].sheets[0].texels->tile(level, x, y);
        apart += !a || !b || std::memcmp(a.get(), b.get(), sheet->texels->halves() * 2) != 0;
    });
    if (apart) wrong += std::to_string(apart) + " tiles are not those that were saved\n";
    fs::remove(disk / "filler");  // with room again it goes on as if nothing had been
    if (!texture::save_paintings(s, project, Paths(disk), &saved) || !scene::save(s, project))
        wrong += "not saved once there was room again\n";
    return wrong;
}

/// Runs it in a child; "no file system" where there may be none.
template <class F> std::string on_a_small_disk(const char* size, F&& what) {
    const test::Scratch scratch;
    const fs::path disk = scratch.path / "disk", elsewhere = scratch.path / "elsewhere",
                   report = scratch.path / "report";
    fs::create_directories(disk);
    fs::create_directories(elsewhere);
    const pid_t child = ::fork();
    if (child == 0) {
        const bool mounted = own_file_system(disk, size);
        write_bytes(report, mounted ? what(disk, elsewhere) : "no file system");
        ::_exit(0);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    const auto text = read_file(report);
    return text ? *text : "there is no report";
}

template <class F> void holds(const char* size, F&& what) {
    const std::string wrong = on_a_small_disk(size, what);
    if (wrong == "no file system")
        WARN("not shown: this system does not let a process have a file system of its own");
    else
        CHECK(wrong == "");
}

}  // namespace

TEST_CASE("a full disk is told, and takes nothing with it", "[disk]") {
    holds("2m", [](const fs::path& disk, const fs::path& elsewhere) {
        return what_is_wrong(disk, elsewhere, true, "No space left");
    });
}
TEST_CASE("a file system that may not be written to is told", "[disk]") {
    holds("2m", [](const fs::path& disk, const fs::path& elsewhere) {
        return what_is_wrong(disk, elsewhere, false, "Read-only file system");
    });
}
TEST_CASE("a full disk in the middle of saving paint leaves what was saved before", "[disk]") {
    holds("6m", [](const fs::path& disk, const fs::path&) { return paint_on_a_full_disk(disk); });
}
