#include <Rcpp.h>

#include "core/deals.h"
#include "core/ranks.h"
#include "core/told-apart.h"
#include "glue.h"

using namespace Rcpp;

namespace glue {

const std::shared_ptr<const ledger::Groups>& groups_view(SEXP groups, std::size_t entries) {
  const XPtr<BuiltGroups> built(groups);
  if (built->groups->attributes() > 0 && built->groups->entries() != entries) {
    stop("the groups are those of other entries");
  }
  return built->groups;
}

}  // namespace glue

namespace {

SEXP kept(std::shared_ptr<const ledger::Groups> groups) {
  auto built = std::make_unique<glue::BuiltGroups>();
  built->groups = std::move(groups);
  return XPtr<glue::BuiltGroups>(built.release(), true);
}

}  // namespace

// The groups of entries by some columns of member numbers.
// [[Rcpp::export]]
SEXP core_groups(List keys, double entries, int threads) {
  const auto n = static_cast<std::size_t>(entries);
  std::vector<ledger::Column> columns;
  std::vector<std::int32_t> members;
  for (R_xlen_t i = 0; i < keys.size(); ++i) {
    const List key = keys[i];
    columns.push_back(glue::column_view(key, n));
    members.push_back(static_cast<std::int32_t>(Rf_xlength(key["members"])));
  }
  return kept(std::make_shared<const ledger::Groups>(std::move(columns), std::move(members), n,
                                                     glue::host(threads)));
}

// The same where numbers of members tell all: NULL where entries must be looked at.
// [[Rcpp::export]]
SEXP core_groups_by_arithmetic(IntegerVector members, double entries) {
  const std::vector<std::int32_t> counts(members.begin(), members.end());
  const auto n = static_cast<std::size_t>(entries);
  if (!ledger::Groups::by_arithmetic(counts, n)) return R_NilValue;
  return kept(std::make_shared<const ledger::Groups>(std::vector<ledger::Column>(counts.size()),
                                                     counts, n, ledger::Host{}));
}

// The same groups of entries that stand in another order: entry i was at[i], from 1.
// [[Rcpp::export]]
SEXP core_groups_in_order(SEXP groups, List keys, IntegerVector at) {
  const auto n = static_cast<std::size_t>(at.size());
  const auto& of = glue::groups_view(groups, n);
  std::vector<ledger::Column> columns;
  for (R_xlen_t i = 0; i < keys.size(); ++i) columns.push_back(glue::column_view(keys[i], n));
  for (const int i : at)
    if (i < 1 || static_cast<std::size_t>(i) > n) stop("no such entry");
  return kept(std::make_shared<const ledger::Groups>(*of, std::move(columns), INTEGER(at)));
}

// Groups in the order in which rows of member numbers (from 0) show them, one vector per attribute;
// `members` says how many members each attribute has.
// [[Rcpp::export]]
SEXP core_groups_listed(List codes, IntegerVector members) {
  const std::size_t n = codes.size() == 0 ? 0 : static_cast<std::size_t>(Rf_xlength(codes[0]));
  std::vector<ledger::Column> columns;
  for (R_xlen_t k = 0; k < codes.size(); ++k) {
    columns.push_back(glue::column_view(
        List::create(_["kind"] = "code32", _["data"] = codes[k]), n));
    for (const int code : IntegerVector(codes[k]))
      if (code < 0 || code >= members[k]) stop("no such member");
  }
  return kept(std::make_shared<const ledger::Groups>(
      ledger::Groups::listed(std::move(columns),
                             std::vector<std::int32_t>(members.begin(), members.end()), n,
                             glue::host(1))));
}

// The same groups of entries whose group numbers, from 0, are given.
// [[Rcpp::export]]
SEXP core_groups_of_numbers(SEXP groups, IntegerVector numbers) {
  const XPtr<glue::BuiltGroups> built(groups);
  glue::check_groups(numbers, built->groups->count());
  return kept(std::make_shared<const ledger::Groups>(
      *built->groups, std::vector<std::int32_t>(numbers.begin(), numbers.end())));
}

// [[Rcpp::export]]
List core_group_facts(SEXP groups) {
  const XPtr<glue::BuiltGroups> built(groups);
  return List::create(_["groups"] = built->groups->count(), _["bytes"] = built->groups->bytes());
}

// Member numbers, from 0, of the given groups: one vector per attribute.
// [[Rcpp::export]]
List core_group_members(SEXP groups, IntegerVector numbers) {
  const XPtr<glue::BuiltGroups> built(groups);
  glue::check_groups(numbers, built->groups->count());
  List out(static_cast<R_xlen_t>(built->groups->attributes()));
  for (R_xlen_t k = 0; k < out.size(); ++k) {
    IntegerVector codes(no_init(numbers.size()));
    built->groups->members_in(static_cast<std::size_t>(k), INTEGER(numbers),
                              static_cast<std::size_t>(numbers.size()), INTEGER(codes));
    out[k] = codes;
  }
  return out;
}

