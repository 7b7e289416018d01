#include <Rcpp.h>

#include <algorithm>
#include <string>
#include <thread>

#include "core/encode.h"
#include "core/number-members.h"
#include "core/order.h"
#include "glue.h"

using namespace Rcpp;

namespace glue {

ledger::Column column_view(const List& column, std::size_t entries) {
  struct Known {
    const char* name;
    ledger::Kind kind;
    SEXPTYPE type;
    R_xlen_t width;
  };
  static const Known kKnown[] = {
      {"code8", ledger::Kind::code8, RAWSXP, 1},   {"code16", ledger::Kind::code16, RAWSXP, 2},
      {"code32", ledger::Kind::code32, INTSXP, 1}, {"exact32", ledger::Kind::exact32, INTSXP, 1},
      {"day", ledger::Kind::exact32, INTSXP, 1},   {"exact64", ledger::Kind::exact64, REALSXP, 1},
      {"real", ledger::Kind::real, REALSXP, 1}};
  const std::string kind = column["kind"];
  const auto known = std::find_if(std::begin(kKnown), std::end(kKnown),
                                  [&](const Known& k) { return kind == k.name; });
  if (known == std::end(kKnown)) stop("unknown kind of column: %s", kind);
  SEXP data = column["data"];
  if (TYPEOF(data) != static_cast<int>(known->type))
    stop("the data of a %s column have another type", kind);
  if (entries != kAnyLength && Rf_xlength(data) != static_cast<R_xlen_t>(entries) * known->width) {
    stop("a column has another length than the entries");
  }
  ledger::Column view;
  view.kind = known->kind;
  view.data = known->type == RAWSXP   ? static_cast<const void*>(RAW(data))
              : known->type == INTSXP ? static_cast<const void*>(INTEGER(data))
                                      : static_cast<const void*>(REAL(data));
  if (column.containsElementNamed("decimals")) view.decimals = column["decimals"];
  if (view.decimals < 0 || view.decimals > ledger::kMostDecimals)
    stop("a column has too many decimals");
  if (column.containsElementNamed("has_missing")) view.has_missing = column["has_missing"];
  return view;
}

}  // namespace glue

namespace {

// Holds on to the days, which the sorter reads.
struct KeptSorter {
  IntegerVector days;
  ledger::DaySorter sorter;
  KeptSorter(IntegerVector d, const ledger::Host& host)
      : days(d), sorter(INTEGER(d), static_cast<std::size_t>(d.size()), host) {}
};

const ledger::DaySorter& sorter_view(SEXP sorter) { return XPtr<KeptSorter>(sorter)->sorter; }

}  // namespace

// [[Rcpp::export]]
List core_survey_days(IntegerVector days, int limit) {
  const ledger::DaySurvey survey =
      ledger::survey_days(INTEGER(days), static_cast<std::size_t>(days.size()), limit);
  return List::create(_["oldest"] = survey.oldest, _["newest"] = survey.newest,
                      _["newest_by_limit"] = survey.newest_by_limit,
                      _["missing"] = static_cast<double>(survey.missing));
}

// [[Rcpp::export]]
List core_sort_by_day(IntegerVector days, int threads) {
  auto kept = std::make_unique<KeptSorter>(days, glue::host(threads));
  const ledger::DaySorter& sorter = kept->sorter;
  const List facts =
      List::create(_["first"] = sorter.first(),
                   _["offsets"] = IntegerVector(sorter.offsets().begin(), sorter.offsets().end()),
                   _["used"] = static_cast<double>(sorter.used()),
                   _["sorter"] = XPtr<KeptSorter>(kept.release(), true));
  return facts;
}

// Positions, from 1, of the ledger's entries in their source.
// [[Rcpp::export]]
IntegerVector core_source_rows(SEXP sorter, int threads) {
  const ledger::DaySorter& by = sorter_view(sorter);
  IntegerVector out(no_init(static_cast<R_xlen_t>(by.used())));
  by.put(
      INTEGER(out), [](std::size_t i) { return static_cast<std::int32_t>(i) + 1; },
      glue::host(threads));
  return out;
}

