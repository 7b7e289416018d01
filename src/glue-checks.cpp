#include <Rcpp.h>

#include <cstdio>

#include "core/day-checks.h"
#include "glue.h"

using namespace Rcpp;

// list(count, check): by day, from 0, what the rows of columns come to. Columns are texts in UTF-8,
// numbers or flags; checks are texts of 16 hexadecimal digits.
// [[Rcpp::export]]
List core_day_checks(List columns, IntegerVector day, int days) {
  ledger::DayChecks checks(static_cast<std::size_t>(day.size()));
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    checkUserInterrupt();
    SEXP column = columns[c];
    const R_xlen_t n = Rf_xlength(column);
    if (n != day.size()) stop("a column has another length than the days");
    for (R_xlen_t i = 0; i < n; ++i) {
      std::uint64_t value = ledger::missing_check;
      switch (TYPEOF(column)) {
        case STRSXP: {
          SEXP text = STRING_ELT(column, i);
          if (text != NA_STRING)
            value = ledger::bytes_check(CHAR(text), static_cast<std::size_t>(LENGTH(text)));
          break;
        }
        case INTSXP:
          if (INTEGER(column)[i] != NA_INTEGER) value = ledger::number_check(INTEGER(column)[i]);
          break;
        case LGLSXP:
          if (LOGICAL(column)[i] != NA_LOGICAL) value = ledger::number_check(LOGICAL(column)[i]);
          break;
        case REALSXP:
          if (!ISNAN(REAL(column)[i])) value = ledger::number_check(REAL(column)[i]);
          break;
        default: stop("a column of this kind has no check");
      }
      checks.add(static_cast<std::size_t>(i), value);
    }
  }
  const auto found = checks.by_day(INTEGER(day), static_cast<std::size_t>(days));
  NumericVector count(days);
  CharacterVector check(days);
  char text[17];
  for (int i = 0; i < days; ++i) {
    count[i] = static_cast<double>(found.count[static_cast<std::size_t>(i)]);
    std::snprintf(text, sizeof text, "%016llx",
                  static_cast<unsigned long long>(found.check[static_cast<std::size_t>(i)]));
    check[i] = text;
  }
  return List::create(_["count"] = count, _["check"] = check);
}
