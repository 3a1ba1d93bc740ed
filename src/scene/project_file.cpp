#include "scene/project_file.h"

#include "base/json_text.h"
#include "scene/field_walkers.h"
#include "scene/paint_journal.h"
#include "scene/project_fields.h"
#include "scene/repair.h"

namespace vemtra::scene {

Result<Loaded> parse(const std::string& text, const std::string& file_name) {
    Result<Json> parsed = parse_json<Json>(text);
    if (!parsed)
        return Error{"Not a readable project", file_name, parsed.error().place, parsed.error().why,
                     "Correct it, or open the autosave beside it"};
    Json& json = *parsed;
    if (!json.is_object() || !json.contains("vemtra") || !json["vemtra"].is_number_integer())
        return Error{"Not a Vemtra project", file_name, "", "the key \"vemtra\" with the format's version is missing",
                     "Open a .vemtra file"};
    const auto version = json["vemtra"].get<int64_t>();
    if (version > format_version || version < 1)
        return Error{
            "The project is from another version", file_name, "vemtra",
            "it has format " + std::to_string(version) + ", this program reads up to " + std::to_string(format_version),
            "Open it with the version that wrote it; the file is untouched"};
    json.erase("vemtra");
    Loaded loaded;
    loaded.scene = FieldReader::object<Scene>(json, "", file_name, loaded.problems);
    repair(loaded.scene, file_name, loaded.problems);
    return loaded;
}

namespace {

// One list of plain numbers, on one line: that is how a person writes a colour.
std::string on_one_line(const std::string& inside) {
    std::string line = "[";
    for (char c : inside)
        if (c == ',')
            line += ", ";
        else if (c != '\n' && c != ' ')
            line += c;
    return line + ']';
}

// The place behind the quote that ends the text which begins at `start`.
size_t behind_text(const std::string& text, size_t start) {
    size_t end = start + 1;
    while (text[end] != '"') end += text[end] == '\\' ? 2 : 1;
    return end + 1;
}

}  // namespace

std::string to_text(const Scene& scene) {
    Json json{{"vemtra", format_version}};
    json.update(FieldWriter::object(scene));
    const std::string text = json_text(json);
    std::string compact;
    compact.reserve(text.size());
    for (size_t i = 0; i < text.size();) {
        size_t end = i + 1;
        if (text[i] == '"') {  // texts may hold brackets: copied whole
            end = behind_text(text, i);
        } else if (text[i] == '[') {
            const size_t close = text.find(']', i);
            const std::string inside = text.substr(i + 1, close - i - 1);
            if (inside.find_first_not_of(" \n0123456789+-.eE,") == std::string::npos) {
                compact += on_one_line(inside);
                i = close + 1;
                continue;
            }
        }
        compact.append(text, i, end - i);
        i = end;
    }
    return compact + "\n";
}

Layer parse_layer(const Json& json, const std::string& place, const std::string& file_name,
                  std::vector<Error>& problems) {
    return FieldReader::object<Layer>(json, place, file_name, problems);
}
Json layer_json(const Layer& layer) {
    return FieldWriter::object(layer);
}

std::vector<Network> parse_networks(const Json& json, const std::string& place, const std::string& file_name,
                                    std::vector<Error>& problems) {
    std::vector<Network> out;
    for (size_t i = 0; json.is_array() && i < json.size(); ++i)
        out.push_back(
            FieldReader::object<Network>(json[i], place + "[" + std::to_string(i) + "]", file_name, problems));
    std::erase_if(out, [](const Network& n) { return n.id.empty(); });
    return out;
}
Json networks_json(const std::vector<Network>& networks) {
    Json list = Json::array();
    for (const Network& n : networks) list.push_back(FieldWriter::object(n));
    return list;
}

Result<Loaded> load(const fs::path& file) {
    Result<std::string> text = read_file(file, most_text_bytes);
    if (!text) return text.error();
    return parse(*text, file.string());
}

Status save(const Scene& scene, const fs::path& file) {
    return write_file_atomically(file, to_text(scene));
}

namespace {
constexpr const char* paint_state_key = "paint_state";
}

Status save_in_progress(const Scene& scene, const fs::path& file, PaintJournal& journal) {
    const Result<int> state = journal.keep(scene, journal_path(file));
    if (!state || *state == 0) {
        const Status saved = save(scene, file);
        return state ? saved : Status(state.error());
    }
    Scene kept = scene;
    kept.extra[paint_state_key] = *state;
    return save(kept, file);
}

fs::path journal_path(const fs::path& autosave) {
    return autosave.string() + ".paint";
}

int take_paint_state(Scene& scene) {
    if (!scene.extra.is_object() || !scene.extra.contains(paint_state_key)) return 0;
    const Json& value = scene.extra[paint_state_key];
    const int state = value.is_number_integer() ? value.get<int>() : 0;
    scene.extra.erase(paint_state_key);
    if (scene.extra.empty()) scene.extra = Json();
    return state;
}

fs::path autosave_path(const std::optional<fs::path>& project) {
    if (!project) return cache_folder("autosave") / "untitled.vemtra.autosave";
    return project->parent_path() / (project->filename().string() + ".autosave");
}

bool recovery_offered(const std::optional<fs::path>& project) {
    std::error_code ec;
    const fs::path autosave = autosave_path(project);
    if (!fs::exists(autosave, ec)) return false;
    if (!project || !fs::exists(*project, ec)) return true;
    return fs::last_write_time(autosave, ec) > fs::last_write_time(*project, ec);
}

}  // namespace vemtra::scene
