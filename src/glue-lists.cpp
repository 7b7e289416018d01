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

SEXP lists_for(const ledger::CubeRequest& view, const ledger::Groups& groups,
               const std::string& what, const ledger::Column& members, std::int32_t count,
               int missing, const ledger::Host& host) {
  ledger::Slot slot = view.slots.back();
  auto built = std::make_unique<BuiltLists>();
  built->groups = groups.count();
  const bool amounts = slot.what != ledger::What::count;
  if (what == "distinct") {
    slot.column = members;
    built->members =
        std::make_unique<ledger::MemberLists>(view, groups, slot, count, missing, host);
  } else if (!amounts) {
    stop("lists for %s need amounts", what);
  } else if (what == "smallest" || what == "largest") {
    built->extremes = std::make_unique<ledger::ExtremeLists>(
        ledger::gather_amounts(view, groups, slot, host), what == "largest");
  } else if (what == "middle") {
    built->middle =
        std::make_unique<ledger::MiddleLists>(ledger::gather_amounts(view, groups, slot, host));
  } else if (what == "latest") {
    built->latest = std::make_unique<ledger::LatestLists>(view, groups, slot, members,
                                                          static_cast<std::size_t>(count), host);
  } else {
    stop("unknown kind of list: %s", what);
  }
  return kept(std::move(built));
}

}  // namespace

// Lists for the figure `what` of the request's last slot. `column` is that of the members for
// "distinct" (a code column) and of each member for "latest" (or NULL), with `missing` as the
// number of the missing member or -1.
// [[Rcpp::export]]
SEXP core_build_lists(List request, SEXP groups, std::string what, Nullable<List> column,
                      int missing, int threads) {
  const ledger::CubeRequest view = glue::request_view(request);
  ledger::Column members;
  std::int32_t count = 0;
  if (column.isNotNull()) {
    const List given(column.get());
    members = glue::column_view(given, view.entries);
    count = static_cast<std::int32_t>(Rf_xlength(given["members"]));
  }
  return lists_for(view, *glue::groups_view(groups, view.entries), what, members, count, missing,
                   glue::host(threads));
}

// The same from rows that a source has put together: a day and a group of each, with the number of
// a member (from 0, of so many, below 0 for none), an amount, or both.
// [[Rcpp::export]]
SEXP core_lists_of_rows(IntegerVector day, SEXP groups, std::string what, NumericVector amount,
                        IntegerVector member, int members, int first, int last, int threads) {
  const auto n = static_cast<std::size_t>(day.size());
  const auto& of = glue::groups_view(groups, n);
  ledger::CubeRequest view;
  view.entries = n;
  view.first = first;
  view.last = last;
  view.days = INTEGER(day);
  ledger::Slot slot;
  ledger::Column own;
  if (what != "distinct") {
    if (amount.size() != day.size()) stop("lists of amounts need one for each row");
    slot.what = ledger::What::sum;
    slot.column.kind = ledger::Kind::real;
    slot.column.data = REAL(amount);
    slot.column.has_missing = true;
  }
  IntegerVector numbers(no_init(member.size()));
  int count = members;
  if (what == "distinct" || member.size() > 0) {
    if (member.size() != day.size()) stop("lists of members need one for each row");
    count = members + 1;  // the last stands for no member
    for (R_xlen_t i = 0; i < member.size(); ++i) {
      if (member[i] >= members) stop("no such member");
      numbers[i] = member[i] < 0 ? members : member[i];
    }
    own.kind = ledger::Kind::code32;
    own.data = INTEGER(numbers);
  }
  view.slots.push_back(slot);
  return lists_for(view, *of, what, own, count, what == "distinct" ? members : -1,
                   glue::host(threads));
}

// [[Rcpp::export]]
double core_lists_bytes(SEXP lists) {
  const XPtr<BuiltLists> built(lists);
  return built->members    ? built->members->bytes()
         : built->extremes ? built->extremes->bytes()
         : built->middle   ? built->middle->bytes()
                           : built->latest->bytes();
}

// Lists of amounts given outright, in order of group (from 0) and day, for their smallest or
// largest.
// [[Rcpp::export]]
SEXP core_lists_of_amounts(int groups, IntegerVector group, IntegerVector day, NumericVector amount,
                           bool largest) {
  ledger::Lists<double> lists;
  if (group.size() != day.size() || group.size() != amount.size()) stop("lists of unequal length");
  glue::check_groups(group, groups);
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
NumericVector core_list_values(SEXP lists, std::string what, IntegerVector group,
                                IntegerVector from, IntegerVector to, IntegerVector first,
                                int threads) {
  const XPtr<BuiltLists> built(lists);
  const ledger::Host host = glue::host(threads);
  glue::check_groups(group, built->groups);
  const ledger::Windows windows = glue::windows_view(group, from, to);
  NumericVector out(no_init(group.size()));
  if (what == "newcomers" &&
      (!built->members || static_cast<std::size_t>(first.size()) < built->members->members())) {
    stop("newcomers need the first day of each member");
  }
  if (what == "newcomers") built->members->newcomers(windows, INTEGER(first), REAL(out), host);
  else if (built->members) built->members->distinct(windows, REAL(out), host);
  else if (built->extremes) built->extremes->extreme(windows, REAL(out), host);
  else if (built->middle) built->middle->middle(windows, REAL(out), host);
  else built->latest->latest(windows, REAL(out), host);
  // The core's NaN is R's missing value.
  if (!built->members)
    for (double& figure : out)
      if (ISNAN(figure)) figure = NA_REAL;
  return out;
}

// First day of each member of a code column on the request's date basis, missing for one that is
// not seen.
// [[Rcpp::export]]
IntegerVector core_first_days(List request, List column) {
  const ledger::CubeRequest view = glue::request_view(request);
  const auto days = ledger::first_days(view, glue::column_view(column, view.entries),
                                       static_cast<std::size_t>(Rf_xlength(column["members"])));
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
    block.for_slot(view.slots.back(),
                   [&](std::size_t i) { chosen.push_back(static_cast<int>(at + i) + 1); });
    if ((at - view.begin()) % (ledger::kBlock << 9) == 0) checkUserInterrupt();
  }
  return IntegerVector(chosen.begin(), chosen.end());
}
