// Registers whose value is not needed any more serve again: the working set stays in the cache.
#include "program/program.h"

namespace vemtra::program {

void Program::reuse_registers() {
    std::vector<int> last(size_t(registers_), -1);
    for (size_t s = 0; s < steps_.size(); ++s)
        for (const Source& i : steps_[s].in)
            if (i.kind == Source::Kind::reg) last[size_t(i.index)] = int(s);
    for (const auto& output : outputs_)
        for (const Source& s : output.sources)
            if (s.kind == Source::Kind::reg) last[size_t(s.index)] = int(steps_.size());
    std::vector<int> moved(size_t(registers_), -1);
    std::vector<int> available;
    int used = 0;
    auto apply = [&](Source& s) {
        if (s.kind == Source::Kind::reg) s.index = moved[size_t(s.index)];
    };
    for (size_t s = 0; s < steps_.size(); ++s) {
        auto& step = steps_[s];
        std::vector<int> ends;
        for (const Source& i : step.in)
            if (i.kind == Source::Kind::reg && last[size_t(i.index)] == int(s)) ends.push_back(i.index);
        for (Source& i : step.in) apply(i);
        for (int& r : step.out) {  // before the inputs are released: kernels may not work in place
            const int original = r;
            if (available.empty()) {
                r = used++;
            } else {
                r = available.back();
                available.pop_back();
            }
            moved[size_t(original)] = r;
        }
        for (int r : ends)
            if (last[size_t(r)] == int(s)) {
                available.push_back(moved[size_t(r)]);
                last[size_t(r)] = -2;
            }
    }
    for (auto& output : outputs_)
        for (Source& s : output.sources) apply(s);
    registers_ = used;
}

}  // namespace vemtra::program
