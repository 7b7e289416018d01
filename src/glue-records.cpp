#include <Rcpp.h>

#include <fstream>
#include <vector>

#include "core/records.h"

using namespace Rcpp;

// What the lines of a file are, by its bytes alone: list(records, fields, odd_line, odd_fields,
// nul_line, loose).
// [[Rcpp::export]]
List core_survey_records(std::string path, std::string separator) {
  std::ifstream file(path, std::ios::binary);
  if (!file) stop("the file cannot be opened");
  ledger::RecordSurvey survey(separator.at(0));
  std::vector<char> bytes(1 << 20);
  bool first = true;
  while (file.read(bytes.data(), static_cast<std::streamsize>(bytes.size())) || file.gcount() > 0) {
    const auto n = static_cast<std::size_t>(file.gcount());
    // A byte-order mark is no part of the first field.
    const std::size_t skipped =
        first && n >= 3 && bytes[0] == '\xEF' && bytes[1] == '\xBB' && bytes[2] == '\xBF' ? 3 : 0;
    survey.add(bytes.data() + skipped, n - skipped);
    first = false;
    checkUserInterrupt();
  }
  survey.finish();
  return List::create(_["records"] = static_cast<double>(survey.records()),
                      _["fields"] = static_cast<double>(survey.fields()),
                      _["odd_line"] = static_cast<double>(survey.odd_line()),
                      _["odd_fields"] = static_cast<double>(survey.odd_fields()),
                      _["nul_line"] = static_cast<double>(survey.nul_line()),
                      _["loose"] = survey.loose());
}
