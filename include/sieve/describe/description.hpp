#pragma once
/// One description of a filter, from which the library knows everything about it: range checks, catalogue, chain text,
/// recipes, help, and how it looks at the picture.

#include <functional>
#include <initializer_list>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <type_traits>
#include <typeindex>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/image.hpp"
#include "sieve/core/map.hpp"
#include "sieve/describe/device_form.hpp"
#include "sieve/describe/parameter.hpp"
#include "sieve/describe/row_operation.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/describe/stage.hpp"
#include "sieve/describe/step.hpp"

namespace SIEVE_EXPORT sieve {

class Chain;  // what a group holds, see sieve/filter/chain.hpp

/// How a filter looks at the picture, once what it measures is known.
enum class Access {
  whole,   ///< a sample of the result may depend on every sample of the picture: what is meant where nothing is said
  point,   ///< on the samples of the same pixel alone
  window,  ///< on the samples within a reach
};

/// A filter's description without its type. `filter` is a pointer to a struct of the type that is described.
class FilterDescription {
 public:
  std::string name;                       ///< in the catalogue, one word
  std::string family;                     ///< the family it is listed with
  std::string summary;                    ///< what it does, one or two lines
  std::string wrong_when;                 ///< when it is the wrong choice
  std::vector<std::string> search_words;  ///< other words that people look for it by
  std::vector<Parameter> parameters;      ///< its fields, in the order in which they are described

  /// The parameter of that name; InvalidArgument with the nearest name where there is none.
  const Parameter& parameter(std::string_view parameter_name) const;
  /// Sets one field of `filter` from text. InvalidArgument with what is allowed; the field is then as it was.
  void set(void* filter, std::string_view parameter_name, std::string_view text, const Resources& resources) const;
  /// InvalidArgument for the first field that is out of its range.
  void check(const void* filter) const;
  /// "gaussian sigma=2": the name, and the fields that differ from their defaults; with `full` all of them. Without
  /// what a group holds.
  std::string text(const void* filter, bool full = false) const;

  /// How it looks at the picture.
  Access access() const { return access_; }
  /// Half-width in pixels of the neighborhood that a sample depends on, 0 for a point; nothing where that is the whole
  /// picture, because of the filter or because something is still to be measured.
  std::optional<int> reach(const void* filter) const;
  /// True where it measures the whole picture before anything else, since no parameter tells what it needs.
  bool measures(const void* filter) const { return measures_ && measures_(filter); }
  /// True where nothing keeps a measured() copy of it from running by parts.
  bool local_once_measured(const void* filter) const;
  /// True where it is given as an operation on rows.
  bool row_based() const { return static_cast<bool>(row_operation_); }
  /// True where it measures nothing of the picture but the range of its samples.
  bool measures_range(const void* filter) const { return measures(filter) && by_range_ && by_range_(filter); }
  /// A copy of such a filter for a picture whose smallest and largest finite sample these are.
  std::shared_ptr<void> with_range(const void* filter, float low, float high) const {
    return with_range_(filter, low, high);
  }
  /// A copy of the filter with what it would measure in this picture given as parameters; null where the description
  /// names no such function.
  std::shared_ptr<void> measured(const void* filter, const ConstView& in) const;
  /// A copy of the filter with all that it would find out by itself in this picture given as parameters, so that a
  /// device can do its work; null where its description names no such function.
  std::shared_ptr<void> settled(const void* filter, const ConstView& in) const {
    return settled_ ? settled_(filter, in) : measured(filter, in);
  }
  /// The reach, where the results of parts of the picture, put together, are the whole result bit for bit: nothing for
  /// a whole picture, a wrapped or shrinking or growing border, and what is described as undivided().
  std::optional<int> part_margin(const void* filter) const;
  /// True where it reads what lies around a view with a ViewPlace, so that a part needs no margin of results to throw
  /// away.
  bool reads_around(const void* filter) const { return reads_around_ && reads_around_(filter); }
  /// What it does to rows, for a picture of shape `in`; empty where its description names no such function.
  RowOperation row_operation(const void* filter, const Shape& in) const;
  /// The shape of the result for a picture of shape `in`.
  Shape result_shape(const void* filter, const Shape& in) const { return shape_ ? shape_(filter, in) : in; }
  /// What the parameters mean in pixels ("window 5x5"); empty where there is nothing to say.
  std::string meaning(const void* filter) const { return meaning_ ? meaning_(filter) : std::string(); }
  /// What it computes on the way to its result ("blur", "mask"); none where the description names no such function.
  std::vector<Stage> stages(const void* filter, const ConstView& in) const;
  /// True where it can be told how strong the noise is that it is to take away.
  bool takes_noise() const { return static_cast<bool>(with_noise_); }
  /// A copy of it that takes away noise of that deviation (0..1 scale); null where it cannot be told.
  std::shared_ptr<void> with_noise(const void* filter, double deviation) const;
  /// What lies beyond the picture; nothing for a filter without a border.
  std::optional<Border> border_of(const void* filter) const {
    return border_ ? std::optional<Border>(border_(filter)) : std::nullopt;
  }
  /// What it does on a device; of kind none where its description names no such text.
  DeviceForm device_form(const void* filter) const { return device_form_ ? device_form_(filter) : DeviceForm(); }
  /// The chain that a group acts with; null for a filter that is no group.
  const Chain* group(const void* filter) const { return group_ ? group_(const_cast<void*>(filter)) : nullptr; }
  /// The same, to be changed.
  Chain* group(void* filter) const { return group_ ? group_(filter) : nullptr; }

