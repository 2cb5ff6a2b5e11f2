// A filter of one's own against shared libraries: what describes its fields must be shown, whatever their types.

#include "sieve/sieve.hpp"

struct Fields {
  sieve::Real real = 1;
  sieve::Seed seed = 1;
  float single = 1;
  double twice = 1;
  short brief = 1;
  int whole = 1;
  long longer = 1;
  unsigned counted = 1;
  std::optional<float> maybe = {};
  bool flag = false;
  static void describe(sieve::Description<Fields>& d) {
    d.called("fields", "mine", "Samples times a field, among fields of all types.");
    d.maps_samples([](const Fields& f) { return [k = f.single](float v) { return v * k; }; });
    d.field("real", &Fields::real, "", "a number", {0, 9});
    d.field("seed", &Fields::seed, "", "a seed");
    d.field("single", &Fields::single, "", "a number", {0, 9});
    d.field("twice", &Fields::twice, "", "a number", {0, 9});
    d.field("brief", &Fields::brief, "", "a number", {0, 9});
    d.field("whole", &Fields::whole, "", "a number", {0, 9});
    d.field("longer", &Fields::longer, "", "a number", {0, 9});
    d.field("counted", &Fields::counted, "", "a number", {0, 9});
    d.field("maybe", &Fields::maybe, "", "a number", {0, 9});
    d.field("flag", &Fields::flag, "", "a flag");
  }
};

int main() {
  sieve::Filter f = Fields{};
  for (const sieve::Parameter& p : f.about().parameters) {
    const std::string value = p.kind == sieve::ParameterKind::flag ? "yes" : "2";
    f.set(p.name, value);
    if (f.get(p.name) != value) return 1;
  }
  sieve::Image in(3, 2);
  in.fill(0.25F);
  return f(in).at(2, 1) == 0.5F && f.about().parameters.size() == 10 ? 0 : 1;
}
