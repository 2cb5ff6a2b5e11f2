// A library that is loaded before a program (LD_PRELOAD) and breaks one call of the system under it, as the variable
// BROKEN_SYSTEM says:
//   "allocation N"    the N-th allocation of the program, its codecs and the C++ library fails, counted from main()
//   "allocations N"   the N-th and all after it
//   "CALL N ERRNO"    the N-th call of open, read, write, fsync, close or rename fails with this number
//   "write N short"   the N-th write takes a byte and no more
//   "change N SIGNAL" the signal arrives just before the N-th call that changes a file: open to write, write, fsync,
//                     close of such a file, rename, unlink
//   "threads 0"       no thread can be started
//   "count 0"         nothing breaks; the number of allocations is told at the end
//   "clock 0"         the time of day jumps by a day with every look at it, to and fro
// When it strikes it makes the file that BROKEN_SYSTEM_HIT names. The number of allocations is written there, too.

#include <dlfcn.h>
#include <fcntl.h>
#include <link.h>
#include <pthread.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <iterator>
#include <new>

namespace {

enum class Kind {
  none,
  allocation,
  allocations,
  open,
  read,
  write,
  write_short,
  fsync,
  close,
  rename,
  change,
  clock,
  count,
  threads
};

struct Range {
  std::uintptr_t begin, end;
};

Kind kind = Kind::none;
int code = 0;
std::atomic<long> left{-1};
std::atomic<bool> begun{false};
Range ranges[64];
int range_count = 0;

void told() {
  if (const char* hit = std::getenv("BROKEN_SYSTEM_HIT")) {
    const long fd = syscall(SYS_open, hit, O_WRONLY | O_CREAT | O_CLOEXEC, 0666);
    if (fd >= 0) syscall(SYS_close, fd);
  }
}

// Whether this call of that kind is the one that breaks.
bool strikes(Kind k) {
  if (k != kind || !begun.load(std::memory_order_relaxed)) return false;
  const long before = left.fetch_sub(1, std::memory_order_relaxed);
  if (before == 0) told();
  return before == 0 || (before < 0 && kind == Kind::allocations);
}

bool fails(Kind k) {
  if (!strikes(k)) return false;
  errno = code;
  return true;
}

void before_change() {
  if (strikes(Kind::change)) std::raise(code);
}

// The allocations of these are broken; drawing and threading libraries end the program when they get no memory.
constexpr const char* kOwn[] = {"libsieve_", "libpng",    "libjpeg", "libtiff", "libdeflate",
                                "libz.",     "libstdc++", "libfmt",  "libexif"};

int take_ranges(dl_phdr_info* info, std::size_t, void*) {
  bool own = info->dlpi_name == nullptr || *info->dlpi_name == '\0';  // the program itself
  for (const char* name : kOwn) own = own || std::strstr(info->dlpi_name, name) != nullptr;
  for (int i = 0; own && i < info->dlpi_phnum && range_count < 64; ++i) {
    const auto& h = info->dlpi_phdr[i];
    if (h.p_type == PT_LOAD && (h.p_flags & PF_X) != 0)
      ranges[range_count++] = {info->dlpi_addr + h.p_vaddr, info->dlpi_addr + h.p_vaddr + h.p_memsz};
  }
  return 0;
}

bool breaks(const void* caller) {
  const bool counts = kind == Kind::count;
  if ((kind != Kind::allocation && kind != Kind::allocations && !counts) || !begun.load(std::memory_order_relaxed))
    return false;
  const auto at = reinterpret_cast<std::uintptr_t>(caller);
  for (int i = 0; i < range_count; ++i) {
    if (at < ranges[i].begin || ranges[i].end <= at) continue;
    if (counts) left.fetch_add(1, std::memory_order_relaxed);
    return !counts && strikes(kind);
  }
  return false;
}

__attribute__((destructor)) void tell_count() {
  if (kind != Kind::count) return;
  told();
  char text[32];
  const int n = std::snprintf(text, sizeof text, "%ld", left.load());
  const long fd = syscall(SYS_open, std::getenv("BROKEN_SYSTEM_HIT"), O_WRONLY | O_CLOEXEC, 0);
  syscall(SYS_write, fd, text, n);
  syscall(SYS_close, fd);
}

template <class F>
F* next(const char* name) {
  return reinterpret_cast<F*>(dlsym(RTLD_NEXT, name));
}

int (*own_main)(int, char**, char**);
int counted_main(int argc, char** argv, char** environment) {
  const char* text = std::getenv("BROKEN_SYSTEM");
  char word[32] = "", last[32] = "0";
  long n = -1;
  if (text != nullptr) std::sscanf(text, "%31s %ld %31s", word, &n, last);
  constexpr const char* names[] = {"",      "allocation", "allocations", "open",   "read",  "write", "short",
                                   "fsync", "close",      "rename",      "change", "clock", "count", "threads"};
  for (std::size_t i = 1; i < std::size(names); ++i) {
    if (std::strcmp(word, names[i]) == 0) kind = static_cast<Kind>(i);
  }
  if (kind == Kind::write && std::strcmp(last, "short") == 0) kind = Kind::write_short;
  code = std::atoi(last);
  left = n;
  dl_iterate_phdr(take_ranges, nullptr);
  begun = true;
  return own_main(argc, argv, environment);
}

bool writes(int fd) { return (fcntl(fd, F_GETFL) & O_ACCMODE) != O_RDONLY && fd > 2; }

}  // namespace