  /// The white level of the result for a picture of white level `white_level`: 0, float data, for a filter whose
  /// results leave 0..1 by their nature, else the same.
  std::uint32_t result_white_level(const void* filter, std::uint32_t white_level) const {
    return float_result_ && float_result_(filter) ? 0 : white_level;
  }

  /// Visits the steps of which the filter consists: those of a chain, else the one that `fields` is, whose struct the
  /// step then owns only as far as `fields` does.
  void each_step(const std::shared_ptr<const void>& fields, StepVisitor visit) const;
  /// True where it says what it does: by a call operator or by a function of samples, pairs, pixels or windows.
  bool runs() const { return run_ || run_into_ || row_operation_; }
  /// InvalidArgument where it says nothing of the kind.
  void require_runnable() const;
  /// Runs it.
  [[nodiscard]] Image run(const void* filter, const ConstView& in) const;
  /// Runs it into `out`, of result_shape(); `out` may be exactly the input where access() is Access::point.
  /// InvalidArgument, before anything is worked out, for another shape or shared memory.
  void run(const void* filter, const ConstView& in, const View& out) const;
  /// The checks of input and output that every call into a buffer makes first.
  void check_buffers(const void* filter, const ConstView& in, const View& out) const;
  /// InvalidArgument where a picture of shape `in` became one of another shape than result_shape() says.
  void check_result(const void* filter, const Shape& in, const Shape& result) const;
  /// InvalidArgument where `out` shares samples with the second picture that it works with.
  void check_second(const void* filter, const View& out) const;
  /// A copy of it.
  std::shared_ptr<void> copy(const void* filter) const { return copy_(filter); }
  /// The struct that is described.
  std::type_index type() const { return type_; }

 protected:
  explicit FilterDescription(std::type_index type) : type_(type) {}
  ~FilterDescription();
  FilterDescription(const FilterDescription&) = delete;
  FilterDescription& operator=(const FilterDescription&) = delete;

  // True where its results may be put together from those of parts.
  bool divided(const void* filter) const;
  // A new parameter, whose accessors and default are still to be given.
  Parameter& begin_parameter(std::string_view parameter_name, std::string_view unit, std::string_view help,
                             ParameterRange range);

  std::type_index type_;
  Access access_ = Access::whole;
  std::function<bool(const void*)> undivided_, reads_around_;
  std::function<RowOperation(const void*)> row_operation_;
  std::function<const SharedImage&(const void*)> second_;
  std::function<std::optional<int>(const void*)> reach_;
  std::function<bool(const void*)> measures_;
  std::function<std::shared_ptr<void>(const void*, const ConstView&)> measured_, settled_;
  std::function<bool(const void*)> by_range_;
  std::function<std::shared_ptr<void>(const void*, float, float)> with_range_;
  std::function<Shape(const void*, const Shape&)> shape_;
  std::function<std::string(const void*)> meaning_;
  std::function<std::vector<Stage>(const void*, const ConstView&)> stages_;
  std::function<Border(const void*)> border_;
  std::function<DeviceForm(const void*)> device_form_;
  std::function<void(const void*, StepVisitor)> each_step_;
  std::function<Chain*(void*)> group_;
  std::function<void(void*, float)> with_noise_;
  std::function<bool(const void*)> float_result_;
  std::function<Image(const void*, const ConstView&)> run_;
  std::function<void(const void*, const ConstView&, const View&)> run_into_;
  std::function<std::shared_ptr<void>(const void*)> copy_;
};

namespace internal {
// The borders that a window of samples can have, and those of them that hold samples of the picture alone.
const std::vector<Border>& window_borders();
const std::vector<Border>& picture_borders();
}  // namespace internal

/// Builds the description of a filter struct T: in its `static void describe(Description<T>& d)` a filter names
/// everything that is to be known of it. Whatever takes a function takes a member function of T or a lambda of a
/// `const T&`; one that does not exist does not compile. See the guide, "Your own filter".
template <class T>
class Description : public FilterDescription {
 public:
  Description() : FilterDescription(typeid(T)) {
    // A struct of parameters alone is described like a filter.
    if constexpr (std::is_invocable_r_v<Image, const T&, const ConstView&>)
      run_ = [](const void* f, const ConstView& in) -> Image { return of(f)(in); };
    if constexpr (std::is_invocable_v<const T&, const ConstView&, const View&>)
      run_into_ = [](const void* f, const ConstView& in, const View& out) { of(f)(in, out); };
    copy_ = [](const void* f) -> std::shared_ptr<void> { return std::make_shared<T>(of(f)); };
  }

