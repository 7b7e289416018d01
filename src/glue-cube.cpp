#include <Rcpp.h>

#include "core/control.h"
#include "core/cube.h"
#include "glue.h"

using namespace Rcpp;

namespace {

struct BuiltCube {
  std::unique_ptr<ledger::Groups> groups;
  std::shared_ptr<ledger::Cube> cube;
  std::size_t slots = 0;
};

const std::vector<std::string> kOps = {"table", "<", "<=", "==", "!=", ">=", ">",
                                       "one_of", "missing", "constant", "&", "|", "!"};

ledger::Condition condition_view(const List& steps) {
  std::vector<ledger::Step> result;
  for (R_xlen_t i = 0; i < steps.size(); ++i) {
    const List from = steps[i];
    ledger::Step step;
    const std::string op = from["op"];
    const auto at = std::find(kOps.begin(), kOps.end(), op);
    if (at == kOps.end()) stop("unknown step of a condition: %s", op);
    step.op = static_cast<ledger::Op>(at - kOps.begin());
    if (from.containsElementNamed("column")) step.column = glue::column_view(from["column"]);
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
  if (!offsets.isNULL()) view.offsets = INTEGER(offsets);
  if (!days.isNULL()) view.days = INTEGER(days);
  const List conditions = request["conditions"];
  for (R_xlen_t i = 0; i < conditions.size(); ++i) view.conditions.push_back(condition_view(conditions[i]));
  view.where = request["where"];
  const List slots = request["slots"];
  for (R_xlen_t i = 0; i < slots.size(); ++i) {
    const List from = slots[i];
    ledger::Slot slot;
    const std::string what = from["what"];
    slot.what = what == "sum" ? ledger::What::sum
                : what == "present" ? ledger::What::present : ledger::What::count;
    if (slot.what != ledger::What::count) slot.column = glue::column_view(from["column"]);
    slot.condition = from["condition"];
    view.slots.push_back(slot);
  }
  return view;
}

std::unique_ptr<ledger::Groups> groups_view(const List& keys, std::size_t entries, const ledger::Host& host) {
  std::vector<ledger::Column> columns;
  std::vector<std::int32_t> members;
  for (R_xlen_t i = 0; i < keys.size(); ++i) {
    const List key = keys[i];
    columns.push_back(glue::column_view(key));
    members.push_back(static_cast<std::int32_t>(Rf_xlength(key["members"])));
  }
  return std::make_unique<ledger::Groups>(std::move(columns), std::move(members), entries, host);
}

}  // namespace glue

// [[Rcpp::export]]
SEXP core_build_cube(List request, List keys, int threads) {
  const ledger::Host host = glue::host(threads);
  const ledger::CubeRequest view = glue::request_view(request);
  auto built = std::make_unique<BuiltCube>();
  built->groups = glue::groups_view(keys, view.entries, host);
  built->cube = ledger::build_cube(view, *built->groups, host);
  built->slots = view.slots.size();
  return XPtr<BuiltCube>(built.release(), true);
}

// The same figures for fewer attributes, given as columns for grouping; NULL where entries must be read again.
// [[Rcpp::export]]
SEXP core_coarser_cube(SEXP cube, IntegerVector kept, List keys, double entries, int threads) {
  const XPtr<BuiltCube> fine(cube);
  const auto* dense = dynamic_cast<const ledger::DenseCube*>(fine->cube.get());
  if (dense == nullptr) return R_NilValue;
  auto built = std::make_unique<BuiltCube>();
  built->groups = glue::groups_view(keys, static_cast<std::size_t>(entries), glue::host(threads));
  std::vector<std::vector<std::int32_t>> codes(static_cast<std::size_t>(kept.size()));
  const std::int32_t fine_groups = fine->groups->count();
  for (std::int32_t g = 0; g < fine_groups; ++g) {
    const auto members = fine->groups->members_of(g);
    for (std::size_t k = 0; k < codes.size(); ++k) codes[k].push_back(members[static_cast<std::size_t>(kept[k])]);
  }
  std::vector<const std::int32_t*> views;
  for (const auto& code : codes) views.push_back(code.data());
  const auto to = built->groups->numbers_of(views, static_cast<std::size_t>(fine_groups));
  built->cube = std::make_shared<ledger::DenseCube>(*dense, to, built->groups->count());
  built->slots = fine->slots;
  return XPtr<BuiltCube>(built.release(), true);
}

// The cubes of several parts of a ledger as one; `members` counts the members of each attribute, which parts number alike.
// NULL where they cannot be put together.
// [[Rcpp::export]]
SEXP core_joined_cube(List cubes, IntegerVector members, double entries) {
  const std::vector<std::int32_t> counts(members.begin(), members.end());
  if (!ledger::Groups::by_arithmetic(counts, static_cast<std::size_t>(entries))) return R_NilValue;
  auto built = std::make_unique<BuiltCube>();
  built->groups = std::make_unique<ledger::Groups>(std::vector<ledger::Column>(counts.size()), counts,
                                                   static_cast<std::size_t>(entries), ledger::Host{});
  const auto groups = static_cast<std::size_t>(built->groups->count());
  std::vector<std::vector<std::int32_t>> codes(counts.size(), std::vector<std::int32_t>(groups));
  for (std::size_t g = 0; g < groups; ++g) {
    const auto of = built->groups->members_of(static_cast<std::int32_t>(g));
    for (std::size_t k = 0; k < of.size(); ++k) codes[k][g] = of[k];
  }
  std::vector<const std::int32_t*> views;
  for (const auto& code : codes) views.push_back(code.data());
  std::vector<ledger::JoinedCube::Part> parts;
  for (R_xlen_t i = 0; i < cubes.size(); ++i) {
    const XPtr<BuiltCube> part(static_cast<SEXP>(cubes[i]));
    built->slots = part->slots;
    parts.push_back({part->cube, part->groups->numbers_of(views, groups)});
  }
  if (!ledger::JoinedCube::alike(parts, built->slots)) return R_NilValue;
  built->cube = std::make_shared<ledger::JoinedCube>(std::move(parts));
  return XPtr<BuiltCube>(built.release(), true);
}

// [[Rcpp::export]]
List core_cube_facts(SEXP cube) {
  const XPtr<BuiltCube> built(cube);
  return List::create(_["groups"] = built->groups->count(), _["dense"] = built->cube->dense(),
                      _["bytes"] = built->cube->bytes());
}

// Member numbers, from 0, of the given groups: one vector per attribute.
// [[Rcpp::export]]
List core_group_members(SEXP cube, IntegerVector groups, int attributes) {
  const XPtr<BuiltCube> built(cube);
  glue::check_groups(groups, built->groups->count());
  List out(attributes);
  for (int k = 0; k < attributes; ++k) {
    IntegerVector codes(no_init(groups.size()));
    built->groups->members_in(static_cast<std::size_t>(k), INTEGER(groups), static_cast<std::size_t>(groups.size()), INTEGER(codes));
    out[k] = codes;
  }
  return out;
}

// Group numbers of rows given by member numbers, one vector per attribute; -1 for no such group.
// [[Rcpp::export]]
IntegerVector core_group_numbers(SEXP cube, List codes) {
  const XPtr<BuiltCube> built(cube);
  std::vector<const std::int32_t*> views;
  for (R_xlen_t k = 0; k < codes.size(); ++k) views.push_back(INTEGER(codes[k]));
  const auto rows = static_cast<std::size_t>(codes.size() == 0 ? 0 : Rf_xlength(codes[0]));
  const auto numbers = built->groups->numbers_of(views, rows);
  return IntegerVector(numbers.begin(), numbers.end());
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

// Pairs of stretch (from 1) and group that have entries, in order of the stretches, and the figures of each slot.
// [[Rcpp::export]]
List core_stretches_with_entries(SEXP cube, IntegerVector groups, IntegerVector from, IntegerVector to) {
  const XPtr<BuiltCube> built(cube);
  glue::check_groups(groups, built->groups->count());
  const ledger::Days stretches{INTEGER(from), INTEGER(to), static_cast<std::size_t>(from.size())};
  const ledger::Held held = ledger::stretches_with_entries(
      *built->cube, INTEGER(groups), static_cast<std::size_t>(groups.size()), stretches, built->slots, glue::host(1));
  IntegerVector period(held.stretch.begin(), held.stretch.end());
  List figures(static_cast<R_xlen_t>(held.figures.size()));
  for (std::size_t slot = 0; slot < held.figures.size(); ++slot) {
    figures[static_cast<R_xlen_t>(slot)] = NumericVector(held.figures[slot].begin(), held.figures[slot].end());
  }
  return List::create(_["period"] = period + 1, _["group"] = IntegerVector(held.group.begin(), held.group.end()), _["figures"] = figures);
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
bool core_cube_is_gone(SEXP cube) { return TYPEOF(cube) != EXTPTRSXP || R_ExternalPtrAddr(cube) == nullptr; }

// [[Rcpp::export]]
NumericVector core_control_figures(List request, int from, int to) {
  const ledger::CubeRequest view = glue::request_view(request);
  NumericVector out(static_cast<R_xlen_t>(view.slots.size()));
  for (std::size_t s = 0; s < view.slots.size(); ++s) {
    out[static_cast<R_xlen_t>(s)] = ledger::control_figure(view, view.slots[s], from, to);
  }
  return out;
}
