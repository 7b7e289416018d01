#include <Rcpp.h>

#include "core/control.h"
#include "core/cube.h"
#include "glue.h"

using namespace Rcpp;

namespace {

struct BuiltCube {
  std::shared_ptr<const ledger::Groups> groups;
  std::shared_ptr<ledger::Cube> cube;
  std::size_t slots = 0;
};

SEXP kept(std::shared_ptr<const ledger::Groups> groups, std::shared_ptr<ledger::Cube> cube,
          std::size_t slots) {
  auto built = std::make_unique<BuiltCube>();
  built->groups = std::move(groups);
  built->cube = std::move(cube);
  built->slots = slots;
  return XPtr<BuiltCube>(built.release(), true);
}

// Member numbers of all groups, one list per attribute.
std::vector<std::vector<std::int32_t>> members_of_all(const ledger::Groups& groups) {
  const auto count = static_cast<std::size_t>(groups.count());
  std::vector<std::int32_t> every(count);
  for (std::size_t g = 0; g < count; ++g) every[g] = static_cast<std::int32_t>(g);
  std::vector<std::vector<std::int32_t>> codes(groups.attributes(),
                                               std::vector<std::int32_t>(count));
  for (std::size_t k = 0; k < codes.size(); ++k)
    groups.members_in(k, every.data(), count, codes[k].data());
  return codes;
}

const std::vector<std::string> kOps = {"table",  "<",       "<=",       "==", "!=", ">=", ">",
                                       "one_of", "missing", "constant", "&",  "|",  "!"};

ledger::Condition condition_view(const List& steps, std::size_t entries) {
  std::vector<ledger::Step> result;
  for (R_xlen_t i = 0; i < steps.size(); ++i) {
    const List from = steps[i];
    ledger::Step step;
    const std::string op = from["op"];
    const auto at = std::find(kOps.begin(), kOps.end(), op);
    if (at == kOps.end()) stop("unknown step of a condition: %s", op);
    step.op = static_cast<ledger::Op>(at - kOps.begin());
    if (from.containsElementNamed("column"))
      step.column = glue::column_view(from["column"], entries);
    if (from.containsElementNamed("table")) {
      const IntegerVector table = from["table"];
      step.table.assign(table.begin(), table.end());
    }
    if (from.containsElementNamed("values")) {
      const NumericVector values = from["values"];
      step.values.assign(values.begin(), values.end());
    }
    result.push_back(std::move(step));
  }
  return ledger::Condition(std::move(result));
}

}  // namespace

namespace glue {

ledger::CubeRequest request_view(const List& request) {
  ledger::CubeRequest view;
  view.entries = static_cast<std::size_t>(as<double>(request["entries"]));
  view.first = request["first"];
  view.last = request["last"];
  const RObject offsets = request["offsets"], days = request["days"];
  if (view.last < view.first) stop("a request needs at least one day");
  if (!offsets.isNULL()) {
    if (Rf_xlength(offsets) != static_cast<R_xlen_t>(view.day_count()) + 1)
      stop("a request needs an offset for each day");
    view.offsets = INTEGER(offsets);
  }
  if (!days.isNULL()) {
    if (Rf_xlength(days) != static_cast<R_xlen_t>(view.entries))
      stop("a request needs a day for each entry");
    view.days = INTEGER(days);
  }
  const List conditions = request["conditions"];
  for (R_xlen_t i = 0; i < conditions.size(); ++i)
    view.conditions.push_back(condition_view(conditions[i], view.entries));
  view.where = request["where"];
  const List slots = request["slots"];
  for (R_xlen_t i = 0; i < slots.size(); ++i) {
    const List from = slots[i];
    ledger::Slot slot;
    const std::string what = from["what"];
    slot.what = what == "sum"       ? ledger::What::sum
                : what == "present" ? ledger::What::present
                                    : ledger::What::count;
    if (slot.what != ledger::What::count)
      slot.column = glue::column_view(from["column"], view.entries);
    slot.condition = from["condition"];
    view.slots.push_back(slot);
  }
  return view;
}

}  // namespace glue

// [[Rcpp::export]]
SEXP core_build_cube(List request, SEXP groups, int threads) {
  const ledger::CubeRequest view = glue::request_view(request);
  const auto& of = glue::groups_view(groups, view.entries);
  return kept(of, ledger::build_cube(view, *of, glue::host(threads)), view.slots.size());
}

