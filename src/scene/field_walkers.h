// One function per struct of the scene lists its fields (project_fields.h); a FieldWriter and a FieldReader walk them,
// so that writing and reading can never disagree. Used by project_file.cpp alone.
#pragma once
#include <charconv>
#include <set>

#include "scene/scene.h"

namespace vemtra::scene {

/// Scene to JSON. Keys that a newer version wrote (`extra`) are written again.
class FieldWriter {
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
    void operator()(const char* key, const Lies& v) { out[key] = words_for(v)[size_t(v)].name; }
    void some(const char* key, const Print& v) {
        if (v != Print()) out[key] = words_for(v)[size_t(v)].name;
    }
    void some(const char* key, const Decal& v) {
        if (!(v == Decal())) (*this)(key, v);
    }
    /// Written only where something was moved: most things stand where their file has them.
    void operator()(const char* key, const Placement& v) {
        if (!(v == Placement())) out[key] = object(v);
    }
    void operator()(const char* key, const Input& v) { out[key] = input(v); }
    /// Left out where it is empty.
    void some(const char* key, const std::string& v) {
        if (!v.empty()) out[key] = v;
    }
    void some(const char* key, const float& v) {
        if (v != 0.f) (*this)(key, v);
    }
    void some(const char* key, const int& v) {
        if (v) out[key] = v;
    }
    void some(const char* key, const bool& v) {
        if (v) out[key] = v;
    }
    void some(const char* key, const Inputs& v) {
        if (!v.empty()) (*this)(key, v);
    }
    template <class T> void some(const char* key, const std::vector<T>& v) {
        if (!v.empty()) (*this)(key, v);
    }
    void operator()(const char* key, const Inputs& v) {
        Json o = Json::object();
        for (const auto& [name, i] : v) o[name] = input(i);
        out[key] = std::move(o);
    }
    void operator()(const char* key, const std::vector<std::string>& items) { out[key] = items; }
    template <class T> void operator()(const char* key, const std::vector<T>& items) {
        Json a = Json::array();
        for (const T& item : items) a.push_back(object(item));
        out[key] = std::move(a);
    }
    template <class T> void operator()(const char* key, const T& v) { out[key] = object(v); }
    template <class T> static Json object(const T& v);

private:
    // The shortest decimal that gives the same float again: 0.1f is written 0.1, not 0.10000000149.
    static double number(float f) {
        char text[32];
        const char* end = std::to_chars(text, text + sizeof text, f).ptr;
        double shortest = 0;
        std::from_chars(text, end, shortest);
        return shortest;
    }
    static Json literal(const Value& value) {
        if (auto* b = std::get_if<bool>(&value)) return *b;
        if (auto* f = std::get_if<float>(&value)) return number(*f);
        if (auto* v = std::get_if<V2f>(&value)) return Json::array({number(v->x), number(v->y)});
        if (auto* v = std::get_if<V3f>(&value)) return Json::array({number(v->x), number(v->y), number(v->z)});
        if (auto* v = std::get_if<V4f>(&value))
            return Json::array({number(v->x), number(v->y), number(v->z), number(v->w)});
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

/// JSON to scene. What cannot be read keeps its default and is told with its place; what is not known is kept.
class FieldReader {
public:
    FieldReader(const Json& json, std::string place, const std::string& file, std::vector<Error>& problems)
        : json_(json), place_(std::move(place)), file_(file), problems_(problems) {
        if (!json_.is_object()) problem(place_, "an object { } is expected here");
    }
    void operator()(const char* key, bool& v) { read(key, "true or false", v); }
    void operator()(const char* key, int& v) { read(key, "a whole number", v); }
    void operator()(const char* key, float& v) { read(key, "a number within a million million", v); }
    void operator()(const char* key, std::string& v) { read(key, "a text in quotes", v); }
    void operator()(const char* key, V2f& v) { read(key, "two numbers [x, y]", v); }
    void operator()(const char* key, V3f& v) { read(key, "three numbers [x, y, z]", v); }
    void operator()(const char* key, Value& v) { read(key, "a value", v); }
    void operator()(const char* key, LayerKind& v) { read(key, "\"cover\" or \"coat\"", v); }
    template <class E>
    requires std::is_enum_v<E>
    void operator()(const char* key, E& v) {
        std::string words;
        for (const WordFor<E>& t : words_for(E()))
            words += (words.empty() ? "\"" : ", \"") + std::string(t.name) + "\"";
        read(key, ("one of " + words).c_str(), v);
    }
    void operator()(const char* key, Input& v) { read(key, "a value, or {\"from\": node}", v); }
    void operator()(const char* key, std::vector<std::string>& items) { read(key, "a list of texts", items); }
    template <class T> void some(const char* key, T& v) { (*this)(key, v); }
    void operator()(const char* key, Inputs& v) {
        const Json* j = wanted(key);
        if (!j) return;
        if (!j->is_object()) return problem(at(key), "an object of values is expected here");
        for (const auto& [name, item] : j->items()) {
            if (taken(item, v[name])) continue;
            v.erase(name);
            problem(at(key) + "." + name, "a value, or {\"from\": node}, is expected here");
        }
    }
    template <class T> void operator()(const char* key, std::vector<T>& items) {
        const Json* j = wanted(key);
        if (!j) return;
        if (!j->is_array()) return problem(at(key), "a list [ ] is expected here");
        for (size_t i = 0; i < j->size(); ++i)
            items.push_back(object<T>((*j)[i], at(key) + "[" + std::to_string(i) + "]", file_, problems_));
    }
    template <class T> void operator()(const char* key, T& v) {
        if (const Json* j = wanted(key)) v = object<T>(*j, at(key), file_, problems_);
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
    /// What stands at a key; null where nothing does.
    const Json* wanted(const char* key) {
        seen_.insert(key);
        if (!json_.is_object()) return nullptr;
        const auto it = json_.find(key);
        return it == json_.end() ? nullptr : &*it;
    }
    template <class T> void read(const char* key, const char* expected, T& v) {
        if (const Json* j = wanted(key); j && !taken(*j, v))
            problem(at(key), std::string(expected) + " is expected here");
    }
    void problem(const std::string& where, const std::string& why) {
        problems_.push_back({"Not readable, the default is used", file_, where, why, "See docs/project-format.md"});
    }
    std::string at(const char* key) const { return place_.empty() ? key : place_ + "." + key; }

    // One per type: whether the JSON is one; then `v` is it.
    static bool taken(const Json& j, bool& v) {
        if (j.is_boolean()) v = j.get<bool>();
        return j.is_boolean();
    }
    static bool taken(const Json& j, int& v) {
        if (!j.is_number() || !(std::abs(j.get<double>()) < 2e9)) return false;
        v = int(j.get<double>());
        return true;
    }
    static bool taken(const Json& j, float& v) {
        if (!j.is_number() || !(std::abs(j.get<double>()) <= double(largest_number))) return false;
        v = j.get<float>();
        return true;
    }
    static bool taken(const Json& j, std::string& v) {
        if (j.is_string()) v = j.get<std::string>();
        return j.is_string();
    }
    static bool taken(const Json& j, V2f& v) { return components(j, &v.x, 2); }
    static bool taken(const Json& j, V3f& v) { return components(j, &v.x, 3); }
    static bool taken(const Json& j, V4f& v) { return components(j, &v.x, 4); }
    static bool components(const Json& j, float* v, size_t n) {
        if (!j.is_array() || j.size() != n) return false;
        for (size_t i = 0; i < n; ++i)
            if (!taken(j[i], v[i])) return false;
        return true;
    }
    template <class T> static bool taken_as(const Json& j, Value& value) {
        T v;
        if (!taken(j, v)) return false;
        value = std::move(v);
        return true;
    }
    static bool taken(const Json& j, Value& value) {
        return taken_as<bool>(j, value) || taken_as<std::string>(j, value) || taken_as<float>(j, value) ||
               taken_as<V2f>(j, value) || taken_as<V3f>(j, value) || taken_as<V4f>(j, value);
    }
    static bool taken(const Json& j, LayerKind& v) {
        for (const LayerTraits& t : layer_kinds())
            if (j.is_string() && j.get<std::string>() == t.name) {
                v = t.kind;
                return true;
            }
        return false;
    }
    template <class E> static bool taken(const Json& j, E& v) requires std::is_enum_v<E> {
        for (const WordFor<E>& t : words_for(E()))
            if (j.is_string() && j.get<std::string>() == t.name) {
                v = t.value;
                return true;
            }
        return false;
    }
    static bool taken(const Json& j, std::vector<std::string>& items) {
        if (!j.is_array()) return false;
        for (const Json& item : j)
            if (!item.is_string()) return false;
        items = j.get<std::vector<std::string>>();
        return true;
    }
    static bool taken(const Json& j, Input& v) {
        if (!j.is_object()) return taken(j, v.value);
        const auto from = j.find("from");
        const auto value = j.find("value");
        const auto worn = j.find("worn");
        const auto shown = j.find("worn_shown");
        if (from == j.end() && worn == j.end()) return false;
        if (from != j.end()) {
            if (!taken(*from, v.from)) return false;
            if (const auto output = j.find("output"); output != j.end()) taken(*output, v.output);
        }
        if (worn != j.end() && !taken(*worn, v.worn.emplace())) return false;
        if (shown != j.end()) taken(*shown, v.worn_shown);
        return value == j.end() || taken(*value, v.value);
    }
    const Json& json_;
    std::string place_;
    const std::string& file_;
    std::vector<Error>& problems_;
    std::set<std::string> seen_;
};

template <class T> Json FieldWriter::object(const T& v) {
    FieldWriter w;
    fields(w, v);
    if (v.extra.is_object())
        for (const auto& [key, value] : v.extra.items()) w.out[key] = value;
    return w.out;
}

template <class T>
T FieldReader::object(const Json& json, const std::string& place, const std::string& file,
                      std::vector<Error>& problems) {
    T v;
    FieldReader r(json, place, file, problems);
    fields(r, v);
    v.extra = r.unknown();
    return v;
}

}  // namespace vemtra::scene
