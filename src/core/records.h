// The records of a file of separated fields, counted without reading them into columns: whether
// each has as many fields as the first, so that no line can be lost by whoever reads the columns
// (RFC 4180).
#pragma once
#include <cstddef>
#include <cstdint>

namespace ledger {

class RecordSurvey {
 public:
  explicit RecordSurvey(char separator) : separator_(separator) {}

  void add(const char* bytes, std::size_t n) {
    for (std::size_t i = 0; i < n; ++i) step(bytes[i]);
  }

  // After the last byte.
  void finish() {
    if (place_ == Place::quoted) loose_ = true;
    if (started_) end_record();
  }

  std::int64_t records() const { return records_; }  // with the first, without blank lines
  std::int64_t fields() const { return fields_; }    // of the first record
  std::int64_t odd_line() const {
    return odd_line_;
  }  // the first line with another count of fields; 0 for none
  std::int64_t odd_fields() const { return odd_fields_; }
  std::int64_t nul_line() const {
    return nul_line_;
  }                                      // the first line with a zero byte; 0 for none
  bool loose() const { return loose_; }  // quotes that are not closed, or closed within a field

 private:
  enum class Place { field_start, plain, quoted, quote_in_quoted };

  char separator_;
  Place place_ = Place::field_start;
  bool started_ = false, loose_ = false;
  std::int64_t line_ = 1, record_line_ = 1, count_ = 1, records_ = 0, fields_ = 0, odd_line_ = 0,
               odd_fields_ = 0, nul_line_ = 0;

  void step(char c) {
    if (c == '\0' && nul_line_ == 0) nul_line_ = line_;
    if (place_ == Place::quoted) {
      if (c == '"') place_ = Place::quote_in_quoted;
      if (c == '\n') ++line_;
      return;
    }
    if (place_ == Place::quote_in_quoted) {
      if (c == '"') {
        place_ = Place::quoted;
        return;
      }
      if (c != separator_ && c != '\n' && c != '\r') loose_ = true;
      place_ = Place::plain;
    }
    if (c == '\n') {
      if (started_) end_record();
      ++line_;
      record_line_ = line_;
      return;
    }
    if (c == '\r') return;
    started_ = true;
    if (c == separator_) {
      ++count_;
      place_ = Place::field_start;
    } else if (c == '"' && place_ == Place::field_start) {
      place_ = Place::quoted;
    } else {
      place_ = Place::plain;
    }
  }

  void end_record() {
    ++records_;
    if (records_ == 1) fields_ = count_;
    else if (count_ != fields_ && odd_line_ == 0) {
      odd_line_ = record_line_;
      odd_fields_ = count_;
    }
    started_ = false;
    count_ = 1;
    place_ = Place::field_start;
  }
};

}  // namespace ledger
