#include "core/strip_scope.hpp"

#include <algorithm>
#include <utility>

#include "core/memory.hpp"

namespace sieve {

using namespace internal;

namespace {
constexpr std::size_t kMostBlocks = 64;
thread_local SpareRoom* current = nullptr;
}  // namespace

SpareRoom::~SpareRoom() {
  for (const Block& b : blocks_) free_samples(b.data, b.bytes);
}

SpareRoom::Block SpareRoom::take(std::size_t bytes) {
  const std::lock_guard lock(mutex_);
  const auto fits = std::find_if(blocks_.begin(), blocks_.end(),
                                 [bytes](const Block& b) { return b.bytes >= bytes && b.bytes / 2 <= bytes; });
  if (fits == blocks_.end()) return {};
  const Block found = *fits;
  *fits = blocks_.back();
  blocks_.pop_back();
  return found;
}

bool SpareRoom::keep(Block block) {
  const std::lock_guard lock(mutex_);
  if (blocks_.size() >= kMostBlocks) return false;
  blocks_.push_back(block);
  return true;
}

StripScope::StripScope(SpareRoom& room) : before_(std::exchange(current, &room)) {}
StripScope::~StripScope() { current = before_; }
SpareRoom* StripScope::room() { return current; }

}  // namespace sieve