  /// The catalogue name, the family it is listed with, and what the filter does.
  Description& called(std::string_view name_, std::string_view family_, std::string_view summary_) {
    name = name_;
    family = family_;
    summary = summary_;
    return *this;
  }
  /// When it is the wrong choice.
  Description& wrong(std::string_view when) {
    wrong_when = when;
    return *this;
  }
  /// Other words that people look for it by: "erode", "salt and pepper".
  Description& also(std::initializer_list<const char*> words) {
    search_words.assign(words.begin(), words.end());
    return *this;
  }

  /// A field with its unit and one line of help; `range` for numbers. Fields are bools, whole and real numbers (Real,
  /// float, double, optional ones for parameters that may be left to the filter), std::string, enumerations with
  /// ChoiceNames, and types with TextValue.
  template <class V>
  Description& field(std::string_view field_name, V T::*member, std::string_view unit, std::string_view help,
                     ParameterRange range = {}) {
    return add(begin_parameter(field_name, unit, help, range), member, false);
  }
  /// A Real of which whole values alone are allowed: the radius of a square window.
  Description& whole(std::string_view field_name, Real T::*member, std::string_view unit, std::string_view help,
                     ParameterRange range = {}) {
    return add(begin_parameter(field_name, unit, help, range), member, true);
  }
  /// The field `border`: what lies beyond the picture, one of `allowed` (all that a window can have, where it is not
  /// given). With `fill` also that field, the sample beyond the picture with border=constant; without it
  /// Border::constant is not allowed.
  Description& border(Border T::*member, Real T::*fill = nullptr, std::vector<Border> allowed = {},
                      std::string_view help = "what lies beyond the picture") {
    if (allowed.empty()) allowed = internal::window_borders();
    if (fill == nullptr) std::erase(allowed, Border::constant);
    border_ = [member](const void* f) { return of(f).*member; };
    Parameter& p = begin_parameter("border", "", help, {});
    internal::describe_choice<Border>(p, place(member), allowed);
    p.standard = p.get(&standard_);
    if (fill != nullptr) field("fill", fill, "0..1 scale", "the sample beyond the picture with border=constant");
    return *this;
  }

  /// What it does on a device, as text: `form(filter)` gives device::point() or device::window(). The same results as
  /// on processors are expected, to rounding (`lsieve verify --device` holds one against the other).
  template <class Form>
  Description& on_device(Form form) {
    device_form_ = [form](const void* f) -> DeviceForm { return std::invoke(form, of(f)); };
    return *this;
  }