// [[Rcpp::export]]
List core_encode_text(CharacterVector text, int threads) {
  const auto n = static_cast<std::size_t>(text.size());
  IntegerVector codes(no_init(text.size()));
  const auto* items = reinterpret_cast<const void* const*>(STRING_PTR_RO(text));
  const auto seen = ledger::encode_pointers(items, n, INTEGER(codes), glue::host(threads));
  CharacterVector members(static_cast<R_xlen_t>(seen.size()));
  for (std::size_t m = 0; m < seen.size(); ++m) {
    SET_STRING_ELT(members, static_cast<R_xlen_t>(m),
                   static_cast<SEXP>(const_cast<void*>(seen[m])));
  }
  return List::create(_["codes"] = codes, _["members"] = members);
}

// An index of texts, which must stay the members of a column as long as it is used.
// [[Rcpp::export]]
SEXP core_text_index(CharacterVector members) {
  auto index = std::make_unique<ledger::PointerCodes>();
  const SEXP* items = STRING_PTR_RO(members);
  for (R_xlen_t i = 0; i < members.size(); ++i) index->code(items[i]);
  return XPtr<ledger::PointerCodes>(index.release(), true);
}

// Places, from 1, of texts in such an index; missing for those that are not in it.
// [[Rcpp::export]]
IntegerVector core_find_text(SEXP index, CharacterVector text) {
  const XPtr<ledger::PointerCodes> known(index);
  IntegerVector out(no_init(text.size()));
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    const std::int32_t at = known->known(items[i]);
    out[i] = at < 0 ? NA_INTEGER : at + 1;
  }
  return out;
}

// [[Rcpp::export]]
RObject core_put_codes(IntegerVector codes, SEXP sorter, int width, int threads) {
  const ledger::DaySorter& by = sorter_view(sorter);
  const auto count = static_cast<R_xlen_t>(by.used());
  const ledger::Host host = glue::host(threads);
  const std::int32_t* from = INTEGER(codes);
  if (width == 4) {
    IntegerVector out(no_init(count));
    by.put(
        INTEGER(out), [from](std::size_t i) { return from[i]; }, host);
    return out;
  }
  RawVector out(no_init(count * width));
  if (width == 1) {
    by.put(
        RAW(out), [from](std::size_t i) { return static_cast<std::uint8_t>(from[i]); }, host);
  } else {
    by.put(
        reinterpret_cast<std::uint16_t*>(RAW(out)),
        [from](std::size_t i) { return static_cast<std::uint16_t>(from[i]); }, host);
  }
  return out;
}

// [[Rcpp::export]]
List core_amount_scale(NumericVector amounts) {
  const ledger::AmountScale scale =
      ledger::amount_scale(REAL(amounts), static_cast<std::size_t>(amounts.size()));
  return List::create(_["exact"] = scale.exact, _["decimals"] = scale.decimals,
                      _["fits32"] = scale.fits32, _["has_missing"] = scale.has_missing,
                      _["sum_of_sizes"] = scale.sum_of_sizes);
}

// [[Rcpp::export]]
bool core_any_infinite(NumericVector amounts) {
  return ledger::any_infinite(REAL(amounts), static_cast<std::size_t>(amounts.size()));
}

// [[Rcpp::export]]
RObject core_put_amounts(NumericVector amounts, SEXP sorter, std::string kind, int decimals,
                         int threads) {
  const ledger::DaySorter& by = sorter_view(sorter);
  const auto count = static_cast<R_xlen_t>(by.used());
  const ledger::Host host = glue::host(threads);
  const double power = ledger::power_of_ten(decimals);
  const double* from = REAL(amounts);
  if (kind == "exact32") {
    IntegerVector out(no_init(count));
    by.put(
        INTEGER(out), [=](std::size_t i) { return ledger::scaled32(from[i], power); }, host);
    return out;
  }
  NumericVector out(no_init(count));
  if (kind == "exact64") {
    by.put(
        glue::bits64(out), [=](std::size_t i) { return ledger::scaled64(from[i], power); }, host);
  } else {
    by.put(
        REAL(out), [from](std::size_t i) { return from[i]; }, host);
  }
  return out;
}

// For whole numbers of 64 bits that arrive in the bits of doubles.
// [[Rcpp::export]]
NumericVector core_put_bits(NumericVector bits, SEXP sorter, int threads) {
  const ledger::DaySorter& by = sorter_view(sorter);
  NumericVector out(no_init(static_cast<R_xlen_t>(by.used())));
  const std::int64_t* from = glue::bits64(bits);
  by.put(
      glue::bits64(out), [from](std::size_t i) { return from[i]; }, glue::host(threads));
  return out;
}

