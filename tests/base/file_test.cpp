#include <sys/stat.h>
#include <sys/wait.h>

#include <csignal>

#include "base/byte_stream.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::test;

namespace {

std::vector<std::string> entry_names_in(const fs::path& folder) {
    std::vector<std::string> names;
    for (const auto& e : entries_of(folder)) names.push_back(e.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

/// The number of a process that has ended.
pid_t ended_process() {
    const pid_t child = ::fork();
    if (child == 0) ::_exit(0);
    int status = 0;
    ::waitpid(child, &status, 0);
    return child;
}

/// The temporary file that a writer sees, by its name.
std::string temporary_name(const fs::path& file) {
    std::string name;
    (void)write_atomically_with(file, [&](const fs::path& temporary) -> Status {
        name = temporary.filename().string();
        std::ofstream(temporary) << "x";
        return Done{};
    });
    return name;
}

}  // namespace

TEST_CASE("only ordinary files are opened, and nothing waits for the others") {
    Scratch s;
    const fs::path pipe = s.path / "pipe";
    REQUIRE(::mkfifo(pipe.c_str(), 0600) == 0);
    fs::create_symlink("/dev/zero", s.path / "endless");
    fs::create_symlink("circle", s.path / "circle");
    fs::create_directory(s.path / "folder");
    for (const char* name : {"pipe", "endless", "circle", "folder", "missing"}) {
        INFO(name);
        const auto read = read_file(s.path / name);
        REQUIRE_FALSE(read);
        CHECK(read.error().file == (s.path / name).string());
        CHECK_FALSE(read.error().why.empty());
        CHECK_FALSE(read.error().remedy.empty());
        CHECK_FALSE(ByteStream::open(s.path / name));
    }
    CHECK(read_file(pipe).error().why == "it is no ordinary file");
    CHECK(read_file(s.path / "folder").error().why == "it is a folder");
    s.write("file", "content");
    fs::create_symlink("file", s.path / "link");
    CHECK(*read_file(s.path / "link") == "content");
    CHECK_FALSE(read_file(fs::path(std::string("fi\0le", 5))));
}

TEST_CASE("a file that is larger than may be read is refused by its size") {
    Scratch s;
    const fs::path file = s.write("file", std::string(1000, 'x'));
    CHECK(read_file(file, 1000)->size() == 1000);
    CHECK_FALSE(read_file(file, 999));
    fs::resize_file(file, uintmax_t(1) << 40);  // a terabyte that takes no room
    const auto read = read_file(file);
    REQUIRE_FALSE(read);
    CHECK(read.error().why.find("larger") != std::string::npos);
}

TEST_CASE("what a process left behind that was ended while it wrote goes with the next writing") {
    Scratch s;
    std::string left = temporary_name(s.path / "p.vemtra");
    const std::string own = std::to_string(::getpid());
    REQUIRE(left.find(own) != std::string::npos);
    left.replace(left.find(own), own.size(), std::to_string(ended_process()));
    const std::string of_init = [&] {
        std::string name = temporary_name(s.path / "q.vemtra");
        return name.replace(name.find(own), own.size(), "1");  // a process that is there
    }();
    Scratch other;  // a folder that this process has not written into yet
    other.write(left, "half");
    other.write(of_init, "half");
    other.write(".notes.part.txt", "somebody else's");
    REQUIRE(write_file_atomically(other.path / "p.vemtra", "whole"));
    CHECK(entry_names_in(other.path) == std::vector<std::string>{".notes.part.txt", of_init, "p.vemtra"});
}

TEST_CASE("a writer that fails leaves the old file and nothing else") {
    Scratch s;
    s.write("file", "old");
    const Status written = write_atomically_with(s.path / "file", [](const fs::path& temporary) -> Status {
        std::ofstream(temporary) << "half";
        return Error{"Cannot write", temporary.string(), "", "the disk is full", "Free some space"};
    });
    REQUIRE_FALSE(written);
    CHECK(written.error().file == (s.path / "file").string());
    CHECK(*read_file(s.path / "file") == "old");
    CHECK(entry_names_in(s.path) == std::vector<std::string>{"file"});
    CHECK_FALSE(write_file_atomically(s.path / "no" / "such" / "folder", "x"));
}

TEST_CASE("a copy has the content, also of what is longer than a piece") {
    Scratch s;
    std::string bytes(3000001, '\0');
    for (size_t i = 0; i < bytes.size(); ++i) bytes[i] = char(i * 31 >> 7);
    s.write("from", bytes);
    REQUIRE(copy_file_atomically(s.path / "from", s.path / "to"));
    CHECK(*read_file(s.path / "to") == bytes);
    CHECK_FALSE(copy_file_atomically(s.path / "none", s.path / "to"));
    CHECK(*read_file(s.path / "to") == bytes);
}

TEST_CASE("a stream gives the same lines and bytes from a file as from memory") {
    Scratch s;
    std::string text = "first\n\nthird\r\n" + std::string(2500000, 'x') + "\nlast without a break";
    const fs::path file = s.write("lines", text);
    auto lines = [](ByteStream& in) {
        std::vector<std::string> all;
        for (std::string_view line; in.line(line);) all.emplace_back(line);
        return all;
    };
    ByteStream from_memory = ByteStream::of(text), from_file = std::move(*ByteStream::open(file));
    CHECK(from_file.size() == text.size());
    const auto expected = lines(from_memory);
    REQUIRE(expected.size() == 5);
    CHECK(expected[2] == "third\r");
    CHECK(expected[4] == "last without a break");
    CHECK(lines(from_file) == expected);
    CHECK(from_file.position() == text.size());
    CHECK(from_file.left() == 0);

    ByteStream bytes = std::move(*ByteStream::open(file));
    CHECK(std::string(bytes.take(6), 6) == "first\n");
    CHECK(bytes.look(3).substr(0, 3) == "\nth");
    CHECK(bytes.position() == 6);
    CHECK(bytes.take(text.size()) == nullptr);  // more than there is: nothing is taken
    CHECK(bytes.position() == 6);
    CHECK(bytes.rest() == std::string_view(text).substr(6));
    CHECK(bytes.take(1) == nullptr);
    ByteStream moved = std::move(bytes);
    CHECK(moved.left() == 0);
}

TEST_CASE("a file that is cut while it is read ends there") {
    Scratch s;
    const fs::path file = s.write("growing", std::string(5000000, 'a'));
    ByteStream in = std::move(*ByteStream::open(file));
    REQUIRE(in.take(100));
    fs::resize_file(file, 2000000);
    size_t read = 100;
    while (in.take(1000)) read += 1000;
    CHECK(read <= 2001000);
    CHECK(read >= 1000000);  // what was in memory already
    CHECK(in.left() > 0);    // by what it claimed
}

TEST_CASE("folders of the system stand where its specification has them, and somewhere whatever is told") {
    struct Told {
        explicit Told(const char* name) : name(name) {
            if (const char* v = std::getenv(name)) before = v;
        }
        ~Told() { set(before ? before->c_str() : nullptr); }
        void set(const char* value) { value ? ::setenv(name, value, 1) : ::unsetenv(name); }
        const char* name;
        std::optional<std::string> before;
    };
    Scratch s;
    Told cache("XDG_CACHE_HOME");
    Told data("XDG_DATA_HOME");
    Told home("HOME");
    Told temporary("TMPDIR");
    cache.set((s.path / "c").c_str());
    data.set((s.path / "d").c_str());
    CHECK(cache_folder("maps") == s.path / "c" / "vemtra" / "maps");
    CHECK(fs::is_directory(s.path / "c" / "vemtra" / "maps"));
    CHECK(data_folder() == s.path / "d" / "vemtra");
    // What is no absolute path counts as not told.
    home.set(s.path.c_str());
    cache.set("beside");
    data.set("beside");
    CHECK(cache_folder("maps") == s.path / ".cache" / "vemtra" / "maps");
    CHECK(data_folder() == s.path / ".local" / "share" / "vemtra");
    CHECK_FALSE(fs::exists("beside"));
    home.set(nullptr);
    temporary.set(s.path.c_str());
    CHECK(data_folder() == s.path / "vemtra");
    temporary.set("/no/such/folder");
    CHECK(data_folder() == fs::path("/tmp") / "vemtra");
}

TEST_CASE("paths are said from a folder, or in full where there is no way") {
    CHECK(path_from("/a/b", "/a/b/c/d.png") == "c/d.png");
    CHECK(path_from("/a/b", "/a/x.png") == "../x.png");
    Scratch s;
    fs::create_symlink("circle", s.path / "circle");
    CHECK(path_from(s.path, s.path / "circle" / "x").find("circle") != std::string::npos);
    CHECK(absolute_path("x").is_absolute());
}

TEST_CASE("a folder is kept within its bytes by what was used longest ago") {
    const Scratch s;
    const auto now = fs::file_time_type::clock::now();
    for (int k = 0; k < 5; ++k) {
        const fs::path file = s.write("f" + std::to_string(k), std::string(1000, 'x'));
        fs::last_write_time(file, now - std::chrono::hours(10 - k));
    }
    keep_within(s.path, 5000);
    CHECK(entries_of(s.path).size() == 5);
    mark_used(s.path / "f0");
    keep_within(s.path, 3500);
    CHECK(entries_of(s.path).size() == 3);
    CHECK(fs::exists(s.path / "f0"));
    CHECK_FALSE(fs::exists(s.path / "f1"));
    CHECK_FALSE(fs::exists(s.path / "f2"));
    keep_within(s.path / "nowhere", 1);
}