  /// Its results leave 0..1 by their nature (a difference, a derivative, a sum): they are float data whatever the depth
  /// of the picture, so that writing them does not fall back to its 8 bits without a word.
  Description& float_result() {
    float_result_ = [](const void*) { return true; };
    return *this;
  }
  /// The same where `when(filter)` is true.
  template <class When>
  Description& float_result(When when) {
    float_result_ = [when](const void* f) -> bool { return std::invoke(when, of(f)); };
    return *this;
  }
  /// A pixel of the result depends on the same pixel of the picture alone. The call into a buffer may then get the
  /// picture itself as that buffer.
  Description& point() {
    access_ = Access::point;
    reach_ = [](const void*) { return std::optional<int>(0); };
    return *this;
  }
  /// A point filter whose samples go through one curve: `function(filter)` is a function float(float), or one of rows,
  /// void(const float* in, float* out, std::size_t n), where `out` may be `in`. It is all that such a filter needs to
  /// say: a struct without a call operator runs by it. Neighbors in a chain become one pass, and one table where the
  /// picture has levels. `copies` is what it costs, in times of copying a sample.
  template <class Function>
  Description& maps_samples(Function function, double copies = 1) {
    return operates(
        [function](const T& f) {
          RowOperation o;
          o.values = internal::over_values(std::invoke(function, f));
          return o;
        },
        copies);
  }
  /// The same where the place of a sample counts, too: float(float, const RowPlace&), or void(const float* in, float*
  /// out, std::size_t n, const RowPlace& of_the_first).
  template <class Function>
  Description& maps_places(Function function, double copies = 4) {
    return operates(
        [function](const T& f) {
          RowOperation o;
          o.samples = internal::over_places(std::invoke(function, f));
          return o;
        },
        copies);
  }
  /// The same with the sample at the same place of a second picture, which the field `second` holds: float(float of the
  /// picture, float of the second). A gray second picture serves every channel.
  template <class Function>
  Description& maps_pairs(SharedImage T::*second, Function function, double copies = 1.5) {
    second_ = [second](const void* f) -> const SharedImage& { return of(f).*second; };
    return operates(
        [second, function](const T& f) {
          RowOperation o;
          o.samples = internal::over_pairs((f.*second).image("", "with"), std::invoke(function, f));
          return o;
        },
        copies);
  }
  /// The same with the colors of a pixel together: void(const PixelRow&).
  template <class Function>
  Description& maps_pixels(Function function, double copies = 4) {
    return operates(
        [function](const T& f) {
          RowOperation o;
          o.pixels = std::invoke(function, f);
          return o;
        },
        copies);
  }
  /// A window filter of a half-width known when it is compiled: `function(filter)` is a function of a window as
  /// map_windows takes it. It is all that such a filter needs to say.
  template <int Reach, class Function>
  Description& maps_windows(Border T::*border_field, Function function) {
    run_into_ = [border_field, function](const void* f, const ConstView& in, const View& out) {
      map_windows<Reach>(in, out, of(f).*border_field, std::invoke(function, of(f)));
    };
    border(border_field);
    reads_around();
    return window([](const T&) { return Reach; });
  }
  /// The same with the half-width `reach(filter)`.
  template <class Reach, class Function>
  Description& maps_windows(Reach reach_of, Border T::*border_field, Function function) {
    run_into_ = [reach_of, border_field, function](const void* f, const ConstView& in, const View& out) {
      map_windows(in, out, std::invoke(reach_of, of(f)), of(f).*border_field, std::invoke(function, of(f)));
    };
    border(border_field);
    reads_around();
    return window(reach_of);
  }
  /// A window filter that reads what lies around a view with a ViewPlace (core: rows::extend, map_windows), not only
  /// its own samples: a part of a picture is then worked out alone.
  Description& reads_around() {
    reads_around_ = [](const void*) { return true; };
    return *this;
  }
  /// The same where `when(filter)` is true.
  template <class When>
  Description& reads_around(When when) {
    reads_around_ = [when](const void* f) -> bool { return std::invoke(when, of(f)); };
    return *this;
  }
  /// A sample depends on those within `reach(filter)` pixels to each side, an int, or an optional one that is nothing
  /// where it depends on the whole picture.
  template <class Reach>
  Description& window(Reach reach_of) {
    access_ = Access::window;
    reach_ = [reach_of](const void* f) { return std::optional<int>(std::invoke(reach_of, of(f))); };
    return *this;
  }
  /// Parts of the picture do not give the samples of the whole bit for bit: sums run over the picture and would round
  /// otherwise.
  Description& undivided() {
    undivided_ = [](const void*) { return true; };
    return *this;
  }
  /// The same where `when(filter)` is true.
  template <class When>
  Description& undivided(When when) {
    undivided_ = [when](const void* f) -> bool { return std::invoke(when, of(f)); };
    return *this;
  }
  /// True for a filter that measures the whole picture before all else.
  template <class Measures>
  Description& measures(Measures measures_of) {
    measures_ = [measures_of](const void* f) -> bool { return std::invoke(measures_of, of(f)); };
    return *this;
  }
  /// The same; `measured(filter, in)` is the filter with what it measures in a picture given as parameters.
  template <class Measures, class Measured>
  Description& measures(Measures measures_of, Measured measured_of) {
    measured_ = [measured_of](const void* f, const ConstView& in) -> std::shared_ptr<void> {
      return std::make_shared<T>(std::invoke(measured_of, of(f), in));
    };
    return measures(measures_of);
  }
  /// `settled(filter, in)` is the filter with all that it would find out by itself in a picture given as parameters: a
  /// denoiser with its noise and strength. A device asks for it before it takes the picture; what measures() names
  /// serves it, too.
  template <class Settled>
  Description& settles(Settled settled_of) {
    settled_ = [settled_of](const void* f, const ConstView& in) -> std::shared_ptr<void> {
      return std::make_shared<T>(std::invoke(settled_of, of(f), in));
    };
    return *this;
  }
  /// Where `when(filter)` is true, what it measures is the range of the samples alone: `with_range(filter, low, high)`
  /// is the filter for a picture whose smallest and largest finite sample of the color channels these are (+infinity
  /// and -infinity where there is none). A chain finds the range while the steps before write.
  template <class When, class WithRange>
  Description& measures_range(When when, WithRange filter_of) {
    by_range_ = [when](const void* f) -> bool { return std::invoke(when, of(f)); };
    with_range_ = [filter_of](const void* f, float low, float high) -> std::shared_ptr<void> {
      return std::make_shared<T>(std::invoke(filter_of, of(f), low, high));
    };
    return *this;
  }
  /// The shape of the result: `shape(filter, shape of the picture)`; without it the picture's.
  template <class ResultShape>
  Description& shape(ResultShape shape_of) {
    shape_ = [shape_of](const void* f, const Shape& in) -> Shape { return std::invoke(shape_of, of(f), in); };
    return *this;
  }
  /// What the parameters mean in pixels, in words.
  template <class Meaning>
  Description& meaning(Meaning meaning_of) {
    meaning_ = [meaning_of](const void* f) -> std::string { return std::invoke(meaning_of, of(f)); };
    return *this;
  }
  /// What is computed on the way to the result.
  template <class Stages>
  Description& stages(Stages stages_of) {
    stages_ = [stages_of](const void* f, const ConstView& in) -> std::vector<Stage> {
      return std::invoke(stages_of, of(f), in);
    };
    return *this;
  }
  /// The filter is nothing but other filters one after the other: `each_step(filter, visit)` visits them.
  template <class EachStep>
  Description& consists_of(EachStep each_step_of) {
    each_step_ = [each_step_of](const void* f, StepVisitor visit) { each_step_of(of(f), visit); };
    return *this;
  }
  /// A denoiser that can be told how strong the noise is: `set(filter, deviation)` sets its fields for white noise of
  /// that deviation on the 0..1 scale. What works with a denoiser of anyone's choice, such as plug_and_play, asks for
  /// it.
  template <class Set>
  Description& takes_noise(Set set) {
    with_noise_ = [set](void* f, float deviation) { std::invoke(set, *static_cast<T*>(f), deviation); };
    return *this;
  }
  /// The filter is a group, which acts with the chain in that field: in chain text it opens what `end` closes.
  Description& group(Chain T::*chain) {
    group_ = [chain](void* f) { return &(static_cast<T*>(f)->*chain); };
    return *this;
  }
  using FilterDescription::group;
  using FilterDescription::meaning;
  using FilterDescription::measures;
  using FilterDescription::reads_around;
  using FilterDescription::stages;
  using FilterDescription::takes_noise;

 private:
  static const T& of(const void* f) { return *static_cast<const T*>(f); }

  template <class Operation>
  Description& operates(Operation operation, double copies) {
    row_operation_ = [operation, copies](const void* f) {
      RowOperation o = operation(of(f));
      o.copies = copies;
      return o;
    };
    return point();
  }
  template <class V>
  static internal::FieldPlace place(V T::*member) {
    return [member](void* f) -> void* { return &(static_cast<T*>(f)->*member); };
  }
  template <class V>
  Description& add(Parameter& p, V T::*member, bool whole) {
    internal::describe_value<V>(p, place(member), whole);
    p.standard = p.get(&standard_);
    return *this;
  }

  const T standard_{};
};

/// The description of a filter struct, made once. T has `static void describe(Description<T>&)`.
template <class T>
const FilterDescription& description_of() {
  struct Made : Description<T> {
    Made() { T::describe(*this); }
  };
  // Never destroyed: static objects of the caller may filter while they are destroyed.
  static const Made& description = *new Made;
  return description;
}

/// InvalidArgument where a field of the filter is out of its described range: the first line of every call operator.
template <class T>
void check(const T& filter) {
  description_of<T>().check(&filter);
}

}  // namespace sieve
