// Files of the disk: whole reads, atomic writes, cache places.
#pragma once
#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "base/result.h"

namespace vemtra {

namespace fs = std::filesystem;

/// Of a file that is read whole; larger ones are refused. Texts (projects, recipes, lists) have a bound of their own.
inline constexpr size_t most_file_bytes = size_t(16) << 30;
inline constexpr size_t most_text_bytes = size_t(512) << 20;

/// An ordinary file, open for reading. Whoever asked closes it.
struct OrdinaryFile {
    int descriptor = -1;
    size_t size = 0;  ///< bytes, when it was opened
};
/// Opens what is an ordinary file, or leads to one. Folders, pipes, sockets and devices are refused before anything
/// waits for them.
Result<OrdinaryFile> open_ordinary(const fs::path& path);

/// The bytes of an ordinary file; an Error names the file and the system's reason.
Result<std::string> read_file(const fs::path& path, size_t most = most_file_bytes);

/// Writes beside `path`, flushes to the disk, then renames: a kill at any moment leaves the old or the new file, never
/// a part of one. What a killed process left beside it is taken away by the next one that writes into the folder.
Status write_file_atomically(const fs::path& path, const std::string& bytes);

/// The same for writers that want a path of their own (image libraries): `write` fills the temporary file that it is
/// given, which has the same extension; on success it is flushed and renamed.
Status write_atomically_with(const fs::path& path, const std::function<Status(const fs::path& temporary)>& write);

/// The same with the content of an ordinary file.
Status copy_file_atomically(const fs::path& from, const fs::path& to);

/// What lies directly in a folder, in no order; nothing where it cannot be read.
std::vector<fs::directory_entry> entries_of(const fs::path& folder);
/// The path from the root on; itself where the present folder is gone.
fs::path absolute_path(const fs::path& path);
/// The path as it is said from a folder, with plain slashes; from the root on where there is no way.
std::string path_from(const fs::path& folder, const fs::path& path);

/// Where Vemtra keeps what it can make again ($XDG_CACHE_HOME/vemtra, else ~/.cache/vemtra). Created on demand.
fs::path cache_folder(const std::string& kind);
/// Takes files out of a folder, those that were written or marked as used longest ago, until the rest fits.
void keep_within(const fs::path& folder, uint64_t bytes);
/// Marks a file as used now.
void mark_used(const fs::path& file);

/// Where Vemtra keeps what the artist made or decided outside of projects ($XDG_DATA_HOME/vemtra, else
/// ~/.local/share/vemtra). Not created.
fs::path data_folder();

/// What ships: fonts, colour configuration, stock and recipes (VEMTRA_ASSETS, beside the program, or in the
/// source tree).
fs::path shipped_assets();

}  // namespace vemtra
