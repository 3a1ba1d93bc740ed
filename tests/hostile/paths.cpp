// What is no ordinary file, what leads out of the folder, and what is not there.
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include <cstring>

#include "hostile/inputs.h"
#include "nodes/description.h"
#include "support.h"

namespace vemtra::hostile {
namespace {

using Put = std::function<void(const fs::path& at)>;

struct OddFile {
    const char* name;
    Put put;
};

void make_socket(const fs::path& at) {
    const int s = ::socket(AF_UNIX, SOCK_STREAM, 0);
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    const std::string name = at.filename().string();
    std::memcpy(address.sun_path, name.c_str(), name.size());
    const fs::path before = fs::current_path();
    fs::current_path(at.parent_path());  // a path of a socket may be 107 bytes long
    (void)::bind(s, reinterpret_cast<const sockaddr*>(&address), sizeof address);
    fs::current_path(before);
    ::close(s);
}

const std::vector<OddFile>& odd_files() {
    static const std::vector<OddFile> all = {
        {"a FIFO", [](const fs::path& at) { ::mkfifo(at.c_str(), 0644); }},
        {"a socket", make_socket},
        {"a link to a device without end", [](const fs::path& at) { fs::create_symlink("/dev/zero", at); }},
        {"a link to a device that waits", [](const fs::path& at) { fs::create_symlink("/dev/tty", at); }},
        {"a folder", [](const fs::path& at) { fs::create_directory(at); }},
        {"a link in a circle", [](const fs::path& at) { fs::create_symlink(at.filename(), at); }},
        {"a link to nothing", [](const fs::path& at) { fs::create_symlink("nowhere", at); }},
        {"a file that may not be read",
         [](const fs::path& at) {
             write_bytes(at, "x");
             fs::permissions(at, fs::perms::none);
         }},
        {"a link out of the folder",
         [](const fs::path& at) {
             write_bytes(at.parent_path().parent_path() / "outside.txt", "secret\n");
             fs::create_symlink(at.parent_path().parent_path() / "outside.txt", at);
         }},
    };
    return all;
}

/// Every file port of the catalogue, the environment and the asset name this path.
scene::Scene scene_that_names(const fs::path& folder, const std::string& path) {
    scene::Scene s = square_project(folder);
    s.assets.push_back({.id = "other", .file = path});
    s.rigs[0].environment.image = path;
    s.search_folders = {path};
    scene::Layer& base = s.build_ups[0].layers[0];
    std::string last;
    for (const nodes::NodeDescription& d : nodes::catalogue()) {
        const nodes::Port* file = d.port(nodes::Role::file);
        if (!file) continue;
        scene::Node n, sum;
        n.id = d.kind;
        n.kind = d.kind;
        n.inputs[file->name].value = path;
        sum.id = "sum-" + n.id;
        sum.kind = "add";
        sum.inputs["in1"].from = n.id;
        sum.inputs["in2"].from = last;
        last = sum.id;
        base.nodes.push_back(n);
        base.nodes.push_back(sum);
    }
    base.surface["specular_roughness"].from = last;
    return s;
}

}  // namespace

std::vector<HostileInput> hostile_paths() {
    std::vector<HostileInput> all;
    for (const OddFile& odd : odd_files()) {
        all.push_back({std::string(odd.name) + " in place of a project", [&odd](const fs::path& folder) {
                           fs::create_directories(folder);
                           odd.put(folder / "p.vemtra");
                           return project_calls(folder / "p.vemtra");
                       }});
        for (const char* extension : {"obj", "ply", "gltf", "glb"})
            all.push_back({std::string(odd.name) + " in place of an asset, " + extension,
                           [&odd, extension](const fs::path& folder) {
                               fs::create_directories(folder);
                               odd.put(folder / (std::string("a.") + extension));
                               return asset_calls(folder / (std::string("a.") + extension));
                           }});
        all.push_back({std::string(odd.name) + " in place of a buffer", [&odd](const fs::path& folder) {
                           fs::create_directories(folder);
                           odd.put(folder / "b.bin");
                           write_bytes(
                               folder / "a.gltf",
                               R"({"buffers":[{"uri":"b.bin","byteLength":36}],"nodes":[{"mesh":0}],"meshes":[]})");
                           return asset_calls(folder / "a.gltf");
                       }});
        for (const char* extension : {"png", "exr", "tif", "hdr"})
            all.push_back({std::string(odd.name) + " in place of every map, " + extension,
                           [&odd, extension](const fs::path& folder) {
                               const std::string name = std::string("m.") + extension;
                               const scene::Scene s = scene_that_names(folder, name);
                               odd.put(folder / name);
                               std::vector<Call> calls = project_calls(save_in(folder, s));
                               calls.push_back({{"info", (folder / name).string()}});
                               calls.push_back({{"maps", folder.string()}});
                               return calls;
                           }});
        all.push_back(
            {std::string(odd.name) + " in place of a recipe and of what is written", [&odd](const fs::path& folder) {
                 const std::string project = save_in(folder, square_project(folder)).string();
                 odd.put(folder / "r.json");
                 odd.put(folder / "out.png");
                 return std::vector<Call>{
                     {{"maps", folder.string(), "--pack", (folder / "r.json").string(), "-o", folder.string()}},
                     {{"render", project, "-o", (folder / "out.png").string(), "--size", "8x8", "--samples", "1"}},
                     {{"collect", project, "-o", (folder / "out.png").string()}}};
             }});
    }
    for (const std::string& path :
         {std::string("/etc/passwd"), std::string("../../../../../../etc/passwd"), std::string("/dev/zero"),
          std::string("/dev/stdin"), std::string("/proc/self/mem"), std::string("/proc/self/fd/0"), std::string("."),
          std::string(".."), std::string("/"), std::string("//"), std::string("~"), std::string("a\n\x1b[2Jb"),
          std::string("<UDIM>"), std::string("/<UDIM>"), std::string(300, 'n'), std::string(5000, '/'),
          std::string("file:///etc/passwd"), std::string("http://localhost/x.png")})
        all.push_back({"every file port names '" + path.substr(0, 40) + "'", [path](const fs::path& folder) {
                           return project_calls(save_in(folder, scene_that_names(folder, path)));
                       }});
    return all;
}

}  // namespace vemtra::hostile
