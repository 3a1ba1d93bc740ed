#include "texture/write_image.h"

#include <OpenImageIO/filesystem.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "texture/image_header.h"

namespace vemtra::texture {
namespace {

/// The library's way to a file. Some of its writers do not look at whether their bytes arrived, and say that all is
/// well with an empty file on a full disk.
class RememberingFile : public OIIO::Filesystem::IOProxy {
public:
    explicit RememberingFile(const fs::path& file)
        : IOProxy(file.string(), Write), file_(::open(file.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0644)) {
        if (file_ < 0) failed_ = errno;
    }
    ~RememberingFile() override { finish(); }
    const char* proxytype() const override { return "file"; }
    bool opened() const override { return file_ >= 0; }
    size_t write(const void* bytes, size_t size) override {
        const size_t n = pwrite(bytes, size, m_pos);
        m_pos += int64_t(n);
        return n;
    }
    size_t pwrite(const void* bytes, size_t size, int64_t offset) override {
        size_t written = 0;
        while (written < size) {
            const ssize_t n =
                ::pwrite(file_, static_cast<const char*>(bytes) + written, size - written, offset + int64_t(written));
            if (n < 0 && errno == EINTR) continue;
            if (n <= 0) {
                failed_ = errno ? errno : EIO;
                break;
            }
            written += size_t(n);
        }
        return written;
    }
    size_t read(void* bytes, size_t size) override {
        const size_t n = pread(bytes, size, m_pos);
        m_pos += int64_t(n);
        return n;
    }
    size_t pread(void* bytes, size_t size, int64_t offset) override {
        const ssize_t n = ::pread(file_, bytes, size, offset);
        return n > 0 ? size_t(n) : 0;
    }
    size_t size() const override {
        struct stat info;
        return ::fstat(file_, &info) == 0 ? size_t(info.st_size) : 0;
    }
    void close() override {}  // by finish(), which tells
    /// Why something of it is not on the disk; 0: all is.
    int finish() {
        if (file_ >= 0 && ::close(std::exchange(file_, -1)) != 0 && !failed_) failed_ = errno;
        return failed_;
    }

private:
    int file_ = -1, failed_ = 0;
};

Error unwritten(const fs::path& file, const std::string& why) {
    return {"Cannot write the picture", file.string(), "", plain_reason(why),
            "Choose another place, or free some space"};
}

Status write_to(const fs::path& temporary, const fs::path& file, const OIIO::ImageSpec& spec, OIIO::TypeDesc type,
                const void* pixels) {
    std::unique_ptr<RememberingFile> disk;                     // null for TIFF and JPEG, whose libraries do look
    auto out = OIIO::ImageOutput::create(temporary.string());  // it must go before the file that it writes through
    if (!out) return unwritten(file, OIIO::geterror());
    const std::string format = out->format_name();
    if (format == "png" || format == "openexr") {
        disk = std::make_unique<RememberingFile>(temporary);
        if (const bool good = disk->opened() && out->set_ioproxy(disk.get()); !good)
            return unwritten(file, std::strerror(disk->finish()));
    }
    const bool opened = out->open(temporary.string(), spec);
    const bool written = opened && out->write_image(type, pixels);
    std::string why = opened && written ? "" : out->geterror();
    if (opened && !out->close() && why.empty()) why = out->geterror();
    const int failed = disk ? disk->finish() : 0;
    if (failed) return unwritten(file, std::strerror(failed));
    if (!written || !why.empty()) return unwritten(file, why);
    return Done{};
}

Status write_levels_to(const fs::path& temporary, const fs::path& file, const OIIO::ImageSpec& finest, int levels,
                       const std::function<void(int, int, uint16_t*)>& rows, Progress* progress) {
    RememberingFile disk(temporary);
    auto out = OIIO::ImageOutput::create(temporary.string());
    if (!out) return unwritten(file, OIIO::geterror());
    if (!disk.opened() || !out->set_ioproxy(&disk)) return unwritten(file, std::strerror(disk.finish()));
    std::vector<uint16_t> texels(size_t(finest.width) * size_t(finest.tile_height) * size_t(finest.nchannels));
    std::string why;
    for (int level = 0; level < levels && why.empty(); ++level) {
        OIIO::ImageSpec spec = finest;
        spec.width = spec.full_width = std::max(1, finest.width >> level);
        spec.height = spec.full_height = std::max(1, finest.height >> level);
        const bool opened =
            out->open(temporary.string(), spec, level ? OIIO::ImageOutput::AppendMIPLevel : OIIO::ImageOutput::Create);
        if (!opened) why = out->geterror();
        for (int y = 0; y < spec.height && why.empty(); y += spec.tile_height) {
            if (stopped(progress)) return Error{"Stopped", file.string(), "", "the writing was stopped", "Save again"};
            rows(level, y / spec.tile_height, texels.data());
            if (!out->write_tiles(0, spec.width, y, std::min(y + spec.tile_height, spec.height), 0, 1,
                                  OIIO::TypeDesc::HALF, texels.data()))
                why = out->geterror();
        }
    }
    if (!out->close() && why.empty()) why = out->geterror();
    if (const int failed = disk.finish()) return unwritten(file, std::strerror(failed));
    if (!why.empty()) return unwritten(file, why);
    return Done{};
}

}  // namespace

Status write_levels(const fs::path& file, const OIIO::ImageSpec& spec, int levels,
                    const std::function<void(int, int, uint16_t*)>& rows, Progress* progress) {
    return write_atomically_with(file, [&](const fs::path& temporary) {
        return guarded(file, [&] { return write_levels_to(temporary, file, spec, levels, rows, progress); });
    });
}

Status write_image(const fs::path& file, const OIIO::ImageSpec& spec, OIIO::TypeDesc type, const void* pixels) {
    return write_atomically_with(file, [&](const fs::path& temporary) {
        return guarded(file, [&] { return write_to(temporary, file, spec, type, pixels); });
    });
}

}  // namespace vemtra::texture
