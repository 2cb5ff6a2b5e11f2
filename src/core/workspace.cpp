#include "core/workspace.hpp"

#include <algorithm>
#include <bit>

#include "core/context.hpp"
#include "core/memory.hpp"

namespace sieve {

using namespace internal;

namespace {
constexpr std::size_t kLeast = 64, kSteps = 8;
thread_local Context current;
thread_local PieceScope* piece = nullptr;

// Fresh memory whose pages are there already: whoever takes it later may use more of it than the first one did.
void* touched(std::size_t bytes) {
  constexpr std::size_t kPage = 4096;
  float* const block = allocate_samples(bytes);
  for (std::size_t at = 0; at < bytes; at += kPage) reinterpret_cast<volatile char*>(block)[at] = 0;
  return block;
}
}  // namespace

// Sizes are 64 bytes times (8 + step) / 8 times a power of two, rounded up to whole lines of 64 bytes.
std::size_t Workspace::shelf_of(std::size_t bytes) {
  const std::size_t lines = std::max<std::size_t>((bytes + kLeast - 1) / kLeast, 1);
  if (lines < kSteps) return lines - 1;
  const auto octave = static_cast<std::size_t>(std::bit_width(lines)) - 1 - 3;
  const std::size_t step = (lines + (std::size_t{1} << octave) - 1) >> octave;  // 8..16, the last being the next 8
  return std::min(kSteps * (octave + 1) + (step - kSteps) - 1, kSizes - 1);
}

std::size_t Workspace::bytes_of(std::size_t shelf) {
  if (shelf + 1 < kSteps) return (shelf + 1) * kLeast;
  const std::size_t at = shelf + 1, octave = at / kSteps - 1;
  return ((at % kSteps + kSteps) << octave) * kLeast;
}

std::size_t Workspace::block_bytes(std::size_t bytes) { return bytes_of(shelf_of(bytes)); }

Workspace::~Workspace() {
  for (std::size_t i = 0; i < kSizes; ++i) {
    for (Free* f = shelves_[i].first; f != nullptr;) {
      Free* next = f->next;
      free_samples(reinterpret_cast<float*>(f), bytes_of(i));
      f = next;
    }
  }
}

void* Workspace::take(std::size_t bytes) {
  const std::size_t i = shelf_of(bytes);
  {
    const std::lock_guard lock(mutex_);
    Shelf& shelf = shelves_[i];
    if (shelf.first != nullptr) {
      Free* f = shelf.first;
      shelf.first = f->next;
      --shelf.count;
      kept_ -= bytes_of(i);
      return f;
    }
  }
  return touched(bytes_of(i));
}

void Workspace::give(void* block, std::size_t bytes) noexcept {
  const std::size_t i = shelf_of(bytes), size = bytes_of(i);
  {
    const std::lock_guard lock(mutex_);
    if (kept_ + size <= most_kept_) {
      Shelf& shelf = shelves_[i];
      shelf.first = new (block) Free{shelf.first};
      ++shelf.count;
      kept_ += size;
      return;
    }
  }
  free_samples(static_cast<float*>(block), size);
}

void Workspace::needed_at_once(std::size_t bytes, int count) noexcept {
  const std::lock_guard lock(mutex_);
  Shelf& shelf = shelves_[shelf_of(bytes)];
  if (count <= shelf.needed) return;
  shelf.needed = count;
  short_ = true;
}

void Workspace::stock(int threads) {
  std::size_t missing[kSizes] = {};
  {
    const std::lock_guard lock(mutex_);
    if (!short_) return;
    short_ = false;
    for (std::size_t i = 0; i < kSizes; ++i)
      missing[i] = static_cast<std::size_t>(std::max(0, shelves_[i].needed * threads - shelves_[i].count));
  }
  for (std::size_t i = 0; i < kSizes; ++i) {
    for (; missing[i] > 0; --missing[i]) {
      give(touched(bytes_of(i)), bytes_of(i));
    }
  }
}

void* internal::take_memory(std::size_t bytes) {
  PieceScope::count(bytes, 1);
  if (current.workspace != nullptr) return current.workspace->take(bytes);
  return allocate_samples(Workspace::block_bytes(bytes));
}

void internal::give_memory(void* block, std::size_t bytes) noexcept {
  PieceScope::count(bytes, -1);
  if (current.workspace != nullptr) {
    current.workspace->give(block, bytes);
  } else {
    free_samples(static_cast<float*>(block), Workspace::block_bytes(bytes));
  }
}

const Context& internal::context() { return current; }

ContextScope::ContextScope(const Context& c) : before_(current) { current = c; }
ContextScope::~ContextScope() { current = before_; }

namespace {
Context alone(Context c) {
  c.alone = true;
  return c;
}
}  // namespace

PieceScope::PieceScope(Context c) : scope_(alone(c)), before_(piece), workspace_(c.workspace) { piece = this; }

PieceScope::~PieceScope() {
  piece = before_;
  if (workspace_ == nullptr) return;
  for (int i = 0; i < sizes_; ++i) workspace_->needed_at_once(size_[i].bytes, size_[i].most);
}

void PieceScope::count(std::size_t bytes, int change) noexcept {
  if (piece == nullptr || piece->workspace_ == nullptr) return;
  bytes = Workspace::block_bytes(bytes);
  Size* const end = piece->size_ + piece->sizes_;
  Size* const found = std::find_if(piece->size_, end, [bytes](const Size& s) { return s.bytes == bytes; });
  if (found == end) {
    if (piece->sizes_ < kSizes && change > 0) {
      *found = {bytes, change, change};
      ++piece->sizes_;
    }
    return;
  }
  found->now += change;
  found->most = std::max(found->most, found->now);
}

}  // namespace sieve
