#include <Rcpp.h>

#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>

#include "core/column.h"
#include "glue.h"

using namespace Rcpp;

// Whole numbers that an engine sent, in the bits of doubles.
// [[Rcpp::export]]
NumericVector core_bits_of_numbers(NumericVector values) {
  NumericVector out(no_init(values.size()));
  std::int64_t* to = glue::bits64(out);
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    const double v = values[i];
    if (ISNAN(v)) {
      to[i] = ledger::kNoAmount64;
      continue;
    }
    if (v != std::trunc(v) || std::fabs(v) >= 9007199254740992.0)
      stop("a sum that must be whole is %s", std::to_string(v));
    to[i] = static_cast<std::int64_t>(v);
  }
  return out;
}

// The same of their digits. What 64 bits cannot hold is an error, never another number.
// [[Rcpp::export]]
NumericVector core_bits_of_text(CharacterVector texts) {
  NumericVector out(no_init(texts.size()));
  std::int64_t* to = glue::bits64(out);
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    if (texts[i] == NA_STRING) {
      to[i] = ledger::kNoAmount64;
      continue;
    }
    const char* text = CHAR(STRING_ELT(texts, i));
    char* end = nullptr;
    errno = 0;
    const long long value = std::strtoll(text, &end, 10);
    if (errno == ERANGE) stop("a sum is too large to be held: %s", text);
    if (end == text || *end != '\0') stop("a sum that must be whole is %s", text);
    to[i] = value;
  }
  return out;
}

// While an engine works in C, an interruption is told to its connection, by the function for it in
// the driver's table (the ADBC standard, version 1.1: the 37th after the driver's own three).
namespace {

#ifndef _WIN32
struct AdbcConnection {
  void* own;
  void** driver;
};
using Cancel = unsigned char (*)(AdbcConnection*, void*);
constexpr int kCancel = 39;

volatile std::sig_atomic_t interrupted = 0;
AdbcConnection* watched = nullptr;
struct sigaction before;

extern "C" void tell_engine(int) {
  interrupted = 1;
  static char error[256];
  if (watched != nullptr)
    reinterpret_cast<Cancel>(watched->driver[kCancel])(watched, error);
}
#endif

}  // namespace

// [[Rcpp::export]]
bool core_watch_signal(SEXP connection) {
#ifndef _WIN32
  if (TYPEOF(connection) != EXTPTRSXP || watched != nullptr) return false;
  auto* of = static_cast<AdbcConnection*>(R_ExternalPtrAddr(connection));
  if (of == nullptr || of->driver == nullptr || of->driver[kCancel] == nullptr) return false;
  interrupted = 0;
  watched = of;
  struct sigaction ours;
  std::memset(&ours, 0, sizeof ours);
  ours.sa_handler = tell_engine;
  sigemptyset(&ours.sa_mask);
  ours.sa_flags = SA_RESTART;
  sigaction(SIGINT, &ours, &before);
  return true;
#else
  return false;
#endif
}

// Whether there was an interruption since.
// [[Rcpp::export]]
bool core_unwatch_signal(bool watching) {
#ifndef _WIN32
  if (!watching || watched == nullptr) return false;
  sigaction(SIGINT, &before, nullptr);
  watched = nullptr;
  return interrupted != 0;
#else
  return false;
#endif
}
