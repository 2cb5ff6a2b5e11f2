#include "run/segment.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/context.hpp"
#include "core/memory.hpp"
#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

// Samples of a strip of one channel: with its results it stays in the second-level cache.
constexpr int kStripSamples = 1 << 16;
// Columns of a piece of a wide picture, so that strips are high against their windows.
constexpr int kColumns = 1024;
// A strip is so many times as high as the farthest window of its steps reaches: what a filter works out for itself
// around its rows is then little.
constexpr int kReaches = 16;
// Pieces for each thread: more would end at a more even time, and work out more margins twice.
constexpr int kPiecesPerThread = 2;
// A picture of fewer samples stays on one thread.
constexpr std::size_t kSmall = std::size_t{1} << 16;

int ceil_div(int a, int b) { return (a + b - 1) / b; }

ConstView at(const ConstView& v, int x, int y, int width, int height, const Shape& whole) {
  ConstView p = v;
  p.data = v.row(y) + x;
  p.shape.width = width;
  p.shape.height = height;
  p.place = {x, y, whole.width, whole.height};
  return p;
}

}  // namespace

Segment::Segment(std::span<const SetStep> steps) : steps_(steps.begin(), steps.end()), in_(steps.front().in) {
  for (std::size_t i = 0; i < steps_.size(); ++i) {
    const SetStep& s = steps_[i];
    const void* fields = s.step.fields.get();
    RowOperation operation = s.step.about->row_operation(fields, s.in);
    if (operation.empty() || stages_.empty()) {
      Stage stage;
      stage.in = s.in;
      stage.white = s.white_in;
      stage.first = i;
      stages_.push_back(std::move(stage));
    }
    Stage& stage = stages_.back();
    stage.out = s.out;
    if (!operation.empty()) {
      stage.rows.add(std::move(operation), s.out);
      continue;
    }
    stage.window = &s;
    stage.reach = s.step.about->part_margin(fields).value();
    stage.around = s.step.about->reads_around(fields);
  }
  if (stages_[0].window == nullptr) stages_[0].rows.prepare(steps_[0].white_in, in_.samples());
}

Rectangle Segment::needs(const Rectangle& part) const {
  int reach = 0;
  for (const Stage& s : stages_) reach += s.reach;
  const int left = std::max(0, part.x - reach), top = std::max(0, part.y - reach);
  return {left, top, std::min(in_.width, part.x + part.width + reach) - left,
          std::min(in_.height, part.y + part.height + reach) - top};
}

Segment::Cut Segment::cut(const Rectangle& part, int threads) const {
  int reach = 0, farthest = 0;
  for (const Stage& s : stages_) {
    reach += s.reach;
    farthest = std::max(farthest, s.reach);
  }
  const int columns = part.width <= kColumns + kColumns / 2 ? 1 : ceil_div(part.width, std::max(kColumns, 8 * reach));
  const int wide = ceil_div(part.width, columns);
  const int strip = std::max({1, kStripSamples / wide, kReaches * farthest});
  // Pieces for all threads, and more where what is worked out twice between them stays small.
  const int each = std::max(1, ceil_div(threads, columns)), wanted = kPiecesPerThread * each;
  const int small_margins = part.height / std::max({16, 20 * reach, strip / 2});
  const int bands =
      threads > 1 ? std::clamp(small_margins, std::min(each, 1 + part.height / (16 + 4 * reach)), wanted) : 1;
  return {columns, std::clamp(bands, 1, part.height), strip};
}

std::size_t Segment::bytes(const Rectangle& part, int threads) const {
  if (rows_only()) return 0;
  const Cut c = cut(part, threads);
  std::size_t sum = 0;
  int reach = 0;
  for (std::size_t i = stages_.size(); i-- > 0; reach += stages_[i].reach) {
    const Shape rows{std::min(in_.width, ceil_div(part.width, c.columns) + 2 * reach),
                     std::min(in_.height, std::min(part.height, c.strip) + 2 * reach),
                     std::max(stages_[i].in.channels, stages_[i].out.channels)};
    sum += rows.samples() * sizeof(float) * (stages_[i].window != nullptr && !stages_[i].around ? 2 : 1);
  }
  return sum * static_cast<std::size_t>(std::min(threads, c.columns * c.bands));
}