// Group numbers of rows given by member numbers, one vector per attribute; -1 for no such group.
// [[Rcpp::export]]
IntegerVector core_group_numbers(SEXP groups, List codes) {
  const XPtr<glue::BuiltGroups> built(groups);
  if (codes.size() != static_cast<R_xlen_t>(built->groups->attributes()))
    stop("member numbers of other attributes");
  std::vector<const std::int32_t*> views;
  const R_xlen_t rows = codes.size() == 0 ? 0 : Rf_xlength(codes[0]);
  for (R_xlen_t k = 0; k < codes.size(); ++k) {
    SEXP own = codes[k];
    if (TYPEOF(own) != INTSXP || Rf_xlength(own) != rows)
      stop("member numbers must be whole numbers, as many for each attribute");
    views.push_back(INTEGER(own));
  }
  const auto numbers = built->groups->numbers_of(views, static_cast<std::size_t>(rows));
  return IntegerVector(numbers.begin(), numbers.end());
}

// Rows numbered from 1, in order of appearance, by what stands in all of some columns of whole
// numbers.
// [[Rcpp::export]]
List core_told_apart(List columns, double rows) {
  const auto n = static_cast<std::size_t>(rows);
  ledger::ToldApart told(n);
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    if ((TYPEOF(column) != INTSXP && TYPEOF(column) != LGLSXP) ||
        static_cast<std::size_t>(Rf_xlength(column)) != n)
      stop("columns must hold whole numbers, one for each row");
    told.by(TYPEOF(column) == INTSXP ? INTEGER(column) : LOGICAL(column));
    checkUserInterrupt();
  }
  IntegerVector number(no_init(static_cast<R_xlen_t>(n)));
  for (std::size_t i = 0; i < n; ++i) number[static_cast<R_xlen_t>(i)] = told.numbers()[i] + 1;
  const auto kinds = told.first().size();
  IntegerVector first(no_init(static_cast<R_xlen_t>(kinds)));
  for (std::size_t k = 0; k < kinds; ++k)
    first[static_cast<R_xlen_t>(k)] = static_cast<int>(told.first()[k]) + 1;
  return List::create(_["number"] = number, _["first"] = first,
                      _["count"] = static_cast<int>(kinds));
}

// Ranks of values within groups; `at` are their places (from 1) in order of group and value.
// [[Rcpp::export]]
NumericVector core_ranks(IntegerVector at, NumericVector values, NumericVector groups,
                         std::string ties) {
  const R_xlen_t n = at.size();
  if (values.size() != n || groups.size() != n) stop("ranks of columns of unlike length");
  std::vector<std::int32_t> places(static_cast<std::size_t>(n));
  for (R_xlen_t i = 0; i < n; ++i) {
    if (at[i] < 1 || at[i] > n) stop("a place beyond the values");
    places[static_cast<std::size_t>(i)] = at[i] - 1;
  }
  const ledger::Ties how = ties == "dense"   ? ledger::Ties::dense
                           : ties == "order" ? ledger::Ties::order
                                             : ledger::Ties::share;
  NumericVector ranks(n);
  ledger::rank_within(places.data(), places.size(), values.begin(), groups.begin(), how, NA_REAL,
                      ranks.begin());
  return ranks;
}

// How much members move beyond an alike change where days are dealt anew: a figure for each deal.
// Members and days count from 1; `deals` has a row for each day.
// [[Rcpp::export]]
NumericVector core_moved_by_deals(IntegerVector member, IntegerVector day, NumericVector value,
                                  int members, LogicalMatrix deals, double alike, int threads) {
  if (day.size() != member.size() || value.size() != member.size())
    stop("cells of unequal length");
  const auto n = static_cast<std::size_t>(member.size());
  std::vector<std::int32_t> groups(n);
  for (R_xlen_t i = 0; i < day.size(); ++i) {
    if (day[i] < 1 || day[i] > deals.nrow()) stop("no such day");
    if (member[i] < 1 || member[i] > members) stop("no such member");
    groups[static_cast<std::size_t>(i)] = member[i] - 1;
  }
  const ledger::DealtCells cells = ledger::in_order_of_members(
      groups.data(), REAL(value), n, static_cast<std::size_t>(members),
      [&](std::size_t i) { return day[static_cast<R_xlen_t>(i)] - 1; });
  const ledger::Deals dealt{LOGICAL(deals), static_cast<std::size_t>(deals.nrow()),
                            static_cast<std::size_t>(deals.ncol())};
  return wrap(ledger::moved_by_deals(cells, dealt, alike, glue::host(threads)));
}

// Sums of figures by group, each from 1.
// [[Rcpp::export]]
NumericVector core_sums_by_group(NumericVector figures, IntegerVector group, int groups) {
  if (figures.size() != group.size()) stop("figures and groups of unequal length");
  NumericVector out(groups);
  for (R_xlen_t i = 0; i < group.size(); ++i) {
    if (group[i] < 1 || group[i] > groups) stop("no such group");
    out[group[i] - 1] += figures[i];
  }
  return out;
}

// First and last day of each group, both numbered from 1; missing where it has none.
// [[Rcpp::export]]
List core_ends_of_groups(IntegerVector group, IntegerVector day, int groups) {
  if (day.size() != group.size()) stop("days and groups of unequal length");
  IntegerVector first(groups, NA_INTEGER), last(groups, NA_INTEGER);
  for (R_xlen_t i = 0; i < group.size(); ++i) {
    if (group[i] < 1 || group[i] > groups) stop("no such group");
    int& from = first[group[i] - 1];
    int& to = last[group[i] - 1];
    if (from == NA_INTEGER || day[i] < from) from = day[i];
    if (to == NA_INTEGER || day[i] > to) to = day[i];
  }
  return List::create(_["first"] = first, _["last"] = last);
}
