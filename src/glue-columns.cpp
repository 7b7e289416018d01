#include <Rcpp.h>

#include "core/encode.h"
#include "core/order.h"
#include "glue.h"

using namespace Rcpp;

namespace glue {

ledger::Column column_view(const List& column) {
  const std::string kind = column["kind"];
  ledger::Column view;
  SEXP data = column["data"];
  if (kind == "code8") view.kind = ledger::Kind::code8;
  else if (kind == "code16") view.kind = ledger::Kind::code16;
  else if (kind == "code32") view.kind = ledger::Kind::code32;
  else if (kind == "exact32" || kind == "day") view.kind = ledger::Kind::exact32;
  else if (kind == "exact64") view.kind = ledger::Kind::exact64;
  else if (kind == "real") view.kind = ledger::Kind::real;
  else stop("unknown kind of column: %s", kind);
  if (TYPEOF(data) == RAWSXP) view.data = RAW(data);
  else if (TYPEOF(data) == INTSXP) view.data = INTEGER(data);
  else view.data = REAL(data);
  if (column.containsElementNamed("decimals")) view.decimals = column["decimals"];
  if (column.containsElementNamed("has_missing")) view.has_missing = column["has_missing"];
  return view;
}

}  // namespace glue

// [[Rcpp::export]]
List core_order_days(IntegerVector days, int threads) {
  const ledger::DayOrder result =
      ledger::order_by_day(INTEGER(days), static_cast<std::size_t>(days.size()), glue::host(threads));
  return List::create(_["first"] = result.first,
                      _["order"] = IntegerVector(result.order.begin(), result.order.end()),
                      _["offsets"] = IntegerVector(result.offsets.begin(), result.offsets.end()),
                      _["as_it_stands"] = result.as_it_stands);
}

// [[Rcpp::export]]
List core_encode_text(CharacterVector text, int threads) {
  const auto n = static_cast<std::size_t>(text.size());
  IntegerVector codes(no_init(text.size()));
  const auto* items = reinterpret_cast<const void* const*>(STRING_PTR_RO(text));
  const auto seen = ledger::encode_pointers(items, n, INTEGER(codes), glue::host(threads));
  CharacterVector members(static_cast<R_xlen_t>(seen.size()));
  for (std::size_t m = 0; m < seen.size(); ++m) {
    SET_STRING_ELT(members, static_cast<R_xlen_t>(m), static_cast<SEXP>(const_cast<void*>(seen[m])));
  }
  return List::create(_["codes"] = codes, _["members"] = members);
}

// [[Rcpp::export]]
RObject core_gather_codes(IntegerVector codes, RObject order, double n, int width, int threads) {
  const std::int32_t* by = glue::order_or_null(order);
  const auto count = static_cast<std::size_t>(n);
  const ledger::Host host = glue::host(threads);
  if (width == 4) {
    IntegerVector out(no_init(static_cast<R_xlen_t>(count)));
    ledger::gather(INTEGER(codes), by, count, INTEGER(out), [](int v) { return v; }, host);
    return out;
  }
  RawVector out(static_cast<R_xlen_t>(count) * width);
  if (width == 1) {
    ledger::gather(INTEGER(codes), by, count, RAW(out), [](int v) { return static_cast<std::uint8_t>(v); }, host);
  } else {
    ledger::gather(INTEGER(codes), by, count, reinterpret_cast<std::uint16_t*>(RAW(out)),
                   [](int v) { return static_cast<std::uint16_t>(v); }, host);
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
RObject core_gather_amounts(NumericVector amounts, RObject order, double n, std::string kind,
                            int decimals, int threads) {
  const std::int32_t* by = glue::order_or_null(order);
  const auto count = static_cast<std::size_t>(n);
  const ledger::Host host = glue::host(threads);
  const double power = ledger::power_of_ten(decimals);
  if (kind == "exact32") {
    IntegerVector out(no_init(static_cast<R_xlen_t>(count)));
    ledger::gather(REAL(amounts), by, count, INTEGER(out), ledger::ScaleTo32{power}, host);
    return out;
  }
  NumericVector out(no_init(static_cast<R_xlen_t>(count)));
  if (kind == "exact64") {
    ledger::gather(REAL(amounts), by, count, glue::bits64(out), ledger::ScaleTo64{power}, host);
  } else {
    ledger::gather(REAL(amounts), by, count, REAL(out), [](double v) { return v; }, host);
  }
  return out;
}

// Also for whole numbers of 64 bits that arrive in the bits of doubles.
// [[Rcpp::export]]
NumericVector core_gather_bits(NumericVector bits, RObject order, double n, int threads) {
  NumericVector out(no_init(static_cast<R_xlen_t>(n)));
  ledger::gather(glue::bits64(bits), glue::order_or_null(order), static_cast<std::size_t>(n),
                 glue::bits64(out), [](std::int64_t v) { return v; }, glue::host(threads));
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

// [[Rcpp::export]]
double core_sum_of_sizes(NumericVector bits) {
  return ledger::sum_of_sizes(glue::bits64(bits), static_cast<std::size_t>(bits.size()));
}