// The cube of cells: a day, a group and the figures of each slot for each, as many of a day and
// group as there are. `decimals` says by how many places the whole numbers of a slot (in the bits
// of doubles) were moved; -1 that its figures are doubles. Slot 0 counts entries.
// [[Rcpp::export]]
SEXP core_cube_of_cells(IntegerVector day, SEXP groups, List slots, IntegerVector decimals,
                        int first, int last, int threads) {
  const auto n = static_cast<std::size_t>(day.size());
  const auto& of = glue::groups_view(groups, n);
  if (slots.size() != decimals.size() || slots.size() == 0)
    stop("each slot of cells needs its decimals");
  ledger::CubeRequest view;
  view.entries = n;
  view.first = first;
  view.last = last;
  view.days = INTEGER(day);
  for (R_xlen_t s = 0; s < slots.size(); ++s) {
    const bool real = decimals[s] < 0;
    ledger::Slot slot;
    slot.what = ledger::What::sum;
    slot.column =
        glue::column_view(List::create(_["kind"] = real ? "real" : "exact64", _["data"] = slots[s],
                                       _["decimals"] = real ? 0 : decimals[s]),
                          n);
    view.slots.push_back(slot);
  }
  return kept(of, ledger::build_cube(view, *of, glue::host(threads)), view.slots.size());
}

// The same figures for fewer attributes, whose place among those of the cube is `kept_keys`; NULL
// where entries must be read again.
// [[Rcpp::export]]
SEXP core_coarser_cube(SEXP cube, IntegerVector kept_keys, SEXP groups) {
  const XPtr<BuiltCube> fine(cube);
  const XPtr<glue::BuiltGroups> coarse(groups);
  const auto* dense = dynamic_cast<const ledger::DenseCube*>(fine->cube.get());
  if (dense == nullptr) return R_NilValue;
  const auto codes = members_of_all(*fine->groups);
  if (static_cast<std::size_t>(kept_keys.size()) != coarse->groups->attributes())
    stop("other attributes than those of the groups");
  std::vector<const std::int32_t*> views;
  for (const int k : kept_keys) {
    if (k < 0 || static_cast<std::size_t>(k) >= codes.size()) stop("no such attribute");
    views.push_back(codes[static_cast<std::size_t>(k)].data());
  }
  const auto to =
      coarse->groups->numbers_of(views, static_cast<std::size_t>(fine->groups->count()));
  // Combinations that no entry has stand for no group of ours, and hold nothing.
  return kept(coarse->groups,
              std::make_shared<ledger::DenseCube>(*dense, to, coarse->groups->count()),
              fine->slots);
}

// The cubes of several parts of a ledger as one, for groups that all parts number alike; NULL where
// they cannot be put together.
// [[Rcpp::export]]
SEXP core_joined_cube(List cubes, SEXP groups) {
  const XPtr<glue::BuiltGroups> all(groups);
  const auto codes = members_of_all(*all->groups);
  std::vector<const std::int32_t*> views;
  for (const auto& code : codes) views.push_back(code.data());
  std::vector<ledger::JoinedCube::Part> parts;
  std::size_t slots = 0;
  for (R_xlen_t i = 0; i < cubes.size(); ++i) {
    const XPtr<BuiltCube> part(static_cast<SEXP>(cubes[i]));
    slots = part->slots;
    parts.push_back({part->cube, part->groups->numbers_of(
                                     views, static_cast<std::size_t>(all->groups->count()))});
  }
  if (!ledger::JoinedCube::alike(parts, slots)) return R_NilValue;
  return kept(all->groups, std::make_shared<ledger::JoinedCube>(std::move(parts)), slots);
}

// [[Rcpp::export]]
List core_cube_facts(SEXP cube) {
  const XPtr<BuiltCube> built(cube);
  return List::create(_["groups"] = built->groups->count(), _["dense"] = built->cube->dense(),
                      _["bytes"] = built->cube->bytes());
}

