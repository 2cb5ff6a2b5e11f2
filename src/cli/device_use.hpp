#pragma once
// Work on a device, where the tool was built with OpenCL.

#include <memory>
#include <string>

#include "cli/session.hpp"

namespace sieve::internal::cli {

struct DeviceArguments {
  std::string device;       // a number or a part of a name, "any" for the first; empty: none
  bool processors = false;  // where it fails
};
void declare_device(CLI::App* app, DeviceArguments& o);

// True where a device has a form of that filter of the library's, and the tool can use one.
bool has_device_form(const std::string& name);

// The engine that is asked for: the usual one without a device.
class ChosenEngine {
 public:
  explicit ChosenEngine(const DeviceArguments& o);
  Engine& operator*() const { return own_ ? *own_ : Engine::standard(); }
  Engine* operator->() const { return &**this; }

 private:
  std::unique_ptr<Engine> own_;
};

// The steps, the range of the result, and a line for each part of the chain that stayed on the device.
void tell_device(const std::string& file, const Chain& chain, const Run& run, std::FILE* to);
nlohmann::ordered_json device_json(const Report& report);

}  // namespace sieve::internal::cli
