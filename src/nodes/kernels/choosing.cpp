// Choosing and taking apart, of MaterialX 1.39: ifgreater, ifgreatereq, ifequal, switch, and, or, xor, not; extract,
// combine2, combine3, combine4, convert, dot.
#include "nodes/kernel.h"

namespace vemtra::nodes {
namespace VEMTRA_ISA {

/// Ports: value1, value2, in1, in2 (as output).
#define VEMTRA_CHOICE(name, condition)                                                    \
    void name(const KernelArgs& k) {                                                      \
        const float* __restrict a = k.in[0];                                              \
        const float* __restrict b = k.in[1];                                              \
        for (int c = 0; c < k.components; ++c) {                                          \
            const float* __restrict in1 = k.in[2 + c];                                    \
            const float* __restrict in2 = k.in[2 + k.components + c];                     \
            float* __restrict out = k.out[c];                                             \
            for (int i = 0; i < k.n; ++i) out[i] = a[i] condition b[i] ? in1[i] : in2[i]; \
        }                                                                                 \
    }
VEMTRA_CHOICE(ifgreater, >)
VEMTRA_CHOICE(ifgreatereq, >=)
VEMTRA_CHOICE(ifequal, ==)

constexpr int most_choices = 10;
/// Ports: in1 to in10 (as output), which: the whole number below counts, from 0; 0 comes out of what is beyond.
void choose(const KernelArgs& k) {
    const float* __restrict which = k.in[most_choices * k.components];
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) {
            const float w = which[i] < 0.f ? 0.f : which[i];
            k.out[c][i] = w < float(most_choices) ? k.in[int(w) * k.components + c][i] : 0.f;
        }
}

#define VEMTRA_LOGIC(name, expression)              \
    void name(const KernelArgs& k) {                \
        for (int i = 0; i < k.n; ++i) {             \
            const bool x = k.in[0][i] != 0.f;       \
            const bool y = k.in[1][i] != 0.f;       \
            k.out[0][i] = (expression) ? 1.f : 0.f; \
        }                                           \
    }
VEMTRA_LOGIC(logic_and, x&& y)
VEMTRA_LOGIC(logic_or, x || y)
VEMTRA_LOGIC(logic_xor, x != y)
void logic_not(const KernelArgs& k) {
    for (int i = 0; i < k.n; ++i) k.out[0][i] = k.in[0][i] != 0.f ? 0.f : 1.f;
}

enum ExtractUniform : int { extract_index };
/// Port: in, filled to four components.
void extract(const KernelArgs& k) {
    const int at = int(k.uniform[extract_index]);
    for (int i = 0; i < k.n; ++i) k.out[0][i] = k.in[at][i];
}
/// Ports: as many numbers as the output has components; and for pass-through the value itself.
void pass(const KernelArgs& k) {
    for (int c = 0; c < k.components; ++c)
        for (int i = 0; i < k.n; ++i) k.out[c][i] = k.in[c][i];
}
}  // namespace VEMTRA_ISA

#ifndef VEMTRA_KERNELS_ONLY
}
#include "nodes/description.h"
namespace vemtra::nodes {
VEMTRA_DECLARE_KERNEL(ifgreater)
VEMTRA_DECLARE_KERNEL(ifgreatereq)
VEMTRA_DECLARE_KERNEL(ifequal)
VEMTRA_DECLARE_KERNEL(choose)
VEMTRA_DECLARE_KERNEL(logic_and)
VEMTRA_DECLARE_KERNEL(logic_or)
VEMTRA_DECLARE_KERNEL(logic_xor)
VEMTRA_DECLARE_KERNEL(logic_not)
VEMTRA_DECLARE_KERNEL(extract)
VEMTRA_DECLARE_KERNEL(pass)

namespace {

std::vector<Type> with_boolean(std::vector<Type> types) {
    types.push_back(Type::integer);
    types.push_back(Type::boolean);
    return types;
}
Port component(int c) {
    static const char* const helps[] = {"The first component.", "The second one.", "The third one.", "The fourth one."};
    return {.name = "in" + std::to_string(c + 1), .help = helps[c], .value = 0.f};
}

void describe_choices(std::vector<NodeDescription>& list) {
    const std::tuple<const char*, const char*, const char*, KernelPair> choices[] = {
        {"ifgreater", "If greater", "in1 where value1 > value2, else in2.", VEMTRA_PAIR(ifgreater)},
        {"ifgreatereq", "If not smaller", "in1 where value1 >= value2, else in2.", VEMTRA_PAIR(ifgreatereq)},
        {"ifequal", "If equal", "in1 where value1 = value2, else in2.", VEMTRA_PAIR(ifequal)},
    };
    for (const auto& [kind, title, help, kernel] : choices)
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "choose",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = with_boolean(value_types()),
                        .ports = {{.name = "value1", .help = "Is compared.", .value = 1.f},
                                  {.name = "value2", .help = "With this one.", .value = 0.f},
                                  {.name = "in1", .help = "Where it is so.", .same_as_output = true, .value = 0.f},
                                  {.name = "in2", .help = "Elsewhere.", .same_as_output = true, .value = 0.f}},
                        .kernel = kernel});
    NodeDescription d{.kind = "switch",
                      .title = "Choose",
                      .family = "choose",
                      .help = "One of ten inputs, by number.",
                      .standard = "MaterialX 1.39 switch",
                      .types = value_types(),
                      .kernel = VEMTRA_PAIR(choose)};
    for (int i = 1; i <= avx2::most_choices; ++i)
        d.ports.push_back({.name = "in" + std::to_string(i),
                           .help = "A choice.",
                           .same_as_output = true,
                           .value = 0.f,
                           .folded = i > 4});
    d.ports.push_back({.name = "which", .help = "From 0.", .value = 0.f, .high = 9.f});
    list.push_back(std::move(d));
}

