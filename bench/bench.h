// Benchmarks print ratios measured side by side in one run; absolute times differ from machine to machine.
#pragma once
#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>
#include <string>
#include <vector>

#include "where_support.h"

namespace vemtra::bench {

inline double seconds(const std::function<void()>& work) {
    const auto begin = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}
/// Runs both in turn and gives the medians, so that a slow moment of the machine meets both.
inline std::pair<double, double> side_by_side(int rounds, const std::function<void()>& a,
                                              const std::function<void()>& b) {
    std::vector<double> ta, tb;
    for (int i = 0; i < rounds; ++i) ta.push_back(seconds(a)), tb.push_back(seconds(b));
    std::sort(ta.begin(), ta.end());
    std::sort(tb.begin(), tb.end());
    return {ta[ta.size() / 2], tb[tb.size() / 2]};
}
inline void line(const char* what, double got, const char* unit, const char* wanted, bool reached) {
    std::printf("%-64s %8.2f %-8s %-18s %s\n", what, got, unit, wanted, reached ? "reached" : "MISSED");
}

void rays();
void noise();
void layers();
void surfaces();
void networks();
void fields();
void memory();
void displacement();
void paint();
/// The filtered picture of a few samples against one of many.
void preview();
/// `many`: forty tiles of six maps at 4096, which needs about 60 GB of disk and minutes to make; else four tiles.
void textures(bool many);
void opening(int argc, char** argv);  ///< of window(): to the first picture, and out
void window(int argc, char** argv);
/// Noise times time of the scenes of scenes.h, all or those in `only`; beside another build's command line program
/// where `other` names one.
void convergence(const std::string& other, const std::vector<std::string>& only);

/// Four octaves of fractal3d, one point at a time (bench/scalar_noise.cpp, built without vector code but -O3
/// -march=native).
float scalar_fractal(float x, float y, float z);

}  // namespace vemtra::bench
