#include <Rcpp.h>

#include "core/distinct.h"
#include "core/extremes.h"
#include "glue.h"

using namespace Rcpp;

namespace {

// One of the kinds of lists that answer figures which are no sums.
struct BuiltLists {
  std::unique_ptr<ledger::MemberLists> members;
  std::unique_ptr<ledger::ExtremeLists> extremes;
  std::unique_ptr<ledger::MiddleLists> middle;
  std::unique_ptr<ledger::LatestLists> latest;
  int groups = 0;
};

SEXP kept(std::unique_ptr<BuiltLists> built) { return XPtr<BuiltLists>(built.release(), true); }

}  // namespace

// Lists for the figure `what` of the request's last slot. `column` is that of the members for "distinct" (a code column)
// and of each member for "latest" (or NULL), with `missing` as the number of the missing member or -1.
// [[Rcpp::export]]
SEXP core_build_lists(List request, List keys, std::string what, Nullable<List> column, int missing, int threads) {
  const ledger::Host host = glue::host(threads);
  const ledger::CubeRequest view = glue::request_view(request);
  const auto groups = glue::groups_view(keys, view.entries, host);
  ledger::Slot slot = view.slots.back();
  ledger::Column members;
  std::int32_t count = 0;
  if (column.isNotNull()) {
    const List given(column.get());
    members = glue::column_view(given);
    count = static_cast<std::int32_t>(Rf_xlength(given["members"]));
  }
  auto built = std::make_unique<BuiltLists>();
  built->groups = groups->count();
  if (what == "distinct") {
    slot.column = members;
    built->members = std::make_unique<ledger::MemberLists>(view, *groups, slot, count, missing, host);
  } else if (what == "smallest" || what == "largest") {
    built->extremes = std::make_unique<ledger::ExtremeLists>(ledger::gather_amounts(view, *groups, slot, host), what == "largest");
  } else if (what == "middle") {
    built->middle = std::make_unique<ledger::MiddleLists>(ledger::gather_amounts(view, *groups, slot, host));
  } else if (what == "latest") {
    built->latest = std::make_unique<ledger::LatestLists>(view, *groups, slot, members, static_cast<std::size_t>(count), host);
  } else {
    stop("unknown kind of list: %s", what);
  }
  return kept(std::move(built));
}

// Lists of amounts given outright, in order of group (from 0) and day, for their smallest or largest.
// [[Rcpp::export]]
SEXP core_lists_of_amounts(int groups, IntegerVector group, IntegerVector day, NumericVector amount, bool largest) {
  ledger::Lists<double> lists;
  lists.offsets.assign(static_cast<std::size_t>(groups) + 1, 0);
  for (R_xlen_t i = 0; i < group.size(); ++i) {
    if (ISNAN(amount[i])) continue;
    ++lists.offsets[static_cast<std::size_t>(group[i]) + 1];
    lists.day.push_back(day[i]);
    lists.value.push_back(amount[i]);
  }
  for (std::size_t g = 1; g < lists.offsets.size(); ++g) lists.offsets[g] += lists.offsets[g - 1];
  auto built = std::make_unique<BuiltLists>();
  built->groups = groups;
  built->extremes = std::make_unique<ledger::ExtremeLists>(std::move(lists), largest);
  return kept(std::move(built));
}

// One figure per window. For "newcomers", `first` holds the first day of each member.
// [[Rcpp::export]]
NumericVector core_list_figures(SEXP lists, std::string what, IntegerVector group, IntegerVector from, IntegerVector to,
                                IntegerVector first, int threads) {
  const XPtr<BuiltLists> built(lists);
  const ledger::Host host = glue::host(threads);
  glue::check_groups(group, built->groups);
  const ledger::Windows windows = glue::windows_view(group, from, to);
  NumericVector out(no_init(group.size()));
  if (what == "newcomers") built->members->newcomers(windows, INTEGER(first), REAL(out), host);
  else if (built->members) built->members->distinct(windows, REAL(out), host);
  else if (built->extremes) built->extremes->extreme(windows, REAL(out), host);
  else if (built->middle) built->middle->middle(windows, REAL(out), host);
  else built->latest->latest(windows, REAL(out), host);
  // The core's NaN is R's missing value.
  if (!built->members) for (double& figure : out) if (ISNAN(figure)) figure = NA_REAL;
  return out;
}

// First day of each member of a code column on the request's date basis, missing for one that is not seen.
// [[Rcpp::export]]
IntegerVector core_first_days(List request, List column) {
  const ledger::CubeRequest view = glue::request_view(request);
  const auto days = ledger::first_days(view, glue::column_view(column), static_cast<std::size_t>(Rf_xlength(column["members"])));
  return IntegerVector(days.begin(), days.end());
}

// Positions, from 1, of the entries that count in the request's last slot.
// [[Rcpp::export]]
IntegerVector core_chosen_entries(List request) {
  const ledger::CubeRequest view = glue::request_view(request);
  const ledger::Groups everything({}, {}, view.entries, ledger::Host{});
  ledger::BlockReader block(view, everything);
  std::vector<int> chosen;
  for (std::size_t at = view.begin(); at < view.end(); at += ledger::kBlock) {
    block.read(at, std::min(ledger::kBlock, view.end() - at));
    block.for_slot(view.slots.back(), [&](std::size_t i) { chosen.push_back(static_cast<int>(at + i) + 1); });
    if ((at - view.begin()) % (ledger::kBlock << 9) == 0) checkUserInterrupt();
  }
  return IntegerVector(chosen.begin(), chosen.end());
}