void Segment::run(const ConstView& in, const View& out, const Rectangle& part, FigureBook* book) const {
  const int count = threads();
  if (rows_only()) {
    const RowRun& rows = stages_[0].rows;
    const bool stream = in.data != out.data && rows::streams(out.shape.samples());
    const ConstView from = at(in, part.x, part.y, part.width, part.height, in_);
    const auto a_row = static_cast<std::size_t>(part.width) * static_cast<std::size_t>(in_.channels);
    parallel_rows(part.height, RowCost(a_row, std::max(1, static_cast<int>(std::lround(rows.copies())))),
                  [&](int first, int last) {
                    if (book == nullptr) return rows(from, out, first, last, stream);
                    PieceFigures figures(*book, part);
                    rows.heard(from, out, first, last, stream, figures);
                    book->add(figures.steps());
                  });
    return;
  }
  const bool small = static_cast<std::size_t>(part.width) * static_cast<std::size_t>(part.height) <= kSmall;
  const Cut c = cut(part, small ? 1 : count);
  const int wide = ceil_div(part.width, c.columns), high = ceil_div(part.height, c.bands);
  // Counted in pixels: pieces alone would be too few.
  const double pixels = static_cast<double>(part.width) * part.height;
  Progress progress(pixels);
  if (c.columns * c.bands == 1) progress.expect(pixels);
  parallel_rows(
      c.columns * c.bands, RowCost(small ? 1 : wide, 64 * high),
      [&](int first, int last) {
        for (int i = first; i < last; ++i) {
          const int x = i % c.columns * wide, y = i / c.columns * high;
          const Rectangle piece{part.x + x, part.y + y, std::min(wide, part.width - x),
                                std::min(high, part.height - y)};
          if (piece.width > 0 && piece.height > 0) run_piece(in, out, part, piece, c.strip, progress, book);
        }
      },
      1);
}

namespace {

// Rows of a stage's result, those that the next one still needs, in one piece of memory.
struct Rolling {
  Image image;
  int x = 0, width = 0;   // columns of the whole picture
  int top = 0, past = 0;  // rows of the whole picture that are there
  int first = 0;          // the first row of `image` is that row of the picture

  ConstView view(int channels) const {
    ConstView v = image.view();
    v.shape.channels = channels;
    return v;
  }
  // Makes room for rows up to `past_row`; those from `keep` on stay.
  void roll(int keep, int past_row) {
    keep = std::clamp(keep, top, past);
    if (past_row - first > image.height()) {
      for (int c = 0; c < image.channels(); ++c) {
        for (int y = keep; y < past; ++y)
          std::memcpy(image.row(y - keep, c), image.row(y - first, c), static_cast<std::size_t>(width) * sizeof(float));
      }
      first = keep;
    }
    top = keep;
  }
};

}  // namespace

