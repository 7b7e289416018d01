// Shared by the glue: the host's thread count and interrupts, and views of R's vectors.
#pragma once
#include <Rcpp.h>

#include "core/block.h"
#include "core/column.h"
#include "core/host.h"
#include "core/windows.h"

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

// What a cube or a list is asked for, and the groups of its entries.
ledger::CubeRequest request_view(const Rcpp::List& request);
std::unique_ptr<ledger::Groups> groups_view(const Rcpp::List& keys, std::size_t entries, const ledger::Host& host);

// Figures of groups that a cube does not have would be read from outside it.
inline void check_groups(const Rcpp::IntegerVector& group, int count) {
  for (const int g : group) {
    if (g < 0 || g >= count) Rcpp::stop("no such group");
  }
}

inline ledger::Windows windows_view(Rcpp::IntegerVector& group, Rcpp::IntegerVector& from, Rcpp::IntegerVector& to) {
  if (from.size() != group.size() || to.size() != group.size()) Rcpp::stop("windows of unequal length");
  return {INTEGER(group), INTEGER(from), INTEGER(to), static_cast<std::size_t>(group.size())};
}

}  // namespace glue
