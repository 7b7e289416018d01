#include <Rcpp.h>

#include "core/file-identity.h"
#include "core/whole-file.h"

// "" or what is wrong.
// [[Rcpp::export]]
std::string core_sync_path(std::string path) { return ledger::sync_path(path.c_str()); }

// "done", "taken" or "failed".
// [[Rcpp::export]]
std::string core_move_to_free_name(std::string from, std::string to) {
  switch (ledger::move_to_free_name(from.c_str(), to.c_str())) {
    case ledger::Moved::done: return "done";
    case ledger::Moved::taken: return "taken";
    default: return "failed";
  }
}

// [[Rcpp::export]]
bool core_exchange_paths(std::string a, std::string b) {
  return ledger::exchange_paths(a.c_str(), b.c_str());
}

// [[Rcpp::export]]
bool core_add_leftover(std::string path) { return ledger::Leftovers::add(path); }

// [[Rcpp::export]]
void core_forget_leftover(std::string path) { ledger::Leftovers::forget(path); }

// [[Rcpp::export]]
void core_catch_ending_signals() { ledger::Leftovers::catch_signals(); }

// The signal that asked the process to end, or 0.
// [[Rcpp::export]]
int core_signal_asked() { return static_cast<int>(ledger::Leftovers::asked()); }

// "whole", "closed" or "broken".
// [[Rcpp::export]]
std::string core_flush_output() {
  switch (ledger::flush_output()) {
    case ledger::Output::whole: return "whole";
    case ledger::Output::closed: return "closed";
    default: return "broken";
  }
}

// list(which, state), a text for each path.
// [[Rcpp::export]]
Rcpp::List core_file_identities(Rcpp::CharacterVector paths) {
  const R_xlen_t n = paths.size();
  Rcpp::CharacterVector which(n), state(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const ledger::FileIdentity found = ledger::file_identity(paths[i]);
    which[i] = found.which;
    state[i] = found.state;
  }
  return Rcpp::List::create(Rcpp::Named("which") = which, Rcpp::Named("state") = state);
}

// Whether a process is there, of whatever user.
// [[Rcpp::export]]
bool core_process_runs(int process) { return ledger::process_runs(process); }