void Segment::run_piece(const ConstView& in, const View& out, const Rectangle& part, const Rectangle& piece, int strip,
                        Progress& progress, FigureBook* book) const {
  const std::size_t count = stages_.size();
  const bool stream = rows::streams(out.shape.samples());
  std::optional<PieceFigures> figures;
  if (book != nullptr) figures.emplace(*book, piece);
  Scratch<Rolling> rolling(count);
  // From the last stage to the first: the columns and the first row that each must give.
  int left = piece.x, right = piece.x + piece.width, top = piece.y, margin = 0;
  for (std::size_t i = count; i-- > 0;) {
    Rolling& r = rolling[i];
    r.x = left;
    r.width = right - left;
    r.top = r.past = r.first = top;
    const bool direct = i + 1 == count && stages_[i].rows.empty() && !stream;
    if (!direct) {
      const int rows = std::min(in_.height, std::min(strip, piece.height) + 2 * margin);
      r.image = unfilled({r.width, rows, std::max(stages_[i].in.channels, stages_[i].out.channels)}, 0);
    }
    margin += stages_[i].reach;
    left = std::max(0, left - stages_[i].reach);
    right = std::min(in_.width, right + stages_[i].reach);
    top = std::max(0, top - stages_[i].reach);
  }

  // Rows y..past - 1 of stage i, whose input is at hand.
  const auto advance = [&](std::size_t i, int past) {
    const Stage& stage = stages_[i];
    Rolling& r = rolling[i];
    const int y = r.past, rows = past - y;
    const bool final = i + 1 == count;
    // Its input, in the place where it lies.
    ConstView from;
    if (i == 0) {
      from = at(in, r.x, y, r.width, rows, in_);
    } else {
      const Rolling& before = rolling[i - 1];
      from = at(before.view(stage.in.channels), r.x - before.x, y - before.first, r.width, rows, in_);
      from.place = {r.x, y, in_.width, in_.height};
    }
    from.white_level = stage.white;
    View to;
    const View final_rows = final ? out.part({r.x - part.x, y - part.y, r.width, rows}) : View();
    const bool direct = r.image.empty();
    if (direct) {
      to = final_rows;
    } else {
      r.roll(final ? y : std::max(0, rolling[i + 1].past - stages_[i + 1].reach), past);
      to = r.image.view();
      to.data = to.row(y - r.first);
      to.shape = {r.width, rows, stage.window != nullptr ? stage.in.channels : stage.out.channels};
    }
    if (figures) figures->at(stage.first);
    if (stage.window != nullptr) {
      if (figures) figures->begin();
      run_window(stage, from, to);
      if (figures) {
        figures->hear(to, r.x, y);
        figures->at(stage.first + 1);
      }
    }
    if (!stage.rows.empty()) {
      ConstView before = stage.window != nullptr ? static_cast<ConstView>(to) : from;
      before.place = from.place;
      View after = final && !direct ? final_rows : to;
      after.shape.channels = stage.out.channels;
      const bool past_cache = final && stream;
      if (figures) {
        stage.rows.heard(before, after, 0, rows, past_cache, *figures);
      } else {
        stage.rows(before, after, 0, rows, past_cache);
      }
    } else if (final && !direct) {
      for (int c = 0; c < to.shape.channels; ++c) {
        for (int row = 0; row < rows; ++row)
          rows::copy(to.row(row, c), final_rows.row(row, c), static_cast<std::size_t>(r.width), stream);
      }
    }
    r.past = past;
  };

  // The only piece tells how far each stage is, too; of several pieces none knows that of the others.
  const bool only = piece.width == part.width && piece.height == part.height;
  Scratch<double> stage_ends(only ? count : 0);
  for (std::size_t i = 0; i < stage_ends.size(); ++i)
    stage_ends[i] = static_cast<double>(i + 1) / static_cast<double>(count);
  std::optional<Progress> own;
  Progress& counts = only ? own.emplace(static_cast<double>(part.width) * part.height) : progress;
  for (int end = piece.y; end < piece.y + piece.height;) {
    checkpoint();
    const int before = end;
    end = std::min(piece.y + piece.height, end + strip);
    if (only) counts.expect(static_cast<double>(end - before) * piece.width, stage_ends);
    // What each stage must have given before the next one can go on.
    Scratch<int> past(count);
    for (std::size_t i = count; i-- > 0;)
      past[i] = i + 1 == count ? end : std::min(in_.height, past[i + 1] + stages_[i + 1].reach);
    for (std::size_t i = 0; i < count; ++i) {
      // The first strip has margins above and below; the others go on from where the last one ended.
      while (rolling[i].past < past[i]) advance(i, past[i]);
    }
    counts.add(static_cast<double>(end - before) * piece.width);
  }
  if (figures) book->add(figures->steps());
}

void Segment::run_window(const Stage& stage, const ConstView& from, const View& to) const {
  const FilterDescription& about = *stage.window->step.about;
  const void* fields = stage.window->step.fields.get();
  if (stage.around || stage.reach == 0) {
    about.run(fields, from, to);
    return;
  }
  // It takes its rim for a border: it gets one of the picture's own samples, and what it makes of that is dropped.
  const int left = std::max(0, from.place.x - stage.reach), above = std::max(0, from.place.y - stage.reach),
            right = std::min(in_.width, from.place.x + from.width() + stage.reach),
            below = std::min(in_.height, from.place.y + from.height() + stage.reach);
  ConstView wide = from;
  wide.data = from.row(above - from.place.y) + (left - from.place.x);
  wide.shape.width = right - left;
  wide.shape.height = below - above;
  wide.place = {};
  Image result = unfilled(about.result_shape(fields, wide.shape), 0);
  about.run(fields, wide, result.view());
  const ConstView inner = result.view().part({from.place.x - left, from.place.y - above, from.width(), from.height()});
  for (int c = 0; c < to.channels(); ++c) {
    for (int y = 0; y < to.height(); ++y)
      std::memcpy(to.row(y, c), inner.row(y, c), static_cast<std::size_t>(to.width()) * sizeof(float));
  }
}

}  // namespace sieve::internal
