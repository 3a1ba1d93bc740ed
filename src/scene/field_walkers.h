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
    /// Written only where something was moved: most things stand where their file has them.
    void operator()(const char* key, const Placement& v) {
        if (!(v == Placement())) out[key] = object(v);
    }
    void operator()(const char* key, const Input& v) { out[key] = input(v); }
    /// Left out where it is empty.
    void some(const char* key, const std::string& v) {
        if (!v.empty()) out[key] = v;
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
    void operator()(const char* key, bool& v) {
        take(key, "true or false", [&](const Json& j) { return j.is_boolean() && (v = j.get<bool>(), true); });
    }
    void operator()(const char* key, int& v) {
        take(key, "a whole number", [&](const Json& j) {
            return j.is_number() && std::abs(j.get<double>()) < 2e9 && (v = int(j.get<double>()), true);
        });
    }
    void operator()(const char* key, float& v) {
        take(key, "a number", [&](const Json& j) { return number(j, v); });
    }
    void operator()(const char* key, std::string& v) {
        take(key, "a text in quotes", [&](const Json& j) { return j.is_string() && (v = j.get<std::string>(), true); });
    }
    void operator()(const char* key, V2f& v) {
        take(key, "two numbers [x, y]", [&](const Json& j) { return vector(j, &v.x, 2); });
    }
    void operator()(const char* key, V3f& v) {
        take(key, "three numbers [x, y, z]", [&](const Json& j) { return vector(j, &v.x, 3); });
    }
    void operator()(const char* key, Value& v) {
        take(key, "a value", [&](const Json& j) { return literal(j, v); });
    }
    void operator()(const char* key, LayerKind& v) {
        take(key, "\"cover\" or \"coat\"", [&](const Json& j) {
            for (const LayerTraits& t : layer_kinds())
                if (j.is_string() && j.get<std::string>() == t.name) return v = t.kind, true;
            return false;
        });
    }
    void operator()(const char* key, Placement& v) {
        take(key, "", [&](const Json& j) {
            v = object<Placement>(j, at(key), file_, problems_);
            return true;
        });
    }
    template <class T> void some(const char* key, T& v) { (*this)(key, v); }
    void operator()(const char* key, Input& v) {
        take(key, "a value, or {\"from\": node}", [&](const Json& j) { return input(j, v); });
    }
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
    template <class T> void operator()(const char* key, std::vector<T>& items) {
        take(key, "a list [ ]", [&](const Json& j) {
            if (!j.is_array()) return false;
            for (size_t i = 0; i < j.size(); ++i)
                items.push_back(object<T>(j[i], at(key) + "[" + std::to_string(i) + "]", file_, problems_));
            return true;
        });
    }
    template <class T> void operator()(const char* key, T& v) {
        take(key, "", [&](const Json& j) {
            v = object<T>(j, at(key), file_, problems_);
            return true;
        });
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
    template <class Read> void take(const char* key, const char* expected, Read&& read) {
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
            if (const auto output = j.find("output"); output != j.end() && output->is_string())
                v.output = output->get<std::string>();
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
