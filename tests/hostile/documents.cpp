// Documents of the open standard that no program writes: broken, deep, huge, circular, of the wrong types, and with
// files that are none.
#include <sys/stat.h>

#include "hostile/inputs.h"

namespace vemtra::hostile {
namespace {

/// Values of one output, taking it into a project, and `check` on what came of it.
std::vector<Call> document_calls(const fs::path& folder, const std::string& text) {
    const fs::path document = folder / "in.mtlx";
    if (!text.empty()) write_bytes(document, text);
    const fs::path project = save_in(folder, square_project(folder));
    const std::string out = (folder / "taken.vemtra").string();
    return {{{"values", document.string(), "--output", "g/o", "--uv-grid", "4", "--json"}},
            {{"values", document.string(), "--output", "no such", "--uv-grid", "4"}},
            {{"import", project.string(), "--mtlx", document.string(), "-o", out}},
            {{"check", out}},
            {{"export", out, "--mtlx", (folder / "again.mtlx").string()}}};
}
std::string graph(const std::string& nodes, const std::string& last = "x") {
    return "<materialx version=\"1.39\"><nodegraph name=\"g\">" + nodes +
           "<output name=\"o\" type=\"float\" nodename=\"" + last +
           "\"/></nodegraph><open_pbr_surface name=\"s\" type=\"surfaceshader\"><input name=\"specular_roughness\" "
           "type=\"float\" nodegraph=\"g\" output=\"o\"/></open_pbr_surface></materialx>";
}
std::string node(const std::string& kind, const std::string& name, const std::string& inputs) {
    return "<" + kind + " name=\"" + name + "\" type=\"float\">" + inputs + "</" + kind + ">";
}
std::string from(const std::string& port, const std::string& source) {
    return "<input name=\"" + port + "\" type=\"float\" nodename=\"" + source + "\"/>";
}
std::string value(const std::string& port, const std::string& type, const std::string& text) {
    return "<input name=\"" + port + "\" type=\"" + type + "\" value=\"" + text + "\"/>";
}

std::string chain(size_t length) {
    std::string nodes = node("constant", "n0", value("value", "float", "0.5"));
    for (size_t i = 1; i < length; ++i)
        nodes += node("add", "n" + std::to_string(i), from("in1", "n" + std::to_string(i - 1)));
    return graph(nodes, "n" + std::to_string(length - 1));
}
/// Each node reads the one before twice: without sharing it would be computed 2^n times.
std::string doubling(size_t length) {
    std::string nodes = node("texcoord", "n0", "");
    for (size_t i = 1; i < length; ++i) {
        const std::string before = "n" + std::to_string(i - 1);
        nodes += node("add", "n" + std::to_string(i), from("in1", before) + from("in2", before));
    }
    return graph(nodes, "n" + std::to_string(length - 1));
}
/// The same by graphs of the document's own within one another.
std::string nested_definitions(size_t depth) {
    std::string text = "<materialx version=\"1.39\">";
    for (size_t i = 0; i < depth; ++i) {
        const std::string n = std::to_string(i);
        const std::string inner = i == 0 ? "constant" : "own" + std::to_string(i - 1);
        text += "<nodedef name=\"D" + n + "\" node=\"own" + n + "\"><output name=\"out\" type=\"float\"/></nodedef>";
        text += "<nodegraph name=\"N" + n + "\" nodedef=\"D" + n + "\">" + node(inner, "a", "") + node(inner, "b", "") +
                node("add", "c", from("in1", "a") + from("in2", "b")) +
                "<output name=\"out\" type=\"float\" nodename=\"c\"/></nodegraph>";
    }
    return text + "<nodegraph name=\"g\">" + node("own" + std::to_string(depth - 1), "x", "") +
           "<output name=\"o\" type=\"float\" nodename=\"x\"/></nodegraph></materialx>";
}
std::string said_again(const std::string& text, size_t count) {
    std::string all;
    all.reserve(text.size() * count);
    for (size_t i = 0; i < count; ++i) all += text;
    return all;
}

}  // namespace

std::vector<HostileInput> hostile_documents() {
    std::vector<HostileInput> all;
    auto add = [&](const std::string& name, std::function<std::string()> text) {
        all.push_back({"document: " + name,
                       [text = std::move(text)](const fs::path& folder) { return document_calls(folder, text()); }});
    };
    add("nothing at all", [] { return std::string(" "); });
    add("cut in the middle", [] { return graph(node("add", "x", "")).substr(0, 90); });
    add("not this format", [] { return std::string("{\"vemtra\": 1}"); });
    add("bytes of no text", [] { return said_again(std::string("\x00\xff\xfe<", 4), 1000); });
    add("a chain of 100 000 nodes", [] { return chain(100000); });
    add("64 nodes that each read the one before twice", [] { return doubling(64); });
    add("40 graphs of its own within one another, twice each", [] { return nested_definitions(40); });
    add("a circle of two",
        [] { return graph(node("add", "x", from("in1", "y")) + node("add", "y", from("in1", "x"))); });
    add("a graph that contains itself", [] {
        return std::string(
                   "<materialx version=\"1.39\"><nodedef name=\"D\" node=\"own\"><output name=\"out\" "
                   "type=\"float\"/></nodedef><nodegraph name=\"g\" nodedef=\"D\">") +
               node("own", "x", "") + "<output name=\"o\" type=\"float\" nodename=\"x\"/></nodegraph></materialx>";
    });
    add("graphs that read each other", [] {
        return std::string(
            "<materialx version=\"1.39\"><nodegraph name=\"g\"><input name=\"i\" type=\"float\" nodegraph=\"h\" "
            "output=\"o\"/><output name=\"o\" type=\"float\" interfacename=\"i\"/></nodegraph><nodegraph "
            "name=\"h\"><input "
            "name=\"i\" type=\"float\" nodegraph=\"g\" output=\"o\"/><output name=\"o\" type=\"float\" "
            "interfacename=\"i\"/></nodegraph></materialx>");
    });
    add("elements 20 000 deep", [] {
        return "<materialx>" + said_again("<nodegraph name=\"g\">", 20000) + said_again("</nodegraph>", 20000) +
               "</materialx>";
    });
    add("entities that would grow without end", [] {
        std::string text = "<!DOCTYPE x [<!ENTITY a0 \"aaaaaaaaaa\">";
        for (int i = 1; i < 30; ++i)
            text +=
                "<!ENTITY a" + std::to_string(i) + " \"" + said_again("&a" + std::to_string(i - 1) + ";", 10) + "\">";
        return text + "]>" + graph(node("constant", "x", value("value", "float", "&a29;")));
    });
    add("numbers that are none", [] {
        std::string nodes;
        int k = 0;
        for (const char* v : {"nan", "inf", "1e400", "-1e400", "", "1,2,3,4,5", "0x10", "1 2", "--1", "1e"})
            nodes += node("add", "n" + std::to_string(k++), value("in1", "float", v) + value("in2", "color3", v));
        return graph(nodes + node("add", "x", from("in1", "n0") + from("in2", "n2")));
    });
    add("the largest numbers into every node", [] {
        std::string nodes;
        int k = 0;
        for (const char* kind :
             {"power", "divide", "modulo", "exp", "noise2d", "fractal3d", "worleynoise3d", "cellnoise2d", "place2d",
              "rotate3d", "ramp", "grid", "line", "switch", "range", "blackbody", "unifiednoise3d"})
            nodes += node(kind, "n" + std::to_string(k++),
                          value("in1", "float", "3e38") + value("in2", "float", "-3e38") +
                              value("texcoord", "vector2", "3e38, -3e38") +
                              value("position", "vector3", "3e38, 1e-40, -3e38") +
                              value("octaves", "integer", "2000000000") + value("which", "integer", "-2000000000") +
                              value("temperature", "float", "-1"));
        return graph(nodes + node("add", "x", from("in1", "n4") + from("in2", "n6")));
    });
    add("unknown nodes and types", [] {
        return graph(node("no_such_node", "a", from("in", "x")) + "<matrix44 name=\"m\" type=\"matrix44\"/>" +
                     node("add", "x", from("in1", "a") + from("in2", "m")));
    });
    add("names of controls and of nothing", [] {
        return graph(node("add", "", "") + node("add", "&#10;&#27;[2J", "") +
                     node("add", "x", from("in1", "&#10;&#27;[2J")));
    });
    add("the same name ten thousand times", [] { return graph(said_again(node("add", "x", ""), 10000)); });
    add("a hundred thousand inputs at one node",
        [] { return graph(node("add", "x", said_again(value("in1", "float", "1"), 100000))); });
    add("a word of ten million letters",
        [] { return graph(node("constant", "x", value("value", "string", std::string(10000000, 'a')))); });
    add("files that lead elsewhere", [] {
        std::string nodes;
        int k = 0;
        for (const char* path :
             {"/etc/passwd", "../../../../etc/passwd", "/dev/zero", "<UDIM>", "", "a\tb", "//host/share/x.exr"})
            nodes += "<image name=\"i" + std::to_string(k++) + "\" type=\"float\">" + value("file", "filename", path) +
                     "</image>";
        return graph(nodes + node("add", "x", from("in1", "i0") + from("in2", "i2")));
    });
    add("a thousand surfaces mixed into one another", [] {
        std::string text = "<materialx version=\"1.39\"><open_pbr_surface name=\"m0\" type=\"surfaceshader\"/>";
        for (int i = 1; i < 1000; ++i) {
            const std::string before = "m" + std::to_string(i - 1);
            text += "<mix name=\"m" + std::to_string(i) +
                    "\" type=\"surfaceshader\"><input name=\"bg\" type=\"surfaceshader\" nodename=\"" + before +
                    "\"/><input name=\"fg\" type=\"surfaceshader\" nodename=\"" + before + "\"/></mix>";
        }
        return text + "</materialx>";
    });
    all.push_back({"document: a FIFO", [](const fs::path& folder) {
                       ::mkfifo((folder / "in.mtlx").c_str(), 0644);
                       return document_calls(folder, "");
                   }});
    return all;
}

}  // namespace vemtra::hostile
