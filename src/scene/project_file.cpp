#include "scene/project_file.h"

#include "scene/edits.h"

#include <set>

namespace vemtra::scene {
namespace {

// One function per struct lists its fields; a Writer and a Reader walk them, so that both can never disagree.
class Writer {
public:
    Json out = Json::object();
    void operator()(const char* key, const bool& v) { out[key] = v; }
    void operator()(const char* key, const int& v) { out[key] = v; }
    void operator()(const char* key, const float& v) { out[key] = number(v); }
    void operator()(const char* key, const std::string& v) { out[key] = v; }
    void operator()(const char* key, const V2f& v) { out[key] = Json::array({number(v.x), number(v.y)}); }
    void operator()(const char* key, const V3f& v) { out[key] = Json::array({number(v.x), number(v.y), number(v.z)}); }
    void operator()(const char* key, const Value& v) { out[key] = literal(v); }
    void operator()(const char* key, const LayerKind& v) { out[key] = traits(v).name; }
    /// Written only where something was moved: most things stand where their file has them.
    void operator()(const char* key, const Placement& v) {
        if (!(v == Placement())) out[key] = object(v);
    }
    void operator()(const char* key, const Input& v) { out[key] = input(v); }
    /// Left out where it is empty.
    void some(const char* key, const std::string& v) {
        if (!v.empty()) out[key] = v;
    }
    template <class T>
    void some(const char* key, const std::vector<T>& v) {
        if (!v.empty()) (*this)(key, v);
    }
    void operator()(const char* key, const Inputs& v) {
        Json o = Json::object();
        for (const auto& [name, i] : v) o[name] = input(i);
        out[key] = std::move(o);
    }
    void operator()(const char* key, const std::vector<std::string>& items) { out[key] = items; }
    template <class T>
    void operator()(const char* key, const std::vector<T>& items) {
        Json a = Json::array();
        for (const T& item : items) a.push_back(object(item));
        out[key] = std::move(a);
    }
    template <class T>
    void operator()(const char* key, const T& v) { out[key] = object(v); }
    template <class T>
    static Json object(const T& v);

private:
    // The shortest decimal that gives the same float again: 0.1f is written 0.1, not 0.10000000149.
    static double number(float f) {
        char text[32];
        for (int digits = 6; digits <= 9; ++digits) {
            std::snprintf(text, sizeof text, "%.*g", digits, double(f));
            if (std::strtof(text, nullptr) == f) break;
        }
        return std::strtod(text, nullptr);
    }
    static Json literal(const Value& value) {
        if (auto* b = std::get_if<bool>(&value)) return *b;
        if (auto* f = std::get_if<float>(&value)) return number(*f);
        if (auto* v = std::get_if<V2f>(&value)) return Json::array({number(v->x), number(v->y)});
        if (auto* v = std::get_if<V3f>(&value)) return Json::array({number(v->x), number(v->y), number(v->z)});
        if (auto* v = std::get_if<V4f>(&value)) return Json::array({number(v->x), number(v->y), number(v->z), number(v->w)});
        return std::get<std::string>(value);
    }
    static Json input(const Input& i) {
        if (i.from.empty() && !i.worn) return literal(i.value);
        Json o = Json::object();
        if (!i.from.empty()) o["from"] = i.from;
        if (!i.output.empty()) o["output"] = i.output;
        o["value"] = literal(i.value);
        if (i.worn) o["worn"] = literal(*i.worn);
        if (i.worn_shown) o["worn_shown"] = true;
        return o;
    }
};

class Reader {
public:
    Reader(const Json& json, std::string place, const std::string& file, std::vector<Error>& problems)
        : json_(json), place_(std::move(place)), file_(file), problems_(problems) {
        if (!json_.is_object()) problem(place_, "an object { } is expected here");
    }
    void operator()(const char* key, bool& v) { take(key, "true or false", [&](const Json& j) { return j.is_boolean() && (v = j.get<bool>(), true); }); }
    void operator()(const char* key, int& v) {
        take(key, "a whole number", [&](const Json& j) {
            return j.is_number() && std::abs(j.get<double>()) < 2e9 && (v = int(j.get<double>()), true);
        });
    }
    void operator()(const char* key, float& v) { take(key, "a number", [&](const Json& j) { return number(j, v); }); }
    void operator()(const char* key, std::string& v) {
        take(key, "a text in quotes", [&](const Json& j) { return j.is_string() && (v = j.get<std::string>(), true); });
    }
    void operator()(const char* key, V2f& v) { take(key, "two numbers [x, y]", [&](const Json& j) { return vector(j, &v.x, 2); }); }
    void operator()(const char* key, V3f& v) { take(key, "three numbers [x, y, z]", [&](const Json& j) { return vector(j, &v.x, 3); }); }
    void operator()(const char* key, Value& v) { take(key, "a value", [&](const Json& j) { return literal(j, v); }); }
    void operator()(const char* key, LayerKind& v) {
        take(key, "\"cover\" or \"coat\"", [&](const Json& j) {
            for (const LayerTraits& t : layer_kinds())
                if (j.is_string() && j.get<std::string>() == t.name) return v = t.kind, true;
            return false;
        });
    }
    void operator()(const char* key, Placement& v) {
        take(key, "", [&](const Json& j) { v = object<Placement>(j, at(key), file_, problems_); return true; });
    }
    template <class T>
    void some(const char* key, T& v) { (*this)(key, v); }
    void operator()(const char* key, Input& v) { take(key, "a value, or {\"from\": node}", [&](const Json& j) { return input(j, v); }); }
    void operator()(const char* key, Inputs& v) {
        take(key, "an object of values", [&](const Json& j) {
            if (!j.is_object()) return false;
            for (const auto& [name, item] : j.items())
                if (!input(item, v[name])) {
                    v.erase(name);
                    problem(at(key) + "." + name, "a value, or {\"from\": node}, is expected here");
                }
            return true;
        });
    }
    void operator()(const char* key, std::vector<std::string>& items) {
        take(key, "a list of texts", [&](const Json& j) {
            if (!j.is_array()) return false;
            for (const Json& item : j)
                if (!item.is_string()) return false;
            items = j.get<std::vector<std::string>>();
            return true;
        });
    }
    template <class T>
    void operator()(const char* key, std::vector<T>& items) {
        take(key, "a list [ ]", [&](const Json& j) {
            if (!j.is_array()) return false;
            for (size_t i = 0; i < j.size(); ++i) items.push_back(object<T>(j[i], at(key) + "[" + std::to_string(i) + "]", file_, problems_));
            return true;
        });
    }
    template <class T>
    void operator()(const char* key, T& v) {
        take(key, "", [&](const Json& j) { v = object<T>(j, at(key), file_, problems_); return true; });
    }
    template <class T>
    static T object(const Json& json, const std::string& place, const std::string& file, std::vector<Error>& problems);
    Json unknown() const {
        Json rest;
        if (json_.is_object())
            for (const auto& [key, value] : json_.items())
                if (!seen_.count(key)) rest[key] = value;
        return rest;
    }

private:
    template <class Read>
    void take(const char* key, const char* expected, Read&& read) {
        seen_.insert(key);
        if (!json_.is_object()) return;
        const auto it = json_.find(key);
        if (it != json_.end() && !read(*it)) problem(at(key), std::string(expected) + " is expected here");
    }
    void problem(const std::string& where, const std::string& why) {
        problems_.push_back({"Not readable, the default is used", file_, where, why, "See docs/project-format.md"});
    }
    std::string at(const char* key) const { return place_.empty() ? key : place_ + "." + key; }
    static bool number(const Json& j, float& v) {
        if (!j.is_number() || !std::isfinite(j.get<float>())) return false;
        v = j.get<float>();
        return true;
    }
    static bool vector(const Json& j, float* v, size_t n) {
        if (!j.is_array() || j.size() != n) return false;
        for (size_t i = 0; i < n; ++i)
            if (!number(j[i], v[i])) return false;
        return true;
    }
    static bool literal(const Json& j, Value& value) {
        float f;
        V2f v2;
        V3f v3;
        V4f v4;
        if (j.is_boolean()) return value = j.get<bool>(), true;
        if (j.is_string()) return value = j.get<std::string>(), true;
        if (number(j, f)) return value = f, true;
        if (vector(j, &v2.x, 2)) return value = v2, true;
        if (vector(j, &v3.x, 3)) return value = v3, true;
        if (vector(j, &v4.x, 4)) return value = v4, true;
        return false;
    }
    static bool input(const Json& j, Input& v) {
        if (!j.is_object()) return literal(j, v.value);
        const auto from = j.find("from"), value = j.find("value"), worn = j.find("worn"), shown = j.find("worn_shown");
        if (from == j.end() && worn == j.end()) return false;
        if (from != j.end()) {
            if (!from->is_string()) return false;
            v.from = from->get<std::string>();
            if (const auto output = j.find("output"); output != j.end() && output->is_string()) v.output = output->get<std::string>();
        }
        if (worn != j.end() && !literal(*worn, v.worn.emplace())) return false;
        if (shown != j.end() && shown->is_boolean()) v.worn_shown = shown->get<bool>();
        return value == j.end() || literal(*value, v.value);
    }
    const Json& json_;
    std::string place_;
    const std::string& file_;
    std::vector<Error>& problems_;
    std::set<std::string> seen_;
};

template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Node> {
    a("id", s.id); a("kind", s.kind); a("type", s.type); a("name", s.name); a.some("network", s.network); a("inputs", s.inputs);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, NetworkInput> {
    a("name", s.name); a("type", s.type); a("value", s.value); a.some("help", s.help);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, NetworkOutput> {
    a("name", s.name); a("type", s.type); a("input", s.input);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Network> {
    a("id", s.id); a("name", s.name); a.some("help", s.help); a("inputs", s.inputs); a("outputs", s.outputs); a("nodes", s.nodes);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Placement> {
    a("position", s.position); a("rotation", s.rotation); a("scale", s.scale);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Gate> {
    a("mask", s.mask); a("amount", s.amount);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Layer> {
    a("id", s.id); a("name", s.name); a("kind", s.kind); a("build_up", s.build_up); a("on", s.on); a("amount", s.amount); a("gate", s.gate); a("surface", s.surface); a("nodes", s.nodes);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, BuildUp> {
    a("id", s.id); a("name", s.name); a("layers", s.layers); a("commons", s.commons);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Asset> {
    a("id", s.id); a("file", s.file); a("scale", s.scale); a("up", s.up); a("placement", s.placement);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Part> {
    a("id", s.id); a("asset", s.asset); a("source", s.source); a("name", s.name); a("build_up", s.build_up); a("visible", s.visible); a("priority", s.priority); a("placement", s.placement);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Environment> {
    a("on", s.on); a("image", s.image); a("rotation", s.rotation); a("exposure", s.exposure); a("tint", s.tint);
    a("seen", s.seen); a("backdrop", s.backdrop); a("group", s.group);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Light> {
    a("id", s.id); a("name", s.name); a("shape", s.shape); a("on", s.on); a("position", s.position); a("target", s.target);
    a("size", s.size); a("color", s.color); a("intensity", s.intensity); a("exposure", s.exposure); a("seen", s.seen); a("group", s.group);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, LightGroup> {
    a("name", s.name); a("on", s.on); a("exposure", s.exposure); a("tint", s.tint);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Stage> {
    a("on", s.on); a("color", s.color); a("roughness", s.roughness); a("height", s.height);
    a("fade_start", s.fade_start); a("fade_end", s.fade_end);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Rig> {
    a("id", s.id); a("name", s.name); a("environment", s.environment); a("lights", s.lights); a("groups", s.groups); a("stage", s.stage);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Camera> {
    a("id", s.id); a("name", s.name); a("position", s.position); a("target", s.target); a("focal_length", s.focal_length);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, RenderSettings> {
    a("width", s.width); a("height", s.height); a("samples", s.samples); a("seed", s.seed); a("depth", s.depth);
    a("clamp", s.clamp); a("preview_clamp", s.preview_clamp); a("noise", s.noise);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Display> {
    a("view", s.view); a("exposure", s.exposure);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, KeptValue> {
    a("name", s.name); a("color", s.color); a("roughness", s.roughness);
}
template <class A> void fields(A& a, auto&& s) requires std::is_same_v<std::remove_cvref_t<decltype(s)>, Scene> {
    a("name", s.name); a("assets", s.assets); a("parts", s.parts); a("build_ups", s.build_ups); a.some("networks", s.networks); a("rigs", s.rigs);
    a("cameras", s.cameras); a("rig", s.rig); a("camera", s.camera); a("render", s.render); a("display", s.display); a("kept_values", s.kept_values); a("search_folders", s.search_folders);
}

template <class T>
Json Writer::object(const T& v) {
    Writer w;
    fields(w, v);
    if (v.extra.is_object())
        for (const auto& [key, value] : v.extra.items()) w.out[key] = value;
    return w.out;
}

template <class T>
T Reader::object(const Json& json, const std::string& place, const std::string& file, std::vector<Error>& problems) {
    T v;
    Reader r(json, place, file, problems);
    fields(r, v);
    v.extra = r.unknown();
    return v;
}

// What a hand may get wrong and the rest of the program relies on: unique ids, ranges that computing needs.
void repair(Scene& scene, const std::string& file, std::vector<Error>& problems) {
    auto note = [&](const std::string& place, const std::string& why, const std::string& remedy) {
        problems.push_back({"Corrected while loading", file, place, why, remedy});
    };
    auto unique = [&](auto& items, const std::string& place, std::set<std::string>& taken) {
        for (size_t i = 0; i < items.size(); ++i) {
            std::string id = items[i].id.empty() ? "unnamed" : items[i].id;
            for (int n = 2; taken.count(id); ++n) id = items[i].id + "-" + std::to_string(n);
            if (id != items[i].id) note(place + "[" + std::to_string(i) + "].id", "the id '" + items[i].id + "' is missing or used twice", "It is '" + id + "' now");
            items[i].id = id;
            taken.insert(id);
        }
    };
    auto unique_all = [&](auto& items, const std::string& place) { std::set<std::string> taken; unique(items, place, taken); };
    unique_all(scene.assets, "assets");
    unique_all(scene.parts, "parts");
    unique_all(scene.build_ups, "build_ups");
    unique_all(scene.networks, "networks");
    for (Network& n : scene.networks) unique_all(n.nodes, "networks." + n.id + ".nodes");
    unique_all(scene.rigs, "rigs");
    unique_all(scene.cameras, "cameras");
    for (BuildUp& b : scene.build_ups) {
        std::set<std::string> taken;
        unique_all(b.layers, "build_ups." + b.id + ".layers");
        unique(b.commons, "build_ups." + b.id + ".commons", taken);
        for (Layer& l : b.layers) unique(l.nodes, "build_ups." + b.id + "." + l.id + ".nodes", taken);
    }
    auto within = [&](auto& value, auto low, auto high, const std::string& place) {
        const auto kept = std::clamp(value, low, high);
        if (kept != value) note(place, "the value is outside of its range", "It is " + std::to_string(kept) + " now");
        value = kept;
    };
    within(scene.render.width, 1, 16384, "render.width");
    within(scene.render.height, 1, 16384, "render.height");
    within(scene.render.samples, 1, 1 << 20, "render.samples");
    within(scene.render.depth, 1, 64, "render.depth");
    within(scene.render.noise, 0.f, 1.f, "render.noise");
    for (BuildUp& b : scene.build_ups) {
        if (!b.layers.empty() && !traits(b.layers[0].kind).may_be_base) {
            note("build_ups." + b.id + "." + b.layers[0].id + ".kind", "the base cannot be a coat: there is nothing to look through to", "It is a cover now");
            b.layers[0].kind = LayerKind::cover;
        }
        for (Layer& l : b.layers)
            if (!l.build_up.empty() && build_up_reaches(scene, l.build_up, b.id)) {
                note("build_ups." + b.id + "." + l.id + ".build_up", "the build-up would contain itself", "The layer has a surface of its own now");
                l.build_up.clear();
            }
    }
    within(scene.display.exposure, -32.f, 32.f, "display.exposure");
    for (Asset& a : scene.assets) within(a.scale, 1e-6f, 1e6f, "assets." + a.id + ".scale");
    auto standing = [&](Placement& p, const std::string& place) {
        for (int c = 0; c < 3; ++c) {
            within(p.position[c], -1e6f, 1e6f, place + ".position");
            within(p.rotation[c], -3.6e5f, 3.6e5f, place + ".rotation");
            const float size = std::clamp(std::fabs(p.scale[c]), 1e-6f, 1e6f);
            if (size != std::fabs(p.scale[c])) note(place + ".scale", "a scale lies between 0.000001 and a million, and is not 0", "It was brought into that range");
            p.scale[c] = std::copysign(size, p.scale[c]);
        }
    };
    for (Asset& a : scene.assets) standing(a.placement, "assets." + a.id + ".placement");
    for (Part& p : scene.parts) standing(p.placement, "parts." + p.id + ".placement");
    for (Camera& c : scene.cameras) {
        within(c.focal_length, 1.f, 5000.f, "cameras." + c.id + ".focal_length");
        if ((c.target - c.position).length() < 1e-6f) {
            note("cameras." + c.id, "position and target are the same", "The camera was moved back by one metre");
            c.position.z += 1.f;
        }
    }
}

}  // namespace

Result<Loaded> parse(const std::string& text, const std::string& file_name) {
    Json json;
    try {
        json = Json::parse(text);
    } catch (const nlohmann::json::parse_error& e) {
        size_t line = 1 + size_t(std::count(text.begin(), text.begin() + long(std::min(e.byte, text.size())), '\n'));
        return Error{"Not a readable project", file_name, "line " + std::to_string(line), "the JSON breaks off or has a mistake there",
                     "Correct that line, or open the autosave beside it"};
    }
    if (!json.is_object() || !json.contains("vemtra") || !json["vemtra"].is_number_integer())
        return Error{"Not a Vemtra project", file_name, "", "the key \"vemtra\" with the format's version is missing", "Open a .vemtra file"};
    const int version = json["vemtra"].get<int>();
    if (version > format_version || version < 1)
        return Error{"The project is from another version", file_name, "vemtra",
                     "it has format " + std::to_string(version) + ", this program reads up to " + std::to_string(format_version),
                     "Open it with the version that wrote it; the file is untouched"};
    json.erase("vemtra");
    Loaded loaded;
    loaded.scene = Reader::object<Scene>(json, "", file_name, loaded.problems);
    repair(loaded.scene, file_name, loaded.problems);
    return loaded;
}

std::string to_text(const Scene& scene) {
    Json json{{"vemtra", format_version}};
    json.update(Writer::object(scene));
    // Indented, except that lists of plain numbers stay on one line: that is how a person writes a colour.
    std::string text = json.dump(1), compact;
    compact.reserve(text.size());
    for (size_t i = 0; i < text.size(); ++i) {
        if (text[i] == '[') {
            const size_t end = text.find(']', i);
            const std::string inside = text.substr(i + 1, end - i - 1);
            if (inside.find_first_not_of(" \n0123456789+-.eE,") == std::string::npos) {
                compact += '[';
                for (char c : inside)
                    if (c == ',') compact += ", ";
                    else if (c != '\n' && c != ' ') compact += c;
                compact += ']';
                i = end;
                continue;
            }
        }
        if (text[i] == '"') {  // texts may hold brackets: copy them whole
            size_t end = i + 1;
            while (text[end] != '"') end += text[end] == '\\' ? 2 : 1;
            compact.append(text, i, end - i + 1);
            i = end;
            continue;
        }
        compact += text[i];
    }
    return compact + "\n";
}

Layer parse_layer(const Json& json, const std::string& place, const std::string& file_name, std::vector<Error>& problems) {
    return Reader::object<Layer>(json, place, file_name, problems);
}
Json layer_json(const Layer& layer) { return Writer::object(layer); }

Result<Loaded> load(const fs::path& file) {
    Result<std::string> text = read_file(file);
    if (!text) return text.error();
    return parse(*text, file.string());
}

Status save(const Scene& scene, const fs::path& file) { return write_file_atomically(file, to_text(scene)); }

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
