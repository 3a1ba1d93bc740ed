#include "base/file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <mutex>
#include <new>
#include <set>

#include "base/folders.h"
#include "base/hash.h"

namespace vemtra {
namespace {

Error system_error(const std::string& what, const fs::path& path, const std::string& remedy) {
    return Error{what, path.string(), "", std::strerror(errno), remedy};
}

std::string remedy_for_write() {
    switch (errno) {
        case ENOSPC:
        case EDQUOT: return "Free some space, then save again; nothing was lost and the old file is untouched";
        case EACCES:
        case EROFS:
        case EPERM: return "Choose another folder or change its permissions; the old file is untouched";
        case ENOENT: return "The folder does not exist: create it or choose another one";
        default: return "The old file is untouched; try another place";
    }
}

Status flush(const fs::path& path, int flags) {
    const int fd = ::open(path.c_str(), flags);
    if (fd < 0) return system_error("Cannot open", path, remedy_for_write());
    const int rc = ::fsync(fd);
    const int kept = errno;
    ::close(fd);
    errno = kept;
    if (rc != 0 && errno != EINVAL) return system_error("Cannot write to the disk", path, remedy_for_write());
    return Done{};
}

Status write_all(int fd, const char* bytes, size_t size, const fs::path& path) {
    for (size_t written = 0; written < size;) {
        const ssize_t n = ::write(fd, bytes + written, size - written);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return system_error("Cannot write", path, remedy_for_write());
        written += size_t(n);
    }
    return Done{};
}

Status write_bytes(const fs::path& path, const std::string& bytes) {
    const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (fd < 0) return system_error("Cannot create", path, remedy_for_write());
    const Status written = write_all(fd, bytes.data(), bytes.size(), path);
    if (::close(fd) != 0 && written) return system_error("Cannot write", path, remedy_for_write());
    return written;
}

}  // namespace

Result<OrdinaryFile> open_ordinary(const fs::path& path) {
    if (path.native().find('\0') != std::string::npos)
        return Error{"Cannot read", path.string(), "", "its name holds a character of no name", "Name a file"};
    // O_NONBLOCK: a pipe without a writer, or a device, would wait for ever.
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    if (fd < 0) {
        if (errno == ENXIO) return Error{"Cannot read", path.string(), "", "it is no ordinary file", "Name a file"};
        return system_error("Cannot read", path,
                            errno == ENOENT ? "Check the path, or bring the file back" : "Check its permissions");
    }
    struct stat info;
    const bool known = ::fstat(fd, &info) == 0;
    if (known && S_ISREG(info.st_mode)) return OrdinaryFile{fd, size_t(info.st_size)};
    ::close(fd);
    return Error{"Cannot read", path.string(), "",
                 known && S_ISDIR(info.st_mode) ? "it is a folder" : "it is no ordinary file", "Name a file"};
}

Result<std::string> read_file(const fs::path& path, size_t most) {
    const Result<OrdinaryFile> opened = open_ordinary(path);
    if (!opened) return opened.error();
    const int fd = opened->descriptor;
    auto refused = [&](Error error) {
        ::close(fd);
        return error;
    };
    auto too_large = [&](const std::string& why) {
        return refused({"Cannot read", path.string(), "", why, "Check whether it is the file that you mean"});
    };
    if (opened->size > most) return too_large("it is larger than anything of its kind");
    std::string bytes;
    try {
        bytes.resize(opened->size + 1);  // one more, to meet the end; a file may grow while it is read
        for (size_t have = 0;;) {
            if (have == bytes.size()) bytes.resize(2 * have);
            const ssize_t n = ::read(fd, bytes.data() + have, bytes.size() - have);
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) return refused(system_error("Cannot read", path, "Check the disk"));
            if (n > 0 && have + size_t(n) > most) return too_large("it is larger than anything of its kind");
            have += size_t(n);
            if (n > 0) continue;
            bytes.resize(have);
            break;
        }
    } catch (const std::bad_alloc&) {
        return too_large("it does not fit into memory");
    }
    ::close(fd);
    return bytes;
}

