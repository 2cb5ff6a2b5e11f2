// Faults of a device, made under its interface: calls of OpenCL that this program answers itself, or counts and hands
// on.

#include <dlfcn.h>
#define CL_TARGET_OPENCL_VERSION 120
#include <CL/cl.h>

#include <set>

#include "sieve/device.hpp"
#include "support.hpp"

using namespace sieve;
using test::noise;

namespace {

// What is to fail, and what is seen; back to nothing at the end of a test case.
struct Faults {
  std::size_t most_memory = SIZE_MAX;  // larger buffers are refused
  int launches = 0, fail_at_launch = -1, fail_at_read = -1, reads = 0;
  bool no_platform = false, no_build = false;
  std::stop_source stop;
  int stop_at_launch = -1;
  std::set<cl_command_queue> queues;
};
Faults faults;
struct Reset {
  Reset() { faults = Faults(); }
  ~Reset() { faults = Faults(); }
};

template <class F>
F* next(const char* name) {
  return reinterpret_cast<F*>(dlsym(RTLD_NEXT, name));
}

}  // namespace

extern "C" {
cl_int clGetPlatformIDs(cl_uint count, cl_platform_id* ids, cl_uint* found) {
  if (faults.no_platform) return -1001;  // what the loader says where nothing is installed
  return next<decltype(clGetPlatformIDs)>("clGetPlatformIDs")(count, ids, found);
}
cl_mem clCreateBuffer(cl_context context, cl_mem_flags flags, std::size_t size, void* host, cl_int* code) {
  if (size > faults.most_memory) {
    *code = CL_MEM_OBJECT_ALLOCATION_FAILURE;
    return nullptr;
  }
  return next<decltype(clCreateBuffer)>("clCreateBuffer")(context, flags, size, host, code);
}
cl_int clBuildProgram(cl_program program, cl_uint count, const cl_device_id* devices, const char* options,
                      void(CL_CALLBACK* done)(cl_program, void*), void* data) {
  if (faults.no_build) return CL_BUILD_PROGRAM_FAILURE;
  return next<decltype(clBuildProgram)>("clBuildProgram")(program, count, devices, options, done, data);
}
cl_int clEnqueueNDRangeKernel(cl_command_queue queue, cl_kernel kernel, cl_uint dimensions, const std::size_t* offset,
                              const std::size_t* global, const std::size_t* local, cl_uint count,
                              const cl_event* events, cl_event* event) {
  faults.queues.insert(queue);
  if (faults.launches == faults.stop_at_launch) faults.stop.request_stop();
  if (faults.launches++ == faults.fail_at_launch) return CL_OUT_OF_RESOURCES;
  return next<decltype(clEnqueueNDRangeKernel)>("clEnqueueNDRangeKernel")(queue, kernel, dimensions, offset, global,
                                                                          local, count, events, event);
}
cl_int clEnqueueReadBufferRect(cl_command_queue queue, cl_mem buffer, cl_bool wait, const std::size_t* there,
                               const std::size_t* here, const std::size_t* region, std::size_t row, std::size_t slice,
                               std::size_t host_row, std::size_t host_slice, void* to, cl_uint count,
                               const cl_event* events, cl_event* event) {
  if (faults.reads++ == faults.fail_at_read) return CL_OUT_OF_RESOURCES;
  return next<decltype(clEnqueueReadBufferRect)>("clEnqueueReadBufferRect")(
      queue, buffer, wait, there, here, region, row, slice, host_row, host_slice, to, count, events, event);
}
}

TEST_CASE("a device that refuses memory, a launch, a transfer or a program: one line, or the processors' result") {
  const Reset reset;
  const Image in = noise(120, 90, 4);
  const Chain chain{Gaussian{.sigma = 1.7F}, Invert{}, Unsharp{.sigma = 1}};
  const Image expected = chain(in);
  const auto card = device::open();
  Engine strict{{.device = card}}, forgiving{{.device = card, .device_or_processors = true}};
  const auto fails = [&](const char* what, auto arm) {
    CAPTURE(what);
    faults = Faults();
    arm();
    Image out(in.shape());
    CHECK_THROWS_WITH_AS(strict.run(chain, in, {.out = out.view()}), doctest::Contains(what), Error);
    faults = Faults();
    arm();
    const Run run = forgiving.run(chain, in, {.figures = true});
    CHECK(identical(run.image, expected));
    CHECK(run.report.device.empty());
    CHECK(run.report.steps.at(0).notes.at(0).find("processors did it instead") != std::string::npos);
    // The same device serves again.
    faults = Faults();
    CHECK(test::deviation(strict.run(chain, in).image, expected) < 2e-5);
  };
  fails("its memory ran out", [] { faults.most_memory = 4096; });
  for (const int n : {0, 2, 4}) fails("launch a kernel: it is out of resources", [n] { faults.fail_at_launch = n; });
  fails("fetch the result: it is out of resources", [] { faults.fail_at_read = 1; });
  const auto fresh = device::open();  // with nothing built
  Engine first{{.device = fresh}};
  faults.no_build = true;
  CHECK_THROWS_WITH_AS(first.run(Gaussian{.sigma = 2.6F}, in), doctest::Contains("does not build"), Error);
  faults.no_build = false;
  CHECK(test::deviation(first.run(Gaussian{.sigma = 2.6F}, in).image, Gaussian{.sigma = 2.6F}(in)) < 1e-4);
}

