// Shared by the glue: the host's thread count and interrupts, and views of R's vectors.
#pragma once
#include <Rcpp.h>

#include "core/column.h"
#include "core/host.h"

namespace glue {

inline ledger::Host host(int threads) {
  ledger::Host result;
  result.threads = threads;
  result.poll = [] { Rcpp::checkUserInterrupt(); };
  return result;
}

// 64-bit whole numbers travel in the bits of R's doubles, as R has no such type.
inline std::int64_t* bits64(Rcpp::NumericVector& x) { return reinterpret_cast<std::int64_t*>(REAL(x)); }

// A column as kept by a ledger: list(kind, data, decimals, has_missing, ...).
ledger::Column column_view(const Rcpp::List& column);

}  // namespace glue
