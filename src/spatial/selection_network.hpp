#pragma once
// Networks of minima and maxima that find the median of a square window from its sorted columns, made when the program
// is compiled. Lists are merged by Batcher's odd-even merge; before each merge what can no longer be the median is
// dropped, and at the end every comparator is kept only as far as its results are used.
// Sources: Batcher, "Sorting networks and their applications", 1968; Knuth, The Art of Computer Programming 3, 5.3.4.

#include <array>
#include <cstddef>
#include <initializer_list>

namespace sieve::internal::network {

struct List {
  int size = 0;
  std::array<int, 64> wire{};
  constexpr void push(int w) { wire[static_cast<std::size_t>(size++)] = w; }
  constexpr int operator[](int i) const { return wire[static_cast<std::size_t>(i)]; }
};

// The smaller goes to wire `low`, the larger to `high`; only those that are kept need to be computed.
struct Comparator {
  int low = 0, high = 0;
  bool keep_low = true, keep_high = true;
};

struct Network {
  int size = 0;
  std::array<Comparator, 512> steps{};
  constexpr void push(int low, int high) { steps[static_cast<std::size_t>(size++)] = {low, high}; }
};

// Batcher's merge of two sorted lists of any length; returns the wires in sorted order.
constexpr List merge(const List& a, const List& b, Network& net) {
  if (a.size == 0) return b;
  if (b.size == 0) return a;
  List out;
  if (a.size == 1 && b.size == 1) {
    net.push(a[0], b[0]);
    out.push(a[0]);
    out.push(b[0]);
    return out;
  }
  List ae, ao, be, bo;
  for (int i = 0; i < a.size; ++i) (i % 2 == 0 ? ae : ao).push(a[i]);
  for (int i = 0; i < b.size; ++i) (i % 2 == 0 ? be : bo).push(b[i]);
  const List even = merge(ae, be, net), odd = merge(ao, bo, net);
  out.push(even[0]);
  for (int i = 0; i < odd.size || i + 1 < even.size; ++i) {
    if (i < odd.size && i + 1 < even.size) net.push(odd[i], even[i + 1]);
    if (i < odd.size) out.push(odd[i]);
    if (i + 1 < even.size) out.push(even[i + 1]);
  }
  return out;
}

constexpr List sorted(const List& wires, Network& net) {
  if (wires.size <= 1) return wires;
  List a, b;
  for (int i = 0; i < wires.size; ++i) (i < wires.size / 2 ? a : b).push(wires[i]);
  return merge(sorted(a, net), sorted(b, net), net);
}

// Sorts n wires; result order: wire order[i] holds the i-th smallest.
struct Sorter {
  Network net;
  List order;
};
constexpr Sorter sorter(int n) {
  Sorter s;
  List all;
  for (int i = 0; i < n; ++i) all.push(i);
  s.order = sorted(all, s.net);
  return s;
}

// Merges two sorted lists of n wires: 0..n-1 and n..2n-1.
constexpr Sorter merger(int n) {
  Sorter s;
  List a, b;
  for (int i = 0; i < n; ++i) a.push(i);
  for (int i = 0; i < n; ++i) b.push(n + i);
  s.order = merge(a, b, s.net);
  return s;
}

// Finds the samples of ranks low..high among sorted lists; order[i] is the wire of rank low + i. The wires of the lists
// follow one another.
struct Selector {
  Network net;
  List order;
};
constexpr Selector selector(std::initializer_list<int> sizes, int low, int high) {
  Selector s;
  std::array<List, 8> lists{};
  int count = 0, total = 0;
  for (const int size : sizes) {
    for (int i = 0; i < size; ++i) lists[static_cast<std::size_t>(count)].push(total++);
    ++count;
  }
  const auto drop = [&] {
    for (bool changed = true; changed;) {
      changed = false;
      for (int l = 0; l < count; ++l) {
        List& list = lists[static_cast<std::size_t>(l)];
        // Of so many at its ends too few others lie below, or too many.
        const int first = list.size - total + low, last = list.size - 1 - high;
        if (first <= 0 && last <= 0) continue;
        List left;
        for (int i = first > 0 ? first : 0; i < list.size - (last > 0 ? last : 0); ++i) left.push(list[i]);
        if (first > 0) {
          low -= first;
          high -= first;
        }
        total -= list.size - left.size;
        list = left;
        changed = true;
      }
    }
  };
  drop();
  while (count > 1) {
    // The two longest first: they lose the most.
    int a = 0, b = 1;
    for (int l = 0; l < count; ++l) {
      if (lists[static_cast<std::size_t>(l)].size > lists[static_cast<std::size_t>(a)].size) a = l;
    }
    if (b == a) b = 0;
    for (int l = 0; l < count; ++l) {
      if (l != a && lists[static_cast<std::size_t>(l)].size > lists[static_cast<std::size_t>(b)].size) b = l;
    }
    const List joined = merge(lists[static_cast<std::size_t>(a)], lists[static_cast<std::size_t>(b)], s.net);
    std::array<List, 8> rest{};
    int n = 0;
    for (int l = 0; l < count; ++l) {
      if (l != a && l != b) rest[static_cast<std::size_t>(n++)] = lists[static_cast<std::size_t>(l)];
    }
    rest[static_cast<std::size_t>(n++)] = joined;
    lists = rest;
    count = n;
    drop();
  }
  std::array<bool, 64> read{};
  for (int i = low; i <= high; ++i) {
    s.order.push(lists[0][i]);
    read[static_cast<std::size_t>(lists[0][i])] = true;
  }
  // Backward: what nobody reads any more is not computed.
  Network kept;
  std::array<Comparator, 512> reversed{};
  int n = 0;
  for (int i = s.net.size; i-- > 0;) {
    Comparator c = s.net.steps[static_cast<std::size_t>(i)];
    c.keep_low = read[static_cast<std::size_t>(c.low)];
    c.keep_high = read[static_cast<std::size_t>(c.high)];
    if (!c.keep_low && !c.keep_high) continue;
    read[static_cast<std::size_t>(c.low)] = read[static_cast<std::size_t>(c.high)] = true;
    reversed[static_cast<std::size_t>(n++)] = c;
  }
  for (int i = n; i-- > 0;) kept.steps[static_cast<std::size_t>(kept.size++)] = reversed[static_cast<std::size_t>(i)];
  s.net = kept;
  return s;
}

}  // namespace sieve::internal::network
