#include "hostile/run_cli.h"

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstring>
#include <thread>

#include "where_support.h"

namespace vemtra::hostile {
namespace {

constexpr size_t most_text = 4000;  // of what a process said, for a failing test

/// In the child: never comes back.
[[noreturn]] void become_cli(const std::vector<std::string>& arguments, const Limits& limits,
                             const std::vector<std::string>& environment, const fs::path& folder, int out) {
    ::setpgid(0, 0);
    if (!folder.empty() && ::chdir(folder.c_str()) != 0) ::_exit(126);
    const int null = ::open("/dev/null", O_RDONLY);
    ::dup2(null, STDIN_FILENO);
    ::dup2(out, STDOUT_FILENO);
    ::dup2(out, STDERR_FILENO);
    const rlimit data{limits.bytes, limits.bytes};
    ::setrlimit(RLIMIT_DATA, &data);
    const rlimit no_core{0, 0};
    ::setrlimit(RLIMIT_CORE, &no_core);
    for (const std::string& e : environment) {
        const size_t at = e.find('=');
        ::setenv(e.substr(0, at).c_str(), e.substr(at + 1).c_str(), 1);
    }
    std::vector<char*> argv{const_cast<char*>(test::cli_file)};
    for (const std::string& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    ::execv(test::cli_file, argv.data());
    ::_exit(127);
}

std::string beginning_of(int file) {
    std::string text(most_text, '\0');
    const ssize_t n = ::pread(file, text.data(), text.size(), 0);
    text.resize(n > 0 ? size_t(n) : 0);
    return text;
}

}  // namespace

bool Answer::answered() const {
    if (signal || !in_time || code < 0 || code > 4) return false;
    return code == 0 || !text.empty();
}

std::string Answer::line() const {
    std::string how = !in_time ? "ran into its limit of time"
                      : signal ? std::string("was ended by ") + ::strsignal(signal)
                               : "ended with " + std::to_string(code);
    char figures[64];
    std::snprintf(figures, sizeof figures, " after %.2f s with %zu MB: ", seconds, megabytes);
    return how + figures + text.substr(0, 400);
}

Answer run_cli(const std::vector<std::string>& arguments, const Limits& limits,
               const std::vector<std::string>& environment, const fs::path& folder) {
    char name[] = "/tmp/vemtra-hostile-XXXXXX";
    const int out = ::mkstemp(name);
    ::unlink(name);
    Answer answer;
    using Clock = std::chrono::steady_clock;
    const auto begin = Clock::now();
    const auto spent = [&] { return std::chrono::duration<double>(Clock::now() - begin).count(); };
    const pid_t child = ::fork();
    if (child == 0) become_cli(arguments, limits, environment, folder, out);
    int status = 0;
    rusage usage{};
    for (;;) {
        const pid_t ended = ::wait4(child, &status, WNOHANG, &usage);
        if (ended == child) break;
        if (answer.in_time && spent() > limits.seconds) {
            answer.in_time = false;
            ::kill(child, SIGKILL);
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    answer.seconds = spent();
    answer.megabytes = size_t(usage.ru_maxrss) >> 10;
    if (WIFEXITED(status)) answer.code = WEXITSTATUS(status);
    if (WIFSIGNALED(status)) answer.signal = WTERMSIG(status);
    answer.text = beginning_of(out);
    ::close(out);
    return answer;
}

}  // namespace vemtra::hostile
