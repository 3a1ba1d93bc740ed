#include "hostile/works.h"
#include "runner.h"
#include "support.h"

int main(int argc, char** argv) {
    if (vemtra::hostile::was_work(argc, argv)) return 0;
    const vemtra::test::Scratch own;  // neither seen nor changed: what the user keeps
    for (const char* kind : {"DATA", "CACHE", "CONFIG"})
        setenv((std::string("XDG_") + kind + "_HOME").c_str(), (own.path / kind).c_str(), 1);
    return vemtra::test::run_cases(argc, argv);
}
