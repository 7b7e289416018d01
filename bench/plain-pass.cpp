// The limit: one pass over the same columns (day, two codes, amount) that only adds them up.
// [[Rcpp::plugins(cpp17)]]
// [[Rcpp::plugins(openmp)]]
#include <Rcpp.h>

// [[Rcpp::export]]
double plain_pass(Rcpp::IntegerVector day, Rcpp::IntegerVector a, Rcpp::IntegerVector b,
                  Rcpp::NumericVector amount, int threads) {
  const int* d = INTEGER(day);
  const int* p = INTEGER(a);
  const int* q = INTEGER(b);
  const double* v = REAL(amount);
  const std::int64_t n = day.size();
  std::int64_t whole = 0;
  double sum = 0;
#pragma omp parallel for num_threads(threads) reduction(+ : whole, sum)
  for (std::int64_t i = 0; i < n; ++i) {
    whole += d[i] + p[i] + q[i];
    sum += v[i];
  }
  return sum + static_cast<double>(whole);
}
