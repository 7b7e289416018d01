// Shared by the glue: the host's thread count and interrupts, and views of R's vectors.
#pragma once
#include <Rcpp.h>

#include <initializer_list>
#include <memory>
#include <utility>

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

// A list of named values, for long ones: List::create() makes code of its own for each length.
inline Rcpp::List named_list(
    std::initializer_list<std::pair<const char*, Rcpp::RObject>> parts) {
  Rcpp::List out(static_cast<R_xlen_t>(parts.size()));
  Rcpp::CharacterVector names(static_cast<R_xlen_t>(parts.size()));
  R_xlen_t i = 0;
  for (const auto& part : parts) {
    out[i] = part.second;
    names[i++] = part.first;
  }
  out.names() = names;
  return out;
}

// 64-bit whole numbers travel in the bits of R's doubles, as R has no such type.
inline std::int64_t* bits64(Rcpp::NumericVector& x) {
  return reinterpret_cast<std::int64_t*>(REAL(x));
}

// A column as kept by a ledger: list(kind, data, decimals, has_missing, ...). Its data must have
// the type of its kind and, unless `entries` is kAnyLength, as many values.
constexpr std::size_t kAnyLength = static_cast<std::size_t>(-1);
ledger::Column column_view(const Rcpp::List& column, std::size_t entries = kAnyLength);

// What a cube or a list is asked for.
ledger::CubeRequest request_view(const Rcpp::List& request);

// The groups of entries, kept by R. The views of columns inside are read while cubes are built.
struct BuiltGroups {
  std::shared_ptr<const ledger::Groups> groups;
};

const std::shared_ptr<const ledger::Groups>& groups_view(SEXP groups, std::size_t entries);

// Figures of groups that a cube does not have would be read from outside it.
inline void check_groups(const Rcpp::IntegerVector& group, int count) {
  for (const int g : group) {
    if (g < 0 || g >= count) Rcpp::stop("no such group");
  }
}

inline ledger::Windows windows_view(Rcpp::IntegerVector& group, Rcpp::IntegerVector& from,
                                    Rcpp::IntegerVector& to) {
  if (from.size() != group.size() || to.size() != group.size())
    Rcpp::stop("windows of unequal length");
  return {INTEGER(group), INTEGER(from), INTEGER(to), static_cast<std::size_t>(group.size())};
}

}  // namespace glue