TEST_CASE("no platform: an empty list, and a line that says so") {
  const Reset reset;
  faults.no_platform = true;
  CHECK(device::list().empty());
  CHECK_THROWS_WITH_AS(device::open(), doctest::Contains("no implementation of OpenCL"), InvalidArgument);
}

TEST_CASE("a stop in the middle of long kernels ends them: they are launched in bands") {
  const Reset reset;
  const Image in = noise(700, 500);
  const Filter slow = NonlocalMeans{.patch = 2, .search = 12, .strength = 1, .noise = 0.1F};
  Engine engine{{.device = device::open()}};
  faults.stop_at_launch = 3;
  CHECK_THROWS_AS(engine.run(slow, in, {.stop = faults.stop.get_token()}), Canceled);
  // What was launched when the stop came ends; hardly more than that is begun.
  CHECK(faults.launches <= 5);
  faults = Faults();
  const Run run = engine.run(slow, in);
  CHECK(faults.launches > 8);
  CHECK(run.report.device.at(0).kernels == 1);
  CHECK(test::deviation(run.image, slow(in)) < 1e-4);
}

TEST_CASE("strips take turns on two queues; a chain that reaches too far for them goes in several turns") {
  const Reset reset;
  const Image in = noise(100, 400);
  const std::size_t row = 100 * sizeof(float);
  const Chain chain{Gaussian{.sigma = 2}, Invert{}};
  Engine small{{.device = device::open("", 2 * 2 * row * 80)}};
  const Run run = small.run(chain, in);
  CHECK(faults.queues.size() == 2);
  CHECK(run.report.device.at(0).uploads == run.report.device.at(0).downloads);
  CHECK(run.report.device.at(0).uploads > 5);
  const Plan plan = small.plan(chain, in.shape());
  REQUIRE(plan.passes.size() == 1);
  CHECK(plan.passes[0].way == Way::device);
  CHECK(plan.passes[0].device.strips == run.report.device.at(0).uploads);
  CHECK(plan.passes[0].device.bytes_up == run.report.device.at(0).bytes_up);
  CHECK(plan.passes[0].device.bytes_down == run.report.device.at(0).bytes_down);
  const Chain far(std::vector<Filter>(12, Gaussian{.sigma = 3}));
  const Run turns = small.run(far, in, {.figures = true});
  CHECK(turns.report.device.at(0).count == 12);
  CHECK(turns.report.steps.size() == 12);
  CHECK(test::deviation(turns.image, far(in)) < 1e-4);
  CHECK(small.plan(far, in.shape()).passes.at(0).device.strips == turns.report.device.at(0).uploads);
  // One step that reaches farther than what fits: an error with the memory that it takes.
  Engine tiny{{.device = device::open("", 2 * 2 * row * 20)}};
  CHECK_THROWS_WITH_AS(tiny.run(Gaussian{.sigma = 4}, in), doctest::Contains("MiB of its memory"), Error);
  // What measures, and what has no form, stands in the plan where it will run.
  Engine engine{{.device = device::open()}};
  const Plan mixed = engine.plan(Chain{Bilateral{}, Stretch{}, Clahe{}, Gray{}}, Shape{64, 48, 3});
  REQUIRE(mixed.passes.size() == 3);
  CHECK(mixed.passes[0].count == 2);
  CHECK(mixed.passes[0].way == Way::device);
  CHECK(mixed.passes[1].way == Way::whole);
  CHECK(mixed.passes[2].device.bytes_up == 3 * mixed.passes[2].device.bytes_down);
  CHECK(mixed.text().find("1. bilateral, stretch: on the device, one upload of") == 0);
}
