// The records of a file of separated fields (RFC 4180), found by its bytes alone: whether each has
// as many fields as the header, where each begins, and what stands in some of them. Whoever reads
// the columns can then lose none.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include "host.h"

namespace ledger {

struct Record {
  std::int64_t line = 0;  // of the file, from 1
  std::int64_t from = 0;  // bytes, `to` past the last one without the line's end
  std::int64_t to = 0;
  std::int64_t fields = 0;
};

// Walks through records one by one. Blank lines are none.
class RecordWalk {
 public:
  RecordWalk(const char* bytes, std::size_t n, char separator, std::size_t from = 0,
             std::int64_t line = 1)
      : bytes_(bytes), end_(bytes + n), at_(bytes + from), separator_(separator), line_(line) {
    look_for_quote(at_);
  }

  bool next(Record& record) {
    skip_blank_lines();
    if (at_ >= end_) return false;
    record.line = line_;
    record.from = at_ - bytes_;
    const char* stop = line_end(at_);
    if (next_quote_ < stop && next_quote_ == looked_to_) look_for_quote(at_, stop);
    // Without a quote on it, a line is a record.
    if (next_quote_ >= stop) {
      record.fields = 1 + std::count(at_, stop, separator_);
      finish_record(record, stop);
      return true;
    }
    record.fields = 1;
    const char* last = through_quotes(record);
    finish_record(record, last);
    return true;
  }

  bool loose() const { return loose_; }  // quotes that are not closed, or closed within a field
  std::int64_t loose_line() const { return loose_line_; }
  bool has_breaks() const { return has_breaks_; }  // line ends within quotes
  bool has_blanks() const { return has_blanks_; }  // blank lines between or before records
  bool blank_at_end() const { return blank_at_end_; }  // no record follows a blank line
  std::int64_t line() const { return line_; }          // of what comes next
  std::size_t place() const { return static_cast<std::size_t>(at_ - bytes_); }

 private:
  const char* bytes_;
  const char* end_;
  const char* at_;
  const char* next_quote_;  // or how far there is none, which is `looked_to_` then
  const char* looked_to_ = nullptr;
  char separator_;
  std::int64_t line_;
  bool loose_ = false, has_breaks_ = false, has_blanks_ = false, blank_at_end_ = false;
  std::int64_t loose_line_ = 0;

