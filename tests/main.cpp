// Runs the tests. Where they hang, prints the stack of every thread before CTest would end the process without a word.

#define DOCTEST_CONFIG_IMPLEMENT
#include <dirent.h>
#include <doctest/doctest.h>
#include <execinfo.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <cstdlib>
#include <ctime>

#include "skipped.hpp"

namespace {

void print_stack(int) {
  std::array<void*, 64> frames{};
  backtrace_symbols_fd(frames.data(), backtrace(frames.data(), static_cast<int>(frames.size())), STDERR_FILENO);
  (void)!write(STDERR_FILENO, "\n", 1);
}

void print_stacks(int) {
  constexpr char heading[] = "The tests hang. The stack of each thread (c++filt prints names as in the source):\n";
  (void)!write(STDERR_FILENO, heading, sizeof heading - 1);
  DIR* threads = opendir("/proc/self/task");
  while (const dirent* thread = threads != nullptr ? readdir(threads) : nullptr) {
    if (thread->d_name[0] == '.') continue;
    syscall(SYS_tgkill, getpid(), std::atoi(thread->d_name), SIGUSR2);
    const timespec pause{0, 200'000'000};  // one stack after the other
    nanosleep(&pause, nullptr);
  }
  _exit(1);
}

}  // namespace

int main(int argc, char** argv) {
  std::array<void*, 1> frame{};
  backtrace(frame.data(), 1);  // loads what it needs now, not within a signal handler
  std::signal(SIGUSR2, print_stack);
  std::signal(SIGALRM, print_stacks);
  alarm(SIEVE_TEST_SECONDS);
  const int result = doctest::Context(argc, argv).run();
  constexpr int kSkipped = 77;
  return result == 0 && test::skipped ? kSkipped : result;
}