// Figures of one slot (from 0), one per window.
// [[Rcpp::export]]
NumericVector core_evaluate(SEXP cube, int slot, IntegerVector group, IntegerVector from,
                            IntegerVector to, int threads) {
  const XPtr<BuiltCube> built(cube);
  const ledger::Windows windows = glue::windows_view(group, from, to);
  if (slot < 0 || static_cast<std::size_t>(slot) >= built->slots) stop("no such slot");
  glue::check_groups(group, built->groups->count());
  NumericVector out(no_init(group.size()));
  built->cube->evaluate(static_cast<std::size_t>(slot), windows, REAL(out), glue::host(threads));
  return out;
}

// Pairs of stretch (from 1) and group that have entries, in order of the stretches, and the figures
// of each slot.
// [[Rcpp::export]]
List core_stretches_with_entries(SEXP cube, IntegerVector groups, IntegerVector from,
                                 IntegerVector to, int threads) {
  const XPtr<BuiltCube> built(cube);
  glue::check_groups(groups, built->groups->count());
  if (from.size() != to.size()) stop("stretches of unequal length");
  const ledger::Days stretches{INTEGER(from), INTEGER(to), static_cast<std::size_t>(from.size())};
  const ledger::Host host = glue::host(threads);
  ledger::HeldPairs pairs(*built->cube, INTEGER(groups), static_cast<std::size_t>(groups.size()),
                          stretches, host);
  const auto n = static_cast<R_xlen_t>(pairs.count());
  IntegerVector period(no_init(n)), group(no_init(n));
  List figures(static_cast<R_xlen_t>(built->slots));
  std::vector<double*> columns;
  for (std::size_t slot = 0; slot < built->slots; ++slot) {
    NumericVector column(no_init(n));
    columns.push_back(REAL(column));
    figures[static_cast<R_xlen_t>(slot)] = column;
  }
  pairs.fill(INTEGER(period), 1, INTEGER(group), columns);
  return List::create(_["period"] = period, _["group"] = group, _["figures"] = figures);
}

// The stretches (from 0) with which windows begin and end, or nothing where these cut one. They are
// given by their first days, with the day after the last; a window without days stays one.
// [[Rcpp::export]]
SEXP core_stretch_places(IntegerVector stretches, IntegerVector from, IntegerVector to) {
  if (from.size() != to.size()) stop("windows of unequal length");
  const int *begin = stretches.begin(), *end = stretches.end();
  IntegerVector first(no_init(from.size())), last(no_init(from.size()));
  for (R_xlen_t i = 0; i < from.size(); ++i) {
    if (from[i] == NA_INTEGER || to[i] == NA_INTEGER) return R_NilValue;
    if (to[i] < from[i]) {
      first[i] = 1;
      last[i] = 0;
      continue;
    }
    // Windows that follow each other are often alike.
    if (i > 0 && from[i] == from[i - 1] && to[i] == to[i - 1]) {
      first[i] = first[i - 1];
      last[i] = last[i - 1];
      continue;
    }
    const int* a = std::lower_bound(begin, end, from[i]);
    const std::int64_t after = static_cast<std::int64_t>(to[i]) + 1;
    const int* z = std::lower_bound(begin, end, after);
    if (a == end || *a != from[i] || z == end || *z != after) return R_NilValue;
    first[i] = static_cast<int>(a - begin);
    last[i] = static_cast<int>(z - begin) - 1;
  }
  return List::create(_["from"] = first, _["to"] = last);
}

// The last day up to `day` on which each group (from 0) has entries, missing where it has none.
// [[Rcpp::export]]
IntegerVector core_latest_days(SEXP cube, IntegerVector groups, int day) {
  const XPtr<BuiltCube> built(cube);
  glue::check_groups(groups, built->groups->count());
  IntegerVector out(no_init(groups.size()));
  for (R_xlen_t i = 0; i < groups.size(); ++i) out[i] = built->cube->latest_day(groups[i], day);
  return out;
}

// [[Rcpp::export]]
NumericVector core_control_values(List request, int from, int to) {
  const ledger::CubeRequest view = glue::request_view(request);
  NumericVector out(static_cast<R_xlen_t>(view.slots.size()));
  for (std::size_t s = 0; s < view.slots.size(); ++s) {
    out[static_cast<R_xlen_t>(s)] = ledger::control_figure(view, view.slots[s], from, to);
  }
  return out;
}