  // The next quote from a byte on, looked for a stretch at a time: the first records of a large
  // file should not take a look at all of it.
  void look_for_quote(const char* p, const char* least = nullptr) {
    constexpr std::ptrdiff_t kStretch = 1 << 20;
    const char* to = least == nullptr ? p : least;
    to = end_ - to > kStretch ? to + kStretch : end_;
    const void* found = p < to ? std::memchr(p, '"', static_cast<std::size_t>(to - p)) : nullptr;
    next_quote_ = found ? static_cast<const char*>(found) : to;
    looked_to_ = found ? nullptr : to;
  }
  const char* line_end(const char* p) const {
    const void* found = std::memchr(p, '\n', static_cast<std::size_t>(end_ - p));
    return found ? static_cast<const char*>(found) : end_;
  }
  void skip_blank_lines() {
    bool blank = false;
    while (at_ < end_) {
      const char* p = at_;
      while (p < end_ && *p == '\r') ++p;
      if (p == end_) {
        at_ = end_;
        break;
      }
      if (*p != '\n') break;
      blank = true;
      ++line_;
      at_ = p + 1;
    }
    if (at_ < end_ && blank) has_blanks_ = true;
    if (at_ >= end_ && blank) blank_at_end_ = true;
  }
  void finish_record(Record& record, const char* stop) {
    const char* text_end = stop;
    while (text_end > bytes_ + record.from && text_end[-1] == '\r') --text_end;
    record.to = text_end - bytes_;
    at_ = stop < end_ ? stop + 1 : end_;
    ++line_;
    if (next_quote_ < at_) look_for_quote(at_);
  }
  void set_loose() {
    if (!loose_) loose_line_ = line_;
    loose_ = true;
  }
  // To the end of a record with quotes on its first line.
  const char* through_quotes(Record& record) {
    enum class Place { field_start, plain, quoted, quote_in_quoted };
    Place place = Place::field_start;
    for (const char* p = at_; p < end_; ++p) {
      const char c = *p;
      if (place == Place::quoted) {
        if (c == '"') place = Place::quote_in_quoted;
        if (c == '\n') {
          ++line_;
          has_breaks_ = true;
        }
        continue;
      }
      if (place == Place::quote_in_quoted) {
        if (c == '"') {
          place = Place::quoted;
          continue;
        }
        if (c != separator_ && c != '\n' && c != '\r') set_loose();
        place = Place::plain;
      }
      if (c == '\n') return p;
      if (c == separator_) {
        ++record.fields;
        place = Place::field_start;
      } else if (c == '"' && place == Place::field_start) {
        place = Place::quoted;
      } else if (c != '\r') {
        place = Place::plain;
      }
    }
    if (place == Place::quoted) set_loose();
    return end_;
  }
};

// The fields of a record as text, without their quotes, doubled quotes undone.
inline std::vector<std::string> record_fields(const char* bytes, const Record& record,
                                              char separator) {
  std::vector<std::string> out(1);
  bool quoted = false, started = false;
  for (const char* p = bytes + record.from; p < bytes + record.to; ++p) {
    const char c = *p;
    if (quoted) {
      const bool doubled = c == '"' && p + 1 < bytes + record.to && p[1] == '"';
      if (doubled) ++p;
      if (c == '"' && !doubled) quoted = false;
      else out.back() += c;
    } else if (c == separator) {
      out.emplace_back();
      started = false;
    } else if (c == '"' && !started) {
      quoted = started = true;
    } else {
      out.back() += c;
      started = true;
    }
  }
  return out;
}

// What all records of a file are, from its header on.
struct RecordSurvey {
  std::int64_t records = 0;  // with the header
  std::int64_t odd = 0;      // with another count of fields than the rows
  std::vector<Record> odd_ones;     // the first of them
  std::vector<Record> last;         // the last few, newest at the end
  std::vector<Record> like_header;  // further records with the header's very bytes
  std::int64_t loose_line = 0, lines = 0;
  bool loose = false, has_breaks = false, has_blanks = false, has_quotes = false;
};

constexpr std::size_t kFewRecords = 5;
constexpr std::size_t kOddRecords = 1000;

// Of the records that a walk still has before it, which have so many fields.
inline RecordSurvey survey_walk(RecordWalk& walk, const char* bytes, const Record& header,
                                std::int64_t fields, const Poll& poll) {
  RecordSurvey out;
  Record record;
  const std::int64_t header_size = header.to - header.from;
  while (walk.next(record)) {
    if ((++out.records & 0xFFFFF) == 0) poll();
    if (record.fields != fields) {
      if (++out.odd <= static_cast<std::int64_t>(kOddRecords)) out.odd_ones.push_back(record);
    }
    if (record.to - record.from == header_size &&
               std::memcmp(bytes + record.from, bytes + header.from,
                           static_cast<std::size_t>(header_size)) == 0) {
      out.like_header.push_back(record);
    }
    if (out.last.size() == kFewRecords) out.last.erase(out.last.begin());
    out.last.push_back(record);
  }
  out.loose = walk.loose();
  out.loose_line = walk.loose_line();
  out.has_breaks = walk.has_breaks();
  out.has_blanks = walk.has_blanks();
  out.lines = walk.line() - 1;
  return out;
}

// Adds what was found further on in the file, where lines were counted from 1.
inline void add_survey(RecordSurvey& all, const RecordSurvey& part, bool blank_before) {
  const auto shifted = [&](Record record) {
    record.line += all.lines;
    return record;
  };
  for (const Record& one : part.odd_ones) {
    if (all.odd_ones.size() < kOddRecords) all.odd_ones.push_back(shifted(one));
  }
  for (const Record& one : part.like_header) all.like_header.push_back(shifted(one));
  for (const Record& one : part.last) all.last.push_back(shifted(one));
  while (all.last.size() > kFewRecords) all.last.erase(all.last.begin());
  all.records += part.records;
  all.odd += part.odd;
  all.has_blanks = all.has_blanks || part.has_blanks || (blank_before && part.records > 0);
  all.lines += part.lines;
}

// Without quotes a line is a record, wherever one begins to read: stretches of the file can be
// looked at side by side.
inline RecordSurvey survey_records(const char* bytes, std::size_t n, char separator,
                                   std::size_t from, std::int64_t line, std::int64_t fields,
                                   const Host& host) {
  RecordSurvey out;
  RecordWalk walk(bytes, n, separator, from, line);
  Record header;
  if (!walk.next(header)) return out;
  const std::size_t start = walk.place();
  const bool has_quotes = std::memchr(bytes, '"', n) != nullptr;
  const int threads = has_quotes ? 1 : threads_for(n - start, host);
  if (threads == 1) {
    out = survey_walk(walk, bytes, header, fields, host.poll);
  } else {
    std::vector<std::size_t> ends;
    for (int t = 1; t < threads; ++t) {
      const std::size_t at = start + (n - start) / static_cast<std::size_t>(threads) *
                                         static_cast<std::size_t>(t);
      const void* end = std::memchr(bytes + at, '\n', n - at);
      ends.push_back(end == nullptr ? n : static_cast<std::size_t>(
                                              static_cast<const char*>(end) - bytes) + 1);
    }
    ends.push_back(n);
    std::vector<RecordSurvey> parts(ends.size());
    std::vector<char> blank_at_end(ends.size(), 0);
    in_parallel(threads, [&](int t) {
      const auto part = static_cast<std::size_t>(t);
      const std::size_t begins = part == 0 ? start : ends[part - 1];
      RecordWalk own(bytes, ends[part], separator, begins, 1);
      parts[part] = survey_walk(own, bytes, header, fields, [] {});
      blank_at_end[part] = own.blank_at_end();
    });
    out.lines = walk.line() - 1;
    bool blank_before = false;
    for (std::size_t part = 0; part < parts.size(); ++part) {
      add_survey(out, parts[part], blank_before);
      blank_before = blank_at_end[part] != 0 || (blank_before && parts[part].records == 0);
    }
  }
  ++out.records;
  out.has_quotes = has_quotes;
  return out;
}

// Whether a field may begin with a zero before other digits, as codes do: "007", -012.
inline bool may_begin_with_zero(const char* bytes, std::size_t n, char separator) {
  const auto starts = [separator](char c) {
    return static_cast<unsigned char>((c == separator) | (c == '\n') | (c == '\r') | (c == '"') |
                                      (c == ' ') | (c == '\t'));
  };
  const auto sign = [bytes, starts](std::size_t i) {
    return static_cast<unsigned char>(((bytes[i] == '-') | (bytes[i] == '+')) &
                                      starts(bytes[i - 1]));
  };
  // A file begins with the names of its columns.
  for (std::size_t from = 3; from < n; from += 1 << 16) {
    const std::size_t to = std::min(n, from + (1 << 16));
    unsigned char found = 0;
#pragma omp simd reduction(| : found)
    for (std::size_t i = from; i < to; ++i) {
      const unsigned char digits = static_cast<unsigned char>(
          (bytes[i - 1] == '0') & (static_cast<unsigned char>(bytes[i] - '0') < 10));
      found = static_cast<unsigned char>(found | (digits & (starts(bytes[i - 2]) | sign(i - 2))));
    }
    if (found) return true;
  }
  return false;
}

// The line on which the first zero byte stands; 0 for none.
inline std::int64_t line_of_zero_byte(const char* bytes, std::size_t n) {
  const void* found = n > 0 ? std::memchr(bytes, '\0', n) : nullptr;
  return found ? 1 + std::count(bytes, static_cast<const char*>(found), '\n') : 0;
}

// Whether bytes are UTF-8 (RFC 3629); `plain` where all are ASCII.
struct Utf8Check {
  bool plain = true;
  bool valid = true;
  std::int64_t bad_line = 0;
};

inline std::size_t utf8_sequence(const unsigned char* p, const unsigned char* end) {
  const unsigned char c = *p;
  const std::size_t size = c < 0x80 ? 1 : c >= 0xC2 && c < 0xE0 ? 2
                           : c >= 0xE0 && c < 0xF0 ? 3 : c >= 0xF0 && c < 0xF5 ? 4 : 0;
  if (size == 0 || static_cast<std::size_t>(end - p) < size) return 0;
  for (std::size_t i = 1; i < size; ++i) {
    if ((p[i] & 0xC0) != 0x80) return 0;
  }
  if (c == 0xE0 && p[1] < 0xA0) return 0;   // written longer than needed
  if (c == 0xED && p[1] >= 0xA0) return 0;  // halves of pairs
  if (c == 0xF0 && p[1] < 0x90) return 0;
  if (c == 0xF4 && p[1] >= 0x90) return 0;  // beyond Unicode
  return size;
}

inline Utf8Check check_utf8(const char* bytes, std::size_t n) {
  Utf8Check out;
  const auto* p = reinterpret_cast<const unsigned char*>(bytes);
  const unsigned char* end = p + n;
  while (p < end) {
    // Eight plain bytes at a time.
    while (end - p >= 8) {
      std::uint64_t eight;
      std::memcpy(&eight, p, 8);
      if (eight & 0x8080808080808080ull) break;
      p += 8;
    }
    if (p == end) break;
    const std::size_t size = utf8_sequence(p, end);
    if (*p >= 0x80) out.plain = false;
    if (size == 0) {
      out.valid = false;
      out.bad_line = 1 + std::count(bytes, reinterpret_cast<const char*>(p), '\n');
      return out;
    }
    p += size;
  }
  return out;
}

}  // namespace ledger