namespace {

/// Names of temporary files: ".stem.vt-HOST-PROCESS-NUMBER.part.extension", HOST a hash of the machine's name:
/// processes of other machines that share a folder are none of ours.
constexpr std::string_view mark = ".vt-", part = ".part";
constexpr size_t longest_stem = 100;  // bytes: a name has 255

std::string host_mark() {
    char name[256] = {};
    ::gethostname(name, sizeof name - 1);
    char text[24];
    std::snprintf(text, sizeof text, "%08x", unsigned(hash_text(name)));
    return text;
}

/// The process that a temporary file of this machine belongs to; 0: it is none.
pid_t owner_of(const std::string& name) {
    static const std::string ours = std::string(mark) + host_mark() + "-";
    const size_t at = name.find(ours);
    if (name.empty() || name[0] != '.' || at == std::string::npos || name.find(part, at) == std::string::npos) return 0;
    return pid_t(std::strtol(name.c_str() + at + ours.size(), nullptr, 10));
}

/// Takes away what processes left that were ended while they wrote. Once per folder and process.
void sweep(const fs::path& folder) {
    static std::mutex mutex;
    static std::set<std::string> swept;
    {
        std::lock_guard lock(mutex);
        if (!swept.insert(folder.string()).second) return;
    }
    std::error_code ec;
    for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec)) {
        const pid_t owner = owner_of(it->path().filename().string());
        if (owner > 0 && owner != ::getpid() && ::kill(owner, 0) != 0 && errno == ESRCH) ::unlink(it->path().c_str());
    }
}

/// Why nothing can be written into a folder; 0 where nothing is known to stand against it. Libraries that write files
/// keep the system's reason to themselves.
int what_stands_against(const fs::path& folder) {
    constexpr uint64_t next_to_nothing = 1 << 16;  // bytes
    const fs::path probe = folder / (std::string(".probe") + std::string(mark) + host_mark() + "-" +
                                     std::to_string(::getpid()) + "-0" + std::string(part));
    const int fd = ::open(probe.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    if (fd < 0) return errno;
    ::close(fd);
    ::unlink(probe.c_str());
    struct statvfs info;
    const bool known = ::statvfs(folder.c_str(), &info) == 0;
    return known && uint64_t(info.f_bavail) * info.f_frsize < next_to_nothing ? ENOSPC : 0;
}

fs::path temporary_beside(const fs::path& folder, const fs::path& path) {
    static std::atomic<unsigned> counter{0};
    return folder / ("." + path.stem().string().substr(0, longest_stem) + std::string(mark) + host_mark() + "-" +
                     std::to_string(::getpid()) + "-" + std::to_string(counter++) + std::string(part) +
                     path.extension().string());
}

}  // namespace

Status write_atomically_with(const fs::path& path, const std::function<Status(const fs::path&)>& write) {
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    sweep(folder);
    const fs::path temporary = temporary_beside(folder, path);
    auto give_up = [&](Error error) {
        ::unlink(temporary.c_str());
        if (error.file.empty() || error.file == temporary.string()) error.file = path.string();
        return error;
    };
    if (Status s = write(temporary); !s) {
        Error error = s.error();
        ::unlink(temporary.c_str());  // what it holds may be all that was left
        if (errno = what_stands_against(folder); errno && error.why.find(std::strerror(errno)) == std::string::npos) {
            error.why = std::strerror(errno);
            error.remedy = remedy_for_write();
        }
        return give_up(error);
    }
    if (Status s = flush(temporary, O_RDWR | O_CLOEXEC); !s) return give_up(s.error());
    if (::rename(temporary.c_str(), path.c_str()) != 0)
        return give_up(system_error("Cannot replace", path, remedy_for_write()));
    flush(folder,
          O_RDONLY | O_DIRECTORY | O_CLOEXEC);  // makes the rename itself durable; harmless where it is not supported
    return Done{};
}

Status write_file_atomically(const fs::path& path, const std::string& bytes) {
    return write_atomically_with(path, [&](const fs::path& temporary) { return write_bytes(temporary, bytes); });
}

