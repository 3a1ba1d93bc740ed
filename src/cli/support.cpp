#include "cli/support.h"

#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstdio>

#include "base/json_text.h"
#include "exchange/collect.h"
#include "texture/paint_files.h"

namespace vemtra::cli {

int fail(const Error& e) {
    std::fprintf(stderr, "error: %s\n", e.line().c_str());
    return failed;
}
int wrong_call(const std::string& why) {
    std::fprintf(stderr, "usage: %s\n", why.c_str());
    return usage;
}
void warn(const std::vector<Error>& problems) {
    for (const Error& e : problems) std::fprintf(stderr, "warning: %s\n", e.line().c_str());
}
void say(const ordered_json& answer) {
    std::printf("%s\n", json_text(answer).c_str());
}
ordered_json as_json(const Error& e) {
    return {{"what", e.what}, {"file", e.file}, {"place", e.place}, {"why", e.why}, {"remedy", e.remedy}};
}
ordered_json as_json(const std::vector<Error>& errors) {
    ordered_json list = ordered_json::array();
    for (const Error& e : errors) list.push_back(as_json(e));
    return list;
}
void place(render::PrepareOptions& options, const Options& all, const scene::Scene& scene, const fs::path& project) {
    options.folder = absolute_path(project).parent_path();
    options.blocked = blocked_paths(all, scene, project);
}
void read_paintings(const Options& all, scene::Loaded& loaded, const fs::path& project) {
    texture::load_paintings(loaded.scene,
                            Paths(absolute_path(project).parent_path(), loaded.scene.search_folders,
                                  blocked_paths(all, loaded.scene, project)),
                            loaded.problems);
}
BlockedPaths blocked_paths(const Options& all, const scene::Scene& scene, const fs::path& project) {
    if (all.outside || OwnProjects().holds(project)) return nullptr;
    return exchange::paths_that_leave(scene, absolute_path(project).parent_path());
}

namespace {
Progress* watched = nullptr;
void on_interrupt(int) {
    if (watched) watched->stop = true;
}
constexpr int bar_width = 40;
}  // namespace

Bar::Bar(Progress& progress, const char* what) : progress_(progress) {
    watched = &progress;
    std::signal(SIGINT, on_interrupt);
    if (!isatty(STDERR_FILENO)) return;
    thread_ = std::thread([this, what] {
        const auto begin = std::chrono::steady_clock::now();
        while (!over_) {
            const float f = progress_.fraction;
            const double spent = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
            std::string bar;
            for (int i = 0; i < bar_width; ++i) bar += float(i) < f * float(bar_width) ? '=' : '.';
            std::fprintf(stderr, "\r%s [%s] %3.0f %%  %.0f s left ", what, bar.c_str(), double(f * 100.f),
                         f > 0.01f ? spent * double((1.f - f) / f) : 0.0);
            std::this_thread::sleep_for(std::chrono::milliseconds(100));
        }
        std::fprintf(stderr, "\r%80s\r", "");
    });
}
Bar::~Bar() {
    over_ = true;
    if (thread_.joinable()) thread_.join();
    std::signal(SIGINT, SIG_DFL);
    watched = nullptr;
}

}  // namespace vemtra::cli
