#include "scene/paint_journal.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "base/byte_stream.h"
#include "base/hash.h"

namespace vemtra::scene {
namespace {

// A file of records: magic, bytes of what follows the hash, hash of it, then that.
constexpr uint32_t magic = 0x314a5056;  // "VPJ1"
constexpr size_t largest_record = size_t(1) << 20;
constexpr size_t largest_journal = size_t(1) << 30;  // beyond, it is written anew

enum class Kind : uint8_t { blank = 1, tile, no_tile, state };

struct RecordWriter {
    std::string out;
    template <class T> void put(const T& v) { out.append(reinterpret_cast<const char*>(&v), sizeof v); }
    void text(const std::string& s) {
        put(uint32_t(s.size()));
        out += s;
    }
};
struct RecordReader {
    const char* p;
    size_t left;
    bool good = true;
    template <class T> T get() {
        T v{};
        if (left < sizeof v) return good = false, v;
        std::memcpy(&v, p, sizeof v);
        p += sizeof v;
        left -= sizeof v;
        return v;
    }
    std::string text() {
        const auto n = get<uint32_t>();
        if (!good || n > left || n > 4096) return good = false, "";
        std::string s(p, n);
        p += n;
        left -= n;
        return s;
    }
};

void record(std::string& to, const std::string& content) {
    RecordWriter head;
    head.put(magic);
    head.put(uint32_t(content.size()));
    head.put(hash_bytes(content.data(), content.size()));
    to += head.out;
    to += content;
}

Status write_all(int file, const std::string& bytes, const fs::path& path) {
    size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::write(file, bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0)
            return Error{"Painted work in progress cannot be kept", path.string(), "",
                         std::strerror(n < 0 ? errno : EIO),
                         "Free some space, or save the project elsewhere; nothing that is open is lost"};
        done += size_t(n);
    }
    return Done{};
}

}  // namespace

PaintJournal::~PaintJournal() {
    if (descriptor_ >= 0) ::close(descriptor_);
}

PaintJournal::Kept PaintJournal::sheets_of(const Scene& scene) {
    Kept all;
    for (const Painting& p : scene.paintings)
        for (const Sheet& s : p.sheets)
            if (s.texels) all[{p.id, s.tile}] = s.texels;
    return all;
}

void PaintJournal::begin(const Scene& saved) {
    base_ = kept_ = sheets_of(saved);
    state_ = 0;
    if (descriptor_ >= 0) ::close(std::exchange(descriptor_, -1));
    written_ = 0;
}

void PaintJournal::discard() {
    if (descriptor_ >= 0) ::close(std::exchange(descriptor_, -1));
    std::error_code ec;
    if (!file_.empty()) fs::remove(file_, ec);
    kept_ = base_;
    state_ = 0;
    written_ = 0;
}

Status PaintJournal::append(const Scene& now) {
    std::string out;
    auto flush = [&]() -> Status {
        const Status s = write_all(descriptor_, out, file_);
        written_ += out.size();
        out.clear();
        return s;
    };
    for (const auto& sheet : sheets_of(now)) {
        const auto& key = sheet.first;
        const auto& texels = sheet.second;
        auto& last = kept_[key];
        if (last == texels) continue;
        const bool same_kind = last && last->size() == texels->size() && last->lanes() == texels->lanes();
        if (!same_kind) {
            last = Texels::blank(texels->size(), texels->lanes());
            RecordWriter w;
            w.put(Kind::blank);
            w.text(key.first);
            w.put(key.second);
            w.put(texels->size());
            w.put(texels->lanes());
            record(out, w.out);
        }
        Status failed = Done{};
        texels->for_each_apart(*last, [&](int level, int x, int y) {
            const TexelTile& tile = texels->tile(level, x, y);
            RecordWriter w;
            w.put(tile ? Kind::tile : Kind::no_tile);
            w.text(key.first);
            w.put(key.second);
            w.put(uint16_t(level));
            w.put(uint16_t(x));
            w.put(uint16_t(y));
            if (tile) w.out.append(reinterpret_cast<const char*>(tile.get()), texels->halves() * sizeof(uint16_t));
            record(out, w.out);
            if (out.size() > (size_t(4) << 20) && failed) failed = flush();
        });
        if (!failed) return failed;
        last = texels;
    }
    RecordWriter w;
    w.put(Kind::state);
    w.put(++last_state_);
    record(out, w.out);
    if (Status s = flush(); !s) return s;
    ::fdatasync(descriptor_);
    state_ = last_state_;
    return Done{};
}

