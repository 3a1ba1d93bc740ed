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

/// The file's bytes; an Error names the file and the system's reason.
Result<std::string> read_file(const fs::path& path);

/// Writes beside `path`, flushes to the disk, then renames: a kill at any moment leaves the old or the new file, never
/// a part of one.
Status write_file_atomically(const fs::path& path, const std::string& bytes);

/// The same for writers that want a path of their own (image libraries): `write` fills the temporary file that it is
/// given, which has the same extension; on success it is flushed and renamed.
Status write_atomically_with(const fs::path& path, const std::function<Status(const fs::path& temporary)>& write);

/// Where Vemtra keeps what it can make again ($XDG_CACHE_HOME/vemtra, else ~/.cache/vemtra). Created on demand.
fs::path cache_folder(const std::string& kind);

/// Where Vemtra keeps what the artist made or decided outside of projects ($XDG_DATA_HOME/vemtra, else
/// ~/.local/share/vemtra). Not created.
fs::path data_folder();

/// What ships: fonts, colour configuration, stock and recipes (VEMTRA_ASSETS, beside the program, or in the
/// source tree).
fs::path shipped_assets();

}  // namespace vemtra
