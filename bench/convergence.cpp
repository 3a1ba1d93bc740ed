// How calm pictures are: relative mean square error times the processor's seconds, against references of many samples.
// Pictures are rendered by the command line, so that the program of any commit can be held against this one.
#include <OpenImageIO/imageio.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <fstream>
#include <sstream>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/vec.h"
#include "bench.h"
#include "scenes.h"

namespace vemtra::bench {
namespace {

constexpr int width = 96;
constexpr int height = 60;
constexpr int seeds = 4;
constexpr int samples = 64;

/// Runs a program to its end; its seconds on the processor, negative where it failed.
double processor_seconds(const std::vector<std::string>& command) {
    std::vector<char*> words;
    for (const std::string& w : command) words.push_back(const_cast<char*>(w.c_str()));
    words.push_back(nullptr);
    const pid_t child = ::fork();
    if (child == 0) {
        ::execv(words[0], words.data());
        ::_exit(127);
    }
    int status = 0;
    rusage used{};
    if (child < 0 || ::wait4(child, &status, 0, &used) != child) return -1;
    if (!WIFEXITED(status) || WEXITSTATUS(status) > 3) return -1;
    auto seconds_of = [](const timeval& t) { return double(t.tv_sec) + 1e-6 * double(t.tv_usec); };
    return seconds_of(used.ru_utime) + seconds_of(used.ru_stime);
}

using Pixels = std::vector<V3f>;

Pixels read(const fs::path& file) {
    auto in = OIIO::ImageInput::open(file.string());
    if (!in) return {};
    const int channels = in->spec().nchannels;
    std::vector<float> all(size_t(in->spec().width) * size_t(in->spec().height) * size_t(channels));
    if (!in->read_image(0, 0, 0, channels, OIIO::TypeDesc::FLOAT, all.data())) return {};
    const auto& names = in->spec().channelnames;
    int at[3] = {0, 1, 2};
    for (int c = 0; c < channels; ++c)
        for (int k = 0; k < 3; ++k)
            if (names[size_t(c)] == std::string(1, "RGB"[k])) at[k] = c;
    Pixels out(all.size() / size_t(channels));
    for (size_t p = 0; p < out.size(); ++p)
        for (int k = 0; k < 3; ++k) out[p][k] = all[p * size_t(channels) + size_t(at[k])];
    return out;
}

double render(const fs::path& program, const NoiseScene& s, const fs::path& out, int count, int seed,
              bool reference = false) {
    std::vector<std::string> command{program.string(),
                                     "render",
                                     s.project.string(),
                                     "-o",
                                     out.string(),
                                     "--size",
                                     std::to_string(width) + "x" + std::to_string(height),
                                     "--samples",
                                     std::to_string(count),
                                     "--seed",
                                     std::to_string(seed)};
    if (reference) command.push_back("--reference");
    return processor_seconds(command);
}

/// Mean of (x - r)^2 / (r^2 + .01 mean^2) over pixels and channels.
double relative_error(const Pixels& x, const Pixels& r) {
    if (x.size() != r.size() || r.empty()) return INFINITY;
    double mean = 0;
    for (const V3f& p : r) mean += double(p.x + p.y + p.z) / 3.;
    mean /= double(r.size());
    double sum = 0;
    for (size_t p = 0; p < r.size(); ++p)
        for (int c = 0; c < 3; ++c) {
            const double d = double(x[p][c]) - double(r[p][c]);
            sum += d * d / (double(r[p][c]) * double(r[p][c]) + .01 * mean * mean);
        }
    return sum / (3. * double(r.size()));
}

struct Reference {
    Pixels pixels;
    double error = 0;  ///< its own, about
};

/// Two pictures with seeds of their own: their mean, and how far it is from the truth by how far they are apart. Kept
/// by what the scene says.
Reference reference_of(const NoiseScene& s, const fs::path& folder) {
    std::stringstream text;
    text << std::ifstream(s.project).rdbuf() << width << 'x' << height << 'x' << s.reference_samples;
    const std::string key = s.name + "-" + std::to_string(std::hash<std::string>()(text.str()));
    Pixels half[2];
    for (int k = 0; k < 2; ++k) {
        const fs::path file = folder / (key + "-" + std::to_string(k) + ".exr");
        if (!fs::exists(file)) {
            const fs::path unfinished = folder / "unfinished.exr";
            std::printf("rendering the reference of %s, %d of 2\n", s.name.c_str(), k + 1);
            if (render(test::cli_file, s, unfinished, s.reference_samples, 9001 + k, true) >= 0)
                fs::rename(unfinished, file);
        }
        half[k] = read(file);
    }
    Reference r;
    if (half[0].size() != half[1].size()) return r;
    r.pixels = half[0];
    for (size_t p = 0; p < r.pixels.size(); ++p) r.pixels[p] = (half[0][p] + half[1][p]) * .5f;
    Pixels& mean = r.pixels;
    r.error = relative_error(half[0], mean);  // (a - b)^2 / 4, which is also the variance of the mean
    return r;
}

struct Measured {
    double error = 0, seconds = 0;  ///< of one picture
    double product() const { return error * seconds; }
};

Measured measure(const fs::path& program, const NoiseScene& s, const Reference& r, const fs::path& folder) {
    const fs::path out = folder / "measured.exr";
    double prepared = INFINITY;
    for (int k = 0; k < 3; ++k) prepared = std::min(prepared, render(program, s, out, 1, 1));
    Measured m;
    for (int k = 0; k < seeds; ++k) {
        const double spent = render(program, s, out, samples, 1 + k);
        if (spent < 0) return {INFINITY, INFINITY};
        m.seconds += std::max(1e-3, spent - prepared) * double(samples) / double(samples - 1) / seeds;
        m.error += relative_error(read(out), r.pixels) / seeds;
    }
    m.error = std::max(1e-9, m.error - r.error);
    return m;
}

fs::path working_folder() {
    const fs::path folder = fs::path(test::cli_file).parent_path() / "convergence";
    fs::create_directories(folder);
    return folder;
}

}  // namespace

void convergence(const std::string& other, const std::vector<std::string>& only) {
    const fs::path folder = working_folder();
    std::printf("%d x %d pixels, %d samples, mean of %d seeds; error is relative and squared\n", width, height, samples,
                seeds);
    if (other.empty())
        std::printf("%-10s %12s %12s %14s %14s\n", "scene", "error", "CPU seconds", "error x time", "reference's");
    else
        std::printf("%-10s %12s %12s %12s %12s %10s\n", "scene", "error", "CPU seconds", "other error", "other CPU s",
                    "better by");
    for (const NoiseScene& s : write_noise_scenes(folder)) {
        if (!only.empty() && std::find(only.begin(), only.end(), s.name) == only.end()) continue;
        const Reference r = reference_of(s, folder);
        const Measured mine = measure(test::cli_file, s, r, folder);
        if (other.empty()) {
            std::printf("%-10s %12.5f %12.2f %14.5f %14.5f\n", s.name.c_str(), mine.error, mine.seconds, mine.product(),
                        r.error);
            continue;
        }
        const Measured theirs = measure(other, s, r, folder);
        std::printf("%-10s %12.5f %12.2f %12.5f %12.2f %9.2fx\n", s.name.c_str(), mine.error, mine.seconds,
                    theirs.error, theirs.seconds, theirs.product() / mine.product());
    }
}

}  // namespace vemtra::bench
