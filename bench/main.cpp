// ./run bench convergence [SCENE ...] | against COMMIT [SCENE ...]: noise, see scenes.cpp
// ./run bench [rays|noise|networks|fields|layers|surfaces|textures|tiles|displacement|paint|preview|memory|window ...];
// tiles needs about 60 GB of disk
#include <string>

#include "bench.h"

int main(int argc, char** argv) {
    using namespace vemtra::bench;
    std::setvbuf(stdout, nullptr, _IOLBF, 0);
    const std::vector<std::string> words(argv + 1, argv + argc);
    if (!words.empty() && words[0] == "convergence") return convergence("", {words.begin() + 1, words.end()}), 0;
    if (!words.empty() && words[0] == "opening") return opening(argc, argv), 0;
    if (words.size() > 1 && words[0] == "against") return convergence(words[1], {words.begin() + 2, words.end()}), 0;
    auto wanted = [&](const std::string& name) {
        bool any = false;
        for (int i = 1; i < argc; ++i) {
            any = true;
            if (name == argv[i]) return true;
        }
        return !any;
    };
    if (wanted("noise")) noise();
    if (wanted("networks")) networks();
    if (wanted("fields")) fields();
    if (wanted("rays")) rays();
    if (wanted("layers")) layers();
    if (wanted("surfaces")) surfaces();
    if (argc > 1 && wanted("tiles"))
        textures(true);
    else if (wanted("textures"))
        textures(false);
    if (wanted("displacement")) displacement();
    if (wanted("paint")) paint();
    if (wanted("preview")) preview();
    if (wanted("memory")) memory();
    if (wanted("window")) window(argc, argv);
}