// Whole numbers of 64 bits, in the bits of doubles, as digits; missing where they are missing.
// [[Rcpp::export]]
CharacterVector core_whole_text(NumericVector bits) {
  const std::int64_t* from = glue::bits64(bits);
  CharacterVector out(bits.size());
  for (R_xlen_t i = 0; i < bits.size(); ++i) {
    if (ledger::is_missing(from[i])) out[i] = NA_STRING;
    else out[i] = std::to_string(from[i]);
  }
  return out;
}

// The whole numbers behind a column of exact amounts, in the bits of doubles.
// [[Rcpp::export]]
NumericVector core_bits_back(List column) {
  const ledger::Column view = glue::column_view(column);
  const R_xlen_t n = Rf_xlength(column["data"]);
  NumericVector out(no_init(n));
  std::int64_t* to = glue::bits64(out);
  for (R_xlen_t i = 0; i < n; ++i)
    to[i] = ledger::whole_amount_at(view, static_cast<std::size_t>(i));
  return out;
}

// [[Rcpp::export]]
NumericVector core_amounts_back(List column) {
  const ledger::Column view = glue::column_view(column);
  const R_xlen_t n = Rf_xlength(column["data"]);
  NumericVector out(no_init(n));
  ledger::amounts_back(view, static_cast<std::size_t>(n), REAL(out));
  return out;
}

// Member numbers of a code column, one per entry.
// [[Rcpp::export]]
IntegerVector core_codes_back(List column) {
  const ledger::Column view = glue::column_view(column);
  const int width = view.kind == ledger::Kind::code8    ? 1
                    : view.kind == ledger::Kind::code16 ? 2
                                                        : 4;
  const R_xlen_t n = TYPEOF(SEXP(column["data"])) == RAWSXP ? Rf_xlength(column["data"]) / width
                                                            : Rf_xlength(column["data"]);
  IntegerVector out(no_init(n));
  for (R_xlen_t i = 0; i < n; ++i) out[i] = ledger::member_at(view, static_cast<std::size_t>(i));
  return out;
}

// The distinct values of a column of numbers, in order, and the place of each entry's from 0. What
// is missing comes after all others.
// [[Rcpp::export]]
List core_number_members(List column) {
  const ledger::Column view = glue::column_view(column);
  const R_xlen_t n = Rf_xlength(column["data"]);
  IntegerVector codes(no_init(n));
  return ledger::with_data(view, [&](const auto* data) {
    const ledger::NumberMembers members(data, static_cast<std::size_t>(n), INTEGER(codes));
    NumericVector values(no_init(static_cast<R_xlen_t>(members.values.size())));
    for (std::size_t k = 0; k < members.values.size(); ++k) {
      const auto value = static_cast<double>(members.values[k]);
      values[static_cast<R_xlen_t>(k)] =
          view.kind == ledger::Kind::real ? value : value / ledger::power_of_ten(view.decimals);
    }
    return List::create(_["values"] = values, _["codes"] = codes,
                        _["has_missing"] = members.has_missing);
  });
}

// Positions of the entries that may hold what another holds in all of some columns.
// [[Rcpp::export]]
IntegerVector core_maybe_twice(List columns, double entries) {
  const auto n = static_cast<std::size_t>(entries);
  ledger::RowsMaybeTwice rows(n);
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const ledger::Column view = glue::column_view(columns[k], n);
    ledger::with_data(view, [&](const auto* data) { rows.by(data); });
    checkUserInterrupt();
  }
  const auto found = rows.rows();
  IntegerVector out(no_init(static_cast<R_xlen_t>(found.size())));
  for (std::size_t i = 0; i < found.size(); ++i)
    out[static_cast<R_xlen_t>(i)] = static_cast<int>(found[i]) + 1;
  return out;
}

// [[Rcpp::export]]
double core_sum_of_sizes(NumericVector bits) {
  return ledger::sum_of_sizes(glue::bits64(bits), static_cast<std::size_t>(bits.size()));
}

// [[Rcpp::export]]
int core_processors() {
  const unsigned processors = std::thread::hardware_concurrency();
  return processors == 0 ? 1 : static_cast<int>(processors);
}

// Amounts that are not exact, told apart by 15 digits.
// [[Rcpp::export]]
NumericVector core_rounded_to_15(NumericVector values) {
  NumericVector out(no_init(values.size()));
  std::transform(values.begin(), values.end(), out.begin(), ledger::rounded_to_15);
  return out;
}
