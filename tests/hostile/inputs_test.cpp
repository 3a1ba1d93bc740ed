#include "hostile/inputs.h"
#include "support.h"

using namespace vemtra;
using namespace vemtra::hostile;

namespace {

/// Makes each input in an empty folder and runs its calls; a failure names the input, the call and how it ended.
void all_answered(const std::vector<HostileInput>& inputs) {
    const char* only = std::getenv("VEMTRA_HOSTILE");  // a part of a name: to look at one
    size_t count = 0, calls = 0;
    double slowest = 0, seconds = 0;
    size_t largest = 0;
    const char* share = std::getenv("VEMTRA_HOSTILE_EVERY");  // one in so many: a sample in ./run test
    const size_t every = share ? size_t(std::max(1, std::atoi(share))) : 1;
    Limits limits;
    if (every > 1) limits.seconds *= 3;  // a sample runs beside all other cases, which leave it a third of a core
    for (size_t i = 0; i < inputs.size(); ++i) {
        const HostileInput& input = inputs[i];
        if (only ? input.name.find(only) == std::string::npos : i % every != 0) continue;
        const test::Scratch scratch;
        const fs::path folder = scratch.path / "in";
        fs::create_directories(folder);
        ++count;
        for (const Call& call : input.make(folder)) {
            const Answer a = run_cli(call.arguments, limits, call.environment, folder);
            ++calls;
            seconds += a.seconds;
            slowest = std::max(slowest, a.seconds);
            largest = std::max(largest, a.megabytes);
            std::string words;
            for (const std::string& w : call.arguments) words += " " + w.substr(0, 100);
            if (std::getenv("VEMTRA_HOSTILE_SLOW") && a.seconds > 2)
                WARN(input.name << " |" << words << " | " << a.line().substr(0, 60));
            INFO(input.name << " |" << words);
            INFO(a.line());
            CHECK(a.answered());
        }
    }
    WARN(count << " inputs, " << calls << " calls, all in " << seconds << " s; slowest " << slowest << " s, largest "
               << largest << " MB");
}

}  // namespace

TEST_CASE("hostile projects are answered", "[hostile]") {
    all_answered(hostile_projects());
}
TEST_CASE("hostile assets are answered", "[hostile]") {
    all_answered(hostile_assets());
}
TEST_CASE("hostile pictures, sets and lists are answered", "[hostile]") {
    all_answered(hostile_pictures());
}
TEST_CASE("what is no ordinary file, or leads elsewhere, is answered", "[hostile]") {
    all_answered(hostile_paths());
}
TEST_CASE("hostile documents of the open standard are answered", "[hostile]") {
    all_answered(hostile_documents());
}
TEST_CASE("heights, names and crowds beyond all measure are answered", "[hostile]") {
    all_answered(hostile_forms());
}
