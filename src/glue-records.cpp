#include <Rcpp.h>

#include <fstream>
#include <vector>

#ifndef _WIN32
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#endif

#include "core/records.h"
#include "core/sheet-cells.h"
#include "glue.h"

using namespace Rcpp;

namespace {

// The bytes of a file, without a copy of them where the system can.
class FileBytes {
 public:
  explicit FileBytes(const std::string& path) {
#ifndef _WIN32
    const int file = open(path.c_str(), O_RDONLY);
    if (file < 0) stop("the file cannot be opened");
    struct stat about;
    if (fstat(file, &about) == 0 && about.st_size > 0) {
      size_ = static_cast<std::size_t>(about.st_size);
      void* mapped = mmap(nullptr, size_, PROT_READ, MAP_PRIVATE, file, 0);
      if (mapped == MAP_FAILED) {
        close(file);
        stop("the file cannot be read");
      }
      bytes_ = static_cast<const char*>(mapped);
    }
    close(file);
#else
    std::ifstream file(path, std::ios::binary);
    if (!file) stop("the file cannot be opened");
    held_.assign(std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>());
    bytes_ = held_.data();
    size_ = held_.size();
#endif
  }
  ~FileBytes() {
#ifndef _WIN32
    if (bytes_ != nullptr) munmap(const_cast<char*>(bytes_), size_);
#endif
  }
  FileBytes(const FileBytes&) = delete;
  FileBytes& operator=(const FileBytes&) = delete;

  const char* data() const { return bytes_ == nullptr ? "" : bytes_; }
  std::size_t size() const { return size_; }

 private:
  const char* bytes_ = nullptr;
  std::size_t size_ = 0;
#ifdef _WIN32
  std::vector<char> held_;
#endif
};

CharacterVector fields_vector(const std::vector<std::string>& fields) {
  CharacterVector out(static_cast<R_xlen_t>(fields.size()));
  for (std::size_t i = 0; i < fields.size(); ++i)
    out[static_cast<R_xlen_t>(i)] =
        Rf_mkCharLenCE(fields[i].data(), static_cast<int>(fields[i].size()), CE_UTF8);
  return out;
}

// list(line, from, to, fields, text)
List records_list(const FileBytes& file, const std::vector<ledger::Record>& records,
                  char separator) {
  const auto n = static_cast<R_xlen_t>(records.size());
  NumericVector line(n), from(n), to(n), fields(n);
  List text(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    const ledger::Record& one = records[static_cast<std::size_t>(i)];
    line[i] = static_cast<double>(one.line);
    from[i] = static_cast<double>(one.from);
    to[i] = static_cast<double>(one.to);
    fields[i] = static_cast<double>(one.fields);
    text[i] = fields_vector(ledger::record_fields(file.data(), one, separator));
  }
  return glue::named_list({
      {"line", wrap(line)}, {"from", wrap(from)}, {"to", wrap(to)}, {"fields", wrap(fields)},
      {"text", wrap(text)}});
}

}  // namespace

// Whether a file is text: list(nul_line, plain, valid, bad_line).
// [[Rcpp::export]]
List core_survey_bytes(std::string path) {
  const FileBytes file(path);
  const ledger::Utf8Check utf8 = ledger::check_utf8(file.data(), file.size());
  return glue::named_list({
     
      {"nul_line", wrap(static_cast<double>(ledger::line_of_zero_byte(file.data(), file.size())))},
      {"plain", wrap(utf8.plain)}, {"valid", wrap(utf8.valid)},
      {"bad_line", wrap(static_cast<double>(utf8.bad_line))}});
}

// The first records of a file, by a separator.
// [[Rcpp::export]]
List core_first_records(std::string path, std::string separator, int most, double from) {
  const FileBytes file(path);
  ledger::RecordWalk walk(file.data(), file.size(), separator.at(0),
                          static_cast<std::size_t>(from));
  std::vector<ledger::Record> records;
  ledger::Record record;
  while (static_cast<int>(records.size()) < most && walk.next(record)) records.push_back(record);
  List out = records_list(file, records, separator.at(0));
  out["loose"] = walk.loose();
  return out;
}

// All records of a file from its header on, which begins at a byte and a line; rows have so many
// fields.
// [[Rcpp::export]]
List core_survey_records(std::string path, std::string separator, double from, double line,
                         int fields, int threads) {
  const FileBytes file(path);
  const char sep = separator.at(0);
  const ledger::RecordSurvey survey = ledger::survey_records(
      file.data(), file.size(), sep, static_cast<std::size_t>(from),
      static_cast<std::int64_t>(line), fields, glue::host(threads));
  return glue::named_list({
      {"records", wrap(static_cast<double>(survey.records))},
      {"odd", wrap(static_cast<double>(survey.odd))},
      {"odd_ones", wrap(records_list(file, survey.odd_ones, sep))},
      {"last", wrap(records_list(file, survey.last, sep))},
      {"like_header", wrap(records_list(file, survey.like_header, sep))},
      {"loose", wrap(survey.loose)},
      {"loose_line", wrap(static_cast<double>(survey.loose_line))},
      {"has_breaks", wrap(survey.has_breaks)}, {"has_quotes", wrap(survey.has_quotes)},
      {"has_blanks", wrap(survey.has_blanks)},
      {"zero_first", wrap(ledger::may_begin_with_zero(file.data(), file.size(), sep))},
      {"lines", wrap(static_cast<double>(survey.lines))}});
}

// The line on which each record after the header begins.
// [[Rcpp::export]]
IntegerVector core_record_lines(std::string path, std::string separator, double from, double line,
                                double records) {
  const FileBytes file(path);
  ledger::RecordWalk walk(file.data(), file.size(), separator.at(0),
                          static_cast<std::size_t>(from), static_cast<std::int64_t>(line));
  ledger::Record record;
  walk.next(record);
  IntegerVector out(static_cast<R_xlen_t>(records));
  R_xlen_t n = 0;
  while (n < out.size() && walk.next(record)) out[n++] = static_cast<int>(record.line);
  return out;
}

// Copies a file from a byte on, without stretches of it (in order); a stretch that is a whole line
// goes with its end.
// [[Rcpp::export]]
double core_copy_without(std::string path, std::string to, double from, NumericVector starts,
                         NumericVector ends, LogicalVector whole) {
  const FileBytes file(path);
  std::ofstream out(to, std::ios::binary);
  double written = 0;
  const auto put = [&](std::size_t a, std::size_t b) {
    if (b > a) out.write(file.data() + a, static_cast<std::streamsize>(b - a));
    written += b > a ? static_cast<double>(b - a) : 0;
  };
  auto at = static_cast<std::size_t>(from);
  for (R_xlen_t i = 0; i < starts.size(); ++i) {
    put(at, static_cast<std::size_t>(starts[i]));
    at = static_cast<std::size_t>(ends[i]);
    if (!whole[i]) continue;
    while (at < file.size() && file.data()[at] == '\r') ++at;
    if (at < file.size() && file.data()[at] == '\n') ++at;
  }
  put(at, file.size());
  out.close();
  return out ? written : -1;
}

// What the cells of a sheet are, from the bytes of its part of a workbook; NULL where it has none.
// [[Rcpp::export]]
RObject core_survey_cells(RawVector bytes) {
  const ledger::SheetCells cells(reinterpret_cast<const char*>(RAW(bytes)),
                                 static_cast<std::size_t>(bytes.size()));
  if (!cells.found) return R_NilValue;
  LogicalVector no_text(cells.holds_no_text.begin(), cells.holds_no_text.end());
  return List::create(_["has_formulas"] = cells.has_formulas, _["holds_no_text"] = no_text);
}
