// vemtra-cli: the core without a window.
#include <cstdio>

#include "cli/support.h"

using namespace vemtra::cli;

namespace {

// The register: one line per command.
constexpr void (*commands[])(CLI::App&, Options&) = {add_render,  add_new,    add_info,  add_values,  add_check,
                                                     add_measure, add_stock,  add_maps,  add_collect, add_find,
                                                     add_nodes,   add_export, add_import};

}  // namespace

int main(int argc, char** argv) {
    if (!__builtin_cpu_supports("avx2")) {
        std::fprintf(stderr, "error: this processor has no AVX2, which Vemtra needs\n");
        return failed;
    }
    CLI::App app{
        "Vemtra without a window. Exit codes: 0 done, 1 failed, 2 wrong call, 3 stopped, 4 done with problems."};
    app.require_subcommand(1);
    app.set_version_flag("--version", VEMTRA_VERSION);
    Options all;
    app.add_flag("--outside", all.outside, "Let projects that come from elsewhere read files outside of their folder");
    app.fallthrough();
    for (auto* add : commands) add(app, all);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        const int code = app.exit(e);
        return code == 0 ? done : usage;
    } catch (const std::bad_alloc&) {
        return fail({"The work was given up", "", "", "it needs more memory than there is",
                     "Close other programs, or make the picture or its maps smaller"});
    } catch (const std::exception& e) {
        return fail({"The work was given up", "", "", e.what(), "Please tell us, with the file"});
    }
    return all.exit;
}