Status copy_file_atomically(const fs::path& from, const fs::path& to) {
    const Result<OrdinaryFile> opened = open_ordinary(from);
    if (!opened) return opened.error();
    const Status copied = write_atomically_with(to, [&](const fs::path& temporary) -> Status {
        const int out = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
        if (out < 0) return system_error("Cannot create", temporary, remedy_for_write());
        std::vector<char> piece(size_t(1) << 20);
        Status status = Done{};
        for (;;) {
            const ssize_t n = ::read(opened->descriptor, piece.data(), piece.size());
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) status = system_error("Cannot read", from, "Check the disk");
            if (n <= 0) break;
            status = write_all(out, piece.data(), size_t(n), temporary);
            if (!status) break;
        }
        if (::close(out) != 0 && status) status = system_error("Cannot write", temporary, remedy_for_write());
        return status;
    });
    ::close(opened->descriptor);
    return copied;
}

Status make_folder(const fs::path& folder) {
    std::error_code ec;
    if (folder.empty() || fs::is_directory(folder, ec)) return Done{};
    fs::create_directories(folder, ec);
    if (!ec) return Done{};
    errno = ec.value();
    return Error{"Cannot create the folder", folder.string(), "", ec.message(), remedy_for_write()};
}

std::vector<fs::directory_entry> entries_of(const fs::path& folder) {
    std::vector<fs::directory_entry> all;
    std::error_code ec;
    for (fs::directory_iterator it(folder, ec), end; !ec && it != end; it.increment(ec)) all.push_back(*it);
    return all;
}

fs::path absolute_path(const fs::path& path) {
    std::error_code ec;
    const fs::path a = fs::absolute(path, ec);
    return ec ? path : a;
}

std::string path_from(const fs::path& folder, const fs::path& path) {
    std::error_code ec;
    const fs::path relative = fs::proximate(path, folder, ec);
    return ec ? absolute_path(path).string() : relative.generic_string();
}

namespace {

/// Where the XDG Base Directory Specification has it: what the variable says, if that is absolute; else below the home
/// folder; without one, among what is temporary.
fs::path base_folder(const char* variable, const fs::path& below_home) {
    const char* told = std::getenv(variable);
    if (told && fs::path(told).is_absolute()) return told;
    if (const char* home = std::getenv("HOME"); home && *home) return fs::path(home) / below_home;
    std::error_code ec;
    const fs::path temporary = fs::temp_directory_path(ec);
    return ec ? fs::path("/tmp") : temporary;
}

}  // namespace

fs::path cache_folder(const std::string& kind) {
    const fs::path folder = base_folder("XDG_CACHE_HOME", ".cache") / "vemtra" / kind;
    std::error_code ec;
    fs::create_directories(folder, ec);
    return folder;
}

void keep_within(const fs::path& folder, uint64_t bytes) {
    struct Kept {
        fs::file_time_type used;
        fs::path path;
        uint64_t size;
    };
    std::vector<Kept> all;
    uint64_t sum = 0;
    for (const fs::directory_entry& e : entries_of(folder)) {
        std::error_code ec;
        const uint64_t size = e.is_regular_file(ec) ? e.file_size(ec) : 0;
        if (ec || size == 0) continue;
        all.push_back({e.last_write_time(ec), e.path(), size});
        sum += size;
    }
    if (sum <= bytes) return;
    std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.used < b.used; });
    for (const Kept& k : all) {
        if (sum <= bytes - bytes / 10) break;
        std::error_code ec;
        if (fs::remove(k.path, ec)) sum -= k.size;
    }
}
void mark_used(const fs::path& file) {
    std::error_code ec;
    fs::last_write_time(file, fs::file_time_type::clock::now(), ec);
}

fs::path data_folder() {
    return base_folder("XDG_DATA_HOME", fs::path(".local") / "share") / "vemtra";
}

fs::path shipped_assets() {
    std::error_code ec;
    if (const char* given = std::getenv("VEMTRA_ASSETS"); given && *given) return given;
    const fs::path beside = fs::read_symlink("/proc/self/exe", ec).parent_path() / "assets";
    if (fs::is_directory(beside, ec)) return beside;
    return VEMTRA_SOURCE_ASSETS;
}

}  // namespace vemtra
