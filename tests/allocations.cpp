// From the second call on, a chain of point and window filters into a buffer takes no memory and touches no new page.
// A program of its own, since it counts every allocation of the process.

#define DOCTEST_CONFIG_IMPLEMENT_WITH_MAIN
#include <sys/resource.h>

#include <atomic>
#include <cstdlib>

#include "catalogue.hpp"
#include "sieve/run.hpp"

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
// The sanitizers count allocations themselves.
#define SIEVE_COUNTS 0
#else
#define SIEVE_COUNTS 1
#endif
#if defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
#undef SIEVE_COUNTS
#define SIEVE_COUNTS 0
#endif
#endif

using namespace sieve;

namespace {
std::atomic<bool> counting = false;
std::atomic<long> allocations = 0;
}  // namespace

#if SIEVE_COUNTS
// The C library's own, under the names that it keeps for those who stand before it.
extern "C" {
void* __libc_malloc(std::size_t n);
void* __libc_calloc(std::size_t a, std::size_t b);
void* __libc_realloc(void* p, std::size_t n);
void* __libc_memalign(std::size_t a, std::size_t n);
void* malloc(std::size_t n) {
  if (counting) ++allocations;
  return __libc_malloc(n);
}
void* calloc(std::size_t a, std::size_t b) {
  if (counting) ++allocations;
  return __libc_calloc(a, b);
}
void* realloc(void* p, std::size_t n) {
  if (counting) ++allocations;
  return __libc_realloc(p, n);
}
void* aligned_alloc(std::size_t a, std::size_t n) {
  if (counting) ++allocations;
  return __libc_memalign(a, n);
}
int posix_memalign(void** p, std::size_t a, std::size_t n) {
  if (counting) ++allocations;
  *p = __libc_memalign(a, n);
  return 0;
}
}
#endif

namespace {

struct Cost {
  long allocations, faults;
};

// What the second call takes. Page faults beyond the library's, of a thread's stack, may come once: the least of a few
// calls is taken for them, but of allocations the most.
template <class Call>
Cost second_call(Call call) {
  const auto faults = [] {
    rusage used{};
    getrusage(RUSAGE_SELF, &used);
    return used.ru_minflt;
  };
  call();
  Cost cost{0, std::numeric_limits<long>::max()};
  for (int i = 0; i < 4; ++i) {
    allocations = 0;
    const long before = faults();
    counting = true;
    call();
    counting = false;
    cost.faults = std::min(cost.faults, faults() - before);
    cost.allocations = std::max(cost.allocations, allocations.load());
  }
  return cost;
}

}  // namespace

TEST_CASE("the count counts") {
  if (SIEVE_COUNTS == 0) return;
  void* volatile kept = nullptr;  // or a compiler may leave both calls out
  CHECK(second_call([&] { kept = std::malloc(10), std::free(kept); }).allocations == 1);
  CHECK(second_call([] { (void)Image(9, 9); }).allocations == 1);
  CHECK(second_call([] { Image(2000, 2000).fill(1); }).faults > 0);
}

TEST_CASE("no allocation and no page fault in the second call, for every point and window filter and chains of them") {
  if (SIEVE_COUNTS == 0) return;
  const Image in = test::noise(640, 480, 3);
  Engine engine{{.threads = 2, .memory = std::size_t{512} << 20}};
  int seen = 0;
  for (Filter f : test::every_filter(in)) {
    if (f.about().name == "stretch") {
      f.set("low", "0.1");
      f.set("high", "0.9");
    }
    if (f.about().access() == Access::whole || f.about().measures(f.step().fields.get())) continue;
    // Its planes are Images, some hundred small vectors come with them: nothing against the second that it works.
    if (f.about().name == "block_matching") continue;
    CAPTURE(f.text());
    ++seen;
    Image out(f.result_shape(in.shape()));
    const Chain chain{Clip{}, f, Invert{}};
    for (const Filter& what : {f, Filter(chain)}) {
      const Cost cost = second_call([&] { engine.run(what, in, {.out = out}); });
      CHECK(cost.allocations == 0);
      CHECK(cost.faults == 0);
    }
  }
  CHECK(seen > 50);
  // A part, a deadline and a stop cost none either.
  const Chain chain = Chain::parse("gaussian sigma=1.5 then unsharp then median radius=2 then gamma");
  Image part(200, 150, 3);
  std::stop_source source;
  const Cost cost = second_call([&] {
    engine.run(chain, in,
               {.out = part,
                .part = Rectangle{100, 60, 200, 150},
                .stop = source.get_token(),
                .deadline = std::chrono::seconds(60)});
  });
  CHECK(cost.allocations == 0);
  CHECK(cost.faults == 0);
}