Result<int> PaintJournal::keep(const Scene& now, const fs::path& file) {
    bool changed = false;
    for (const auto& [key, texels] : sheets_of(now)) {
        const auto it = kept_.find(key);
        changed |= it == kept_.end() || it->second != texels;
    }
    if (!changed) return state_;
    const bool anew = descriptor_ < 0 || file != file_ || written_ > largest_journal;
    if (anew) {
        if (descriptor_ >= 0) ::close(descriptor_);
        // The one that stands may be all that there is of the last state: it goes when the new one is whole.
        const fs::path temporary = fs::path(file.string() + ".new");
        descriptor_ = ::open(temporary.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
        if (descriptor_ < 0)
            return Error{"Painted work in progress cannot be kept", file.string(), "", std::strerror(errno),
                         "Look at the folder's rights; nothing that is open is lost"};
        file_ = file;
        kept_ = base_;
        written_ = 0;
    }
    Status done = append(now);
    std::error_code ec;
    const fs::path temporary = fs::path(file.string() + ".new");
    if (done && anew && ::rename(temporary.c_str(), file.c_str()) != 0)
        done = Error{"Painted work in progress cannot be kept", file.string(), "", std::strerror(errno),
                     "Free some space"};
    if (!done) {  // a broken end would hide all that follows it: the next time it is written anew
        ::close(std::exchange(descriptor_, -1));
        if (anew) fs::remove(temporary, ec);
        kept_ = base_;
        return done.error();
    }
    return state_;
}

bool PaintJournal::replay(const fs::path& file, int state, Scene& scene) {
    if (state <= 0) return true;
    auto stream = ByteStream::open(file);
    if (!stream) return false;
    struct Building {
        std::shared_ptr<const Texels> from;
        std::unique_ptr<TexelsEdit> edit;
    };
    std::map<Key, Building> sheets;
    auto sheet = [&](const Key& key) -> Building& {
        auto [it, fresh] = sheets.try_emplace(key);
        if (!fresh) return it->second;
        const Painting* p = find(scene.paintings, key.first);
        const Sheet* s = p ? p->sheet(key.second) : nullptr;
        if (s && s->texels) it->second.from = s->texels;
        if (it->second.from) it->second.edit = std::make_unique<TexelsEdit>(it->second.from);
        return it->second;
    };
    bool found = false;
    while (!found) {
        const char* head = stream->take(16);
        if (!head) break;
        RecordReader h{head, 16};
        const auto sign = h.get<uint32_t>();
        const auto size = h.get<uint32_t>();
        const auto hash = h.get<uint64_t>();
        if (sign != magic || size > largest_record) break;
        const char* content = stream->take(size);
        if (!content || hash_bytes(content, size) != hash) break;
        RecordReader r{content, size};
        const auto kind = r.get<Kind>();
        if (kind == Kind::state) {
            found = r.get<int>() == state;
            continue;
        }
        Key key;
        key.first = r.text();
        key.second = r.get<int>();
        if (kind == Kind::blank) {
            const int edge = r.get<int>();
            const int lanes = r.get<int>();
            if (!r.good || edge < least_sheet || edge > largest_sheet || (lanes != 2 && lanes != 4)) break;
            Building& b = sheets[key];
            b.from = Texels::blank(edge, lanes);
            b.edit = std::make_unique<TexelsEdit>(b.from);
            continue;
        }
        const int level = r.get<uint16_t>();
        const int x = r.get<uint16_t>();
        const int y = r.get<uint16_t>();
        Building& b = sheet(key);
        if (!r.good || !b.from) continue;  // of a painting that is not in this scene
        if (level >= b.from->levels() || x >= b.from->across(level) || y >= b.from->across(level)) break;
        if (kind == Kind::no_tile) {
            b.edit->put(level, x, y, nullptr);
        } else if (kind == Kind::tile && r.left == b.from->halves() * sizeof(uint16_t)) {
            auto tile = std::make_shared<uint16_t[]>(b.from->halves());
            std::memcpy(tile.get(), r.p, r.left);
            b.edit->put(level, x, y, std::move(tile));
        } else {
            break;
        }
    }
    for (auto& [key, b] : sheets) {
        Painting* p = find(scene.paintings, key.first);
        if (!p || !b.edit) continue;
        auto made = b.edit->done();
        for (Sheet& s : p->sheets)
            if (s.tile == key.second && s.size == made->size() && p->lanes() == made->lanes()) s.texels = made;
    }
    return found;
}

}  // namespace vemtra::scene
