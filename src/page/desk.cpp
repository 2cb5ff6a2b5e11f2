#include "page/desk.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>

#include "page/document.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/compare.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/spatial/frame.hpp"

namespace sieve::internal::page {

using nlohmann::ordered_json;

namespace {

ordered_json steps_of(const Chain& chain, const Report& report) {
  ordered_json all = ordered_json::array();
  for (std::size_t i = 0; i < report.steps.size(); ++i) {
    const StepReport& s = report.steps[i];
    all.push_back({{"text", chain.steps()[i].text()},
                   {"measured", s.text},
                   {"meaning", s.meaning},
                   {"seconds", s.seconds},
                   {"low", number(s.figures.low)},
                   {"high", number(s.figures.high)},
                   {"below", s.figures.below},
                   {"above", s.figures.above},
                   {"not_finite", s.figures.not_finite},
                   {"notes", s.notes}});
  }
  return all;
}

bool comparable(const Image& a, const Image& b) {
  return a.width() == b.width() && a.height() == b.height() && a.shape().color_channels() == b.shape().color_channels();
}

ordered_json figures_of(const Image& result, const Image& in, const Image* truth) {
  ordered_json j = ordered_json::object();
  if (truth != nullptr && comparable(result, *truth)) {
    const Comparison c = compare(result, *truth);
    j["psnr"] = number(c.psnr);
    j["ssim"] = number(c.ssim);
    if (comparable(in, *truth)) {
      const Comparison before = compare(in, *truth);
      if (std::isfinite(c.psnr) && std::isfinite(before.psnr)) j["gain"] = c.psnr - before.psnr;
    }
  }
  try {
    j["noise"] = number(noise_level(result));
  } catch (const InvalidArgument&) {
    j["noise"] = nullptr;  // nothing can be measured in it
  }
  return j;
}

Rectangle within(const Rectangle& r, const Shape& s) {
  const int x = std::clamp(r.x, 0, s.width - 1), y = std::clamp(r.y, 0, s.height - 1);
  return {x, y, std::clamp(r.width, 1, s.width - x), std::clamp(r.height, 1, s.height - y)};
}

}  // namespace

// The right to work: a turn ends the one before, and waits for its end.
class Desk::Turn {
 public:
  Turn(Desk& desk, const std::stop_token& closed) : desk_(desk), closed_(closed, Stop{mine_}) {
    {
      const std::lock_guard lock(desk.guard_);
      desk.current_.request_stop();
      desk.current_ = mine_;
    }
    working_ = std::unique_lock(desk.working_);
    if (mine_.stop_requested()) throw Canceled();
    desk.share_ = 0;
  }
  ~Turn() { desk_.share_ = 1; }
  Turn(const Turn&) = delete;
  Turn& operator=(const Turn&) = delete;
  std::stop_token stop() const { return mine_.get_token(); }

 private:
  struct Stop {
    std::stop_source source;
    void operator()() { source.request_stop(); }
  };
  Desk& desk_;
  std::stop_source mine_;
  std::stop_callback<Stop> closed_;
  std::unique_lock<std::mutex> working_;
};

Desk::Kept& Desk::kept(const Order& order, const Image& in, std::stop_token stop) {
  Kept& k = slots_[order.slot];
  const std::string text = order.chain.text(true);
  if (!k.image.empty() && k.input == order.input && k.chain == text) return k;
  RunOptions o;
  o.stop = std::move(stop);
  o.progress = [this](double share) { share_ = share; };
  o.figures = true;
  Run run = Engine::standard().run(order.chain, in, o);
  return k = {order.input, text, std::move(run.image), std::move(run.report)};
}

Served Desk::serve(const Order& order, const Image& in, const Image* truth, const std::stop_token& closed) {
  const Turn turn(*this, closed);
  const auto start = std::chrono::steady_clock::now();
  const Shape shape = Filter(order.chain).result_shape(in.shape());
  const Rectangle all{0, 0, shape.width, shape.height};
  const Rectangle part = order.part ? within(*order.part, shape) : all;
  Served s;
  // What looks at its neighbors alone is worked out where it is seen; the rest follows when the hand rests.
  if (!order.figures && order.chain.reach()) {
    RunOptions o;
    o.stop = turn.stop();
    o.part = part;
    s.image = Engine::standard().run(order.chain, in, o).image;
  } else {
    Kept& k = kept(order, in, turn.stop());
    if (order.figures && k.figures.is_null()) {
      // What is measured ends with the turn, too.
      Watch watch;
      const Watch::Active active(watch);
      const std::stop_callback ends(turn.stop(), [&watch] { watch.stop(); });
      k.figures = figures_of(k.image, in, truth);
    }
    if (order.figures) s.told = {{"steps", steps_of(order.chain, k.report)}, {"figures", k.figures}};
    s.image = part == all ? k.image : Image(k.image.view().part(part));
  }
  if (order.shrink > 1) s.image = Shrink{.factor = static_cast<float>(order.shrink)}(s.image);
  s.told["shape"] = {shape.width, shape.height, shape.channels};
  s.told["part"] = {part.x, part.y, part.width, part.height};
  s.told["shrink"] = order.shrink;
  s.told["seconds"] = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  return s;
}

Image Desk::whole(const Order& order, const Image& in, const std::stop_token& closed) {
  const Turn turn(*this, closed);
  return kept(order, in, turn.stop()).image;
}

void Desk::stop() {
  const std::lock_guard lock(guard_);
  current_.request_stop();
}

}  // namespace sieve::internal::page