void describe_logic(std::vector<NodeDescription>& list) {
    const std::tuple<const char*, const char*, const char*, KernelPair> logic[] = {
        {"and", "And", "Whether both are true.", VEMTRA_PAIR(logic_and)},
        {"or", "Or", "Whether one of both is true.", VEMTRA_PAIR(logic_or)},
        {"xor", "Either or", "Whether just one of both is true.", VEMTRA_PAIR(logic_xor)},
    };
    for (const auto& [kind, title, help, kernel] : logic)
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "choose",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = {Type::boolean},
                        .ports = {{.name = "in1", .help = "One.", .type = Type::boolean, .value = 0.f},
                                  {.name = "in2", .help = "The other.", .type = Type::boolean, .value = 0.f}},
                        .kernel = kernel});
    list.push_back({.kind = "not",
                    .title = "Not",
                    .family = "choose",
                    .help = "True where it is false.",
                    .standard = "MaterialX 1.39 not",
                    .types = {Type::boolean},
                    .ports = {{.name = "in", .help = "What is turned.", .type = Type::boolean, .value = 0.f}},
                    .kernel = VEMTRA_PAIR(logic_not)});
}

void describe_components(std::vector<NodeDescription>& list) {
    list.push_back({.kind = "extract",
                    .title = "One component",
                    .family = "choose",
                    .help = "One component of a colour or a vector.",
                    .standard = "MaterialX 1.39 extract",
                    .types = {Type::number},
                    .ports = {{.name = "in", .help = "A colour or a vector.", .type = Type::vector4, .value = 0.f},
                              {.name = "index",
                               .help = "Which one.",
                               .value = 0.f,
                               .high = 3.f,
                               .hard = true,
                               .uniform = true,
                               .whole = true,
                               .choices = {"first", "second", "third", "fourth"}}},
                    .kernel = VEMTRA_PAIR(extract),
                    .uniforms = {{"index", VEMTRA_ISA::extract_index}}});
    const std::tuple<const char*, const char*, std::vector<Type>> combined[] = {
        {"combine2", "From two", {Type::vector2}},
        {"combine3", "From three", {Type::color, Type::vector3}},
        {"combine4", "From four", {Type::color4, Type::vector4}},
    };
    int n = 2;
    for (const auto& [kind, title, types] : combined) {
        NodeDescription d{.kind = kind,
                          .title = title,
                          .family = "choose",
                          .help = "A colour or a vector of its components.",
                          .standard = std::string("MaterialX 1.39 ") + kind,
                          .types = types,
                          .kernel = VEMTRA_PAIR(pass)};
        for (int c = 0; c < n; ++c) d.ports.push_back(component(c));
        list.push_back(std::move(d));
        ++n;
    }
    const std::tuple<const char*, const char*, const char*> passing[] = {
        {"convert", "Convert", "The same in another type: one number fills all; what is missing is 0, an alpha 1."},
        {"dot", "Pass on", "What comes in."},
    };
    for (const auto& [kind, title, help] : passing)
        list.push_back({.kind = kind,
                        .title = title,
                        .family = "choose",
                        .help = help,
                        .standard = std::string("MaterialX 1.39 ") + kind,
                        .types = with_boolean(value_types()),
                        .ports = {{.name = "in",
                                   .help = "What comes in.",
                                   .same_as_output = true,
                                   .value = 0.f,
                                   .role = Role::subject}},
                        .kernel = VEMTRA_PAIR(pass),
                        .passes = std::string(kind) == "dot"});
}

}  // namespace

void describe_choosing(std::vector<NodeDescription>& list) {
    describe_choices(list);
    describe_logic(list);
    describe_components(list);
}
#endif
}  // namespace vemtra::nodes