extern "C" {

// What the C library calls its own by these names.
void* __libc_malloc(std::size_t);
void* __libc_calloc(std::size_t, std::size_t);
void* __libc_realloc(void*, std::size_t);
void* __libc_memalign(std::size_t, std::size_t);

int __libc_start_main(int (*main)(int, char**, char**), int argc, char** argv, void (*init)(), void (*fini)(),
                      void (*loader)(), void* stack) {
  own_main = main;
  return next<decltype(__libc_start_main)>("__libc_start_main")(counted_main, argc, argv, init, fini, loader, stack);
}

void* malloc(std::size_t n) {
  if (!breaks(__builtin_return_address(0))) return __libc_malloc(n);
  errno = ENOMEM;
  return nullptr;
}
void* calloc(std::size_t count, std::size_t n) {
  if (!breaks(__builtin_return_address(0))) return __libc_calloc(count, n);
  errno = ENOMEM;
  return nullptr;
}
void* realloc(void* p, std::size_t n) {
  if (!breaks(__builtin_return_address(0))) return __libc_realloc(p, n);
  errno = ENOMEM;
  return nullptr;
}
void* aligned_alloc(std::size_t alignment, std::size_t n) {
  if (!breaks(__builtin_return_address(0))) return __libc_memalign(alignment, n);
  errno = ENOMEM;
  return nullptr;
}
int posix_memalign(void** p, std::size_t alignment, std::size_t n) {
  if (breaks(__builtin_return_address(0))) return ENOMEM;
  *p = __libc_memalign(alignment, n);
  return *p == nullptr ? ENOMEM : 0;
}

int open(const char* path, int flags, ...) {
  va_list rest;
  va_start(rest, flags);
  const unsigned mode = (flags & O_CREAT) != 0 ? va_arg(rest, unsigned) : 0;
  va_end(rest);
  if ((flags & O_ACCMODE) != O_RDONLY) before_change();
  if (fails(Kind::open)) return -1;
  return static_cast<int>(syscall(SYS_openat, AT_FDCWD, path, flags, mode));
}
int open64(const char* path, int flags, ...) __attribute__((alias("open")));
ssize_t read(int fd, void* to, std::size_t n) {
  if (fails(Kind::read)) return -1;
  return syscall(SYS_read, fd, to, n);
}
ssize_t write(int fd, const void* from, std::size_t n) {
  if (fd > 2) before_change();
  if (fails(Kind::write)) return -1;
  return syscall(SYS_write, fd, from, strikes(Kind::write_short) && n > 1 ? 1 : n);
}
ssize_t writev(int fd, const iovec* parts, int count) {
  if (fd > 2) before_change();
  if (fails(Kind::write)) return -1;
  return syscall(SYS_writev, fd, parts, count);
}
int fsync(int fd) {
  before_change();
  return fails(Kind::fsync) ? -1 : static_cast<int>(syscall(SYS_fsync, fd));
}
int close(int fd) {
  if (writes(fd)) before_change();
  const int result = static_cast<int>(syscall(SYS_close, fd));
  return fails(Kind::close) ? -1 : result;
}
int rename(const char* from, const char* to) {
  before_change();
  return fails(Kind::rename) ? -1 : static_cast<int>(syscall(SYS_rename, from, to));
}
int unlink(const char* path) {
  before_change();
  return static_cast<int>(syscall(SYS_unlink, path));
}

int pthread_create(pthread_t* thread, const pthread_attr_t* attributes, void* (*work)(void*), void* argument) {
  if (kind != Kind::threads)
    return next<decltype(pthread_create)>("pthread_create")(thread, attributes, work, argument);
  told();
  return EAGAIN;
}

int clock_gettime(clockid_t clock, timespec* now) {
  static std::atomic<int> looks{0};
  const int result = static_cast<int>(syscall(SYS_clock_gettime, clock, now));
  if (kind == Kind::clock && clock == CLOCK_REALTIME) {
    if (looks.fetch_add(1) == 0) told();
    now->tv_sec += looks % 2 == 0 ? 86400 : -86400;
  }
  return result;
}
}

void* operator new(std::size_t n) {
  void* p = breaks(__builtin_return_address(0)) ? nullptr : __libc_malloc(n == 0 ? 1 : n);
  if (p == nullptr) throw std::bad_alloc();
  return p;
}
void* operator new[](std::size_t n) {
  void* p = breaks(__builtin_return_address(0)) ? nullptr : __libc_malloc(n == 0 ? 1 : n);
  if (p == nullptr) throw std::bad_alloc();
  return p;
}
void* operator new(std::size_t n, const std::nothrow_t&) noexcept {
  return breaks(__builtin_return_address(0)) ? nullptr : __libc_malloc(n == 0 ? 1 : n);
}
void operator delete(void* p) noexcept { std::free(p); }
void operator delete(void* p, std::size_t) noexcept { std::free(p); }
void operator delete[](void* p) noexcept { std::free(p); }
void operator delete[](void* p, std::size_t) noexcept { std::free(p); }
