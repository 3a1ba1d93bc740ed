#include "base/file.h"

#include <fcntl.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstdlib>
#include <cstring>

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

Status write_bytes(const fs::path& path, const std::string& bytes) {
    const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (fd < 0) return system_error("Cannot create", path, remedy_for_write());
    size_t written = 0;
    while (written < bytes.size()) {
        const ssize_t n = ::write(fd, bytes.data() + written, bytes.size() - written);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) {
            const Error error = system_error("Cannot write", path, remedy_for_write());
            ::close(fd);
            return error;
        }
        written += size_t(n);
    }
    if (::close(fd) != 0) return system_error("Cannot write", path, remedy_for_write());
    return Done{};
}

}  // namespace

Result<std::string> read_file(const fs::path& path) {
    std::error_code ec;
    if (fs::is_directory(path, ec)) return Error{"Cannot read", path.string(), "", "it is a folder", "Name a file"};
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0)
        return system_error("Cannot read", path,
                            errno == ENOENT ? "Check the path, or bring the file back" : "Check its permissions");
    std::string bytes;
    char buffer[1 << 16];
    for (;;) {
        const ssize_t n = ::read(fd, buffer, sizeof buffer);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) {
            const Error error = system_error("Cannot read", path, "Check the disk");
            ::close(fd);
            return error;
        }
        if (n == 0) break;
        bytes.append(buffer, size_t(n));
    }
    ::close(fd);
    return bytes;
}

Status write_atomically_with(const fs::path& path, const std::function<Status(const fs::path&)>& write) {
    static std::atomic<unsigned> counter{0};
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    const std::string unique = "." + std::to_string(::getpid()) + "-" + std::to_string(counter++);
    const fs::path temporary = folder / ("." + path.stem().string() + unique + ".part" + path.extension().string());
    auto give_up = [&](Error error) {
        ::unlink(temporary.c_str());
        if (error.file.empty() || error.file == temporary.string()) error.file = path.string();
        return error;
    };
    if (Status s = write(temporary); !s) return give_up(s.error());
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

fs::path cache_folder(const std::string& kind) {
    fs::path root;
    if (const char* xdg = std::getenv("XDG_CACHE_HOME"); xdg && *xdg)
        root = xdg;
    else if (const char* home = std::getenv("HOME"); home && *home)
        root = fs::path(home) / ".cache";
    else
        root = fs::temp_directory_path();
    const fs::path folder = root / "vemtra" / kind;
    std::error_code ec;
    fs::create_directories(folder, ec);
    return folder;
}

fs::path data_folder() {
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    return (data && *data ? fs::path(data) : fs::path(home && *home ? home : ".") / ".local" / "share") / "vemtra";
}

fs::path shipped_assets() {
    std::error_code ec;
    if (const char* given = std::getenv("VEMTRA_ASSETS"); given && *given) return given;
    const fs::path beside = fs::read_symlink("/proc/self/exe", ec).parent_path() / "assets";
    if (fs::is_directory(beside, ec)) return beside;
    return VEMTRA_SOURCE_ASSETS;
}

}  // namespace vemtra
