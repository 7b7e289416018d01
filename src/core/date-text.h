// Days as people write them: 2026-01-31, 31.01.2026, 1/31/26, 26-01-31, 20260131, 20260131140522,
// 31 Jan 2026, January 31, 2026, 31. März 2026, 1er févr. 2026, 2026-01 for a month; a time may
// follow. Which number is the day, the month or the year is decided over all texts of a column.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>

#include "dates.h"
#include "month-names.h"

namespace ledger {

// How the parts of a day stand. Two-digit years: 69 to 99 are of the 1900s, 00 to 68 of the 2000s
// (POSIX.1, strptime, %y).
enum DateForm : unsigned {
  year_first = 1u << 0,
  digits_only = 1u << 1,  // 20260131
  named_month = 1u << 2,
  day_first = 1u << 3,
  month_first = 1u << 4,
  month_only = 1u << 5,
  short_year_first = 1u << 6  // 26-01-31
};
constexpr unsigned kPlainForms = year_first | digits_only | named_month;

struct DateText {
  unsigned forms = 0;  // by which it is a day that exists
  bool numbered = false;  // looks like 31/01/2026 or 26-01-31, whether or not such a day exists
  Day day_first_day = kNoDay, month_first_day = kNoDay, year_first_day = kNoDay;
  Day day = kNoDay;  // by the other forms
  bool two_digit_year = false;
  bool has_time = false, has_offset = false;
  std::int32_t second = 0;  // of the day as written
  std::int32_t offset = 0;  // in seconds, of the zone that it states
};

namespace date_text {

struct Reader {
  const char* p;
  const char* end;
  bool done() const { return p >= end; }
  char now() const { return p < end ? *p : '\0'; }
  bool take(char c) { return now() == c && p < end ? (++p, true) : false; }
  void spaces() {
    while (p < end && (*p == ' ' || *p == '\t')) ++p;
    while (end - p >= 2 && std::memcmp(p, "\xC2\xA0", 2) == 0) p += 2;
    while (p < end && *p == ' ') ++p;
  }
  // Up to `most` digits; their number, or -1 for none.
  int number(int most, int& length) {
    int value = 0;
    length = 0;
    while (p < end && *p >= '0' && *p <= '9' && length < most) {
      value = value * 10 + (*p++ - '0');
      ++length;
    }
    return length > 0 ? value : -1;
  }
  bool at_digit() const { return p < end && *p >= '0' && *p <= '9'; }
};

inline bool is_letter(char c) { return (c | 32) >= 'a' && (c | 32) <= 'z'; }

// A name of a day in full, or its first three letters, a point after it or not; its place from 1,
// or 0.
inline int weekday_name(Reader& in) {
  static const char* const kDays[] = {"monday", "tuesday", "wednesday", "thursday",
                                      "friday", "saturday", "sunday"};
  const char* from = in.p;
  const char* p = from;
  while (p < in.end && is_letter(*p)) ++p;
  const auto size = static_cast<std::size_t>(p - from);
  for (int i = 0; i < 7 && size >= 3; ++i) {
    if (size != 3 && size != std::strlen(kDays[i])) continue;
    bool same = true;
    for (std::size_t k = 0; k < size; ++k) same = same && (from[k] | 32) == kDays[i][k];
    if (!same) continue;
    in.p = p;
    in.take('.');
    return i + 1;
  }
  return 0;
}

// A month by one of its names, a point after it or not; 1 to 12, or 0.
inline int month_name(Reader& in) {
  std::string name;
  const char* p = in.p;
  while (p < in.end && (is_letter(*p) || (*p & 0x80))) {
    // Capital letters of Latin-1 in UTF-8: their second bytes are 0x20 below those of small ones.
    if (static_cast<unsigned char>(*p) == 0xC3 && p + 1 < in.end) {
      const auto second = static_cast<unsigned char>(p[1]);
      name += *p++;
      name += static_cast<char>(second >= 0x80 && second <= 0x9E ? second + 0x20 : second);
      ++p;
    } else if (*p & 0x80) {
      break;
    } else {
      name += static_cast<char>(*p++ | 32);
    }
    if (name.size() > 24) return 0;
  }
  const int month = month_called(name);
  if (month == 0) return 0;
  in.p = p;
  in.take('.');
  return month;
}

inline Day day_if_any(int year, int month, int day) {
  return is_date(year, month, day) ? day_of(year, month, day) : kNoDay;
}

inline int whole_year(int year, int length) {
  return length != 2 ? year : year < 69 ? 2000 + year : 1900 + year;
}

// "Z", "UTC", "+02:00", "-0500", "+02"
inline bool read_offset(Reader& in, DateText& out) {
  if (in.take('Z') || in.take('z')) return out.has_offset = true;
  const bool named = in.end - in.p >= 3 &&
                     (std::memcmp(in.p, "UTC", 3) == 0 || std::memcmp(in.p, "GMT", 3) == 0);
  if (named) {
    in.p += 3;
    return out.has_offset = true;
  }
  const char sign = in.now();
  if (sign != '+' && sign != '-') return false;
  ++in.p;
  int length = 0;
  const int hours = in.number(2, length);
  if (length != 2) return false;
  in.take(':');
  int minutes = 0;
  if (in.at_digit()) {
    minutes = in.number(2, length);
    if (length != 2) return false;
  }
  if (hours > 14 || minutes > 59) return false;
  out.offset = (hours * 60 + minutes) * 60 * (sign == '-' ? -1 : 1);
  return out.has_offset = true;
}

// "14:05", "14:05:22.5", "2:05 PM", with or without an offset after it.
inline bool read_time(Reader& in, DateText& out) {
  int length = 0;
  int hour = in.number(2, length);
  if (hour < 0 || !in.take(':')) return false;
  const int minute = in.number(2, length);
  if (length != 2 || minute > 59) return false;
  int second = 0;
  if (in.take(':')) {
    second = in.number(2, length);
    if (length != 2 || second > 60) return false;
    if (in.take('.') || in.take(',')) {
      if (in.number(9, length) < 0) return false;
    }
  }
  const char* before = in.p;
  in.spaces();
  const char half = static_cast<char>(in.now() | 32);
  if (!in.done() && (half == 'a' || half == 'p') && in.end - in.p >= 2) {
    const char* m = in.p + 1;
    if (*m == '.') ++m;
    if (m < in.end && (*m | 32) == 'm') {
      if (hour < 1 || hour > 12) return false;
      hour = hour % 12 + (half == 'p' ? 12 : 0);
      in.p = m + 1;
      in.take('.');
      before = in.p;
      in.spaces();
    }
  }
  if (hour > 24 || (hour == 24 && (minute > 0 || second > 0))) return false;
  if (hour == 24) return false;  // the end of a day is no moment of it
  if (!in.done() && !read_offset(in, out)) in.p = before;
  out.has_time = true;
  out.second = hour * 3600 + minute * 60 + (second > 59 ? 59 : second);
  return true;
}

// The hours, minutes and perhaps seconds that follow a day in digits: 20260131140522.
inline bool read_clock_digits(Reader& in, DateText& out) {
  int length = 0;
  const int hour = in.number(2, length);
  if (length != 2) return false;
  const int minute = in.number(2, length);
  if (length != 2) return false;
  int second = 0;
  if (in.at_digit()) {
    second = in.number(2, length);
    if (length != 2 || in.at_digit()) return false;
  }
  if (hour > 23 || minute > 59 || second > 60) return false;
  out.has_time = true;
  out.second = hour * 3600 + minute * 60 + (second > 59 ? 59 : second);
  return true;
}

inline bool is_mark(char c) { return c == '-' || c == '/' || c == '.' || c == ' '; }

// "de" and "del" between a day, a month and a year.
inline void take_of(Reader& in) {
  for (const char* word : {"del ", "de "}) {
    const std::size_t size = std::strlen(word);
    if (static_cast<std::size_t>(in.end - in.p) < size) continue;
    bool same = true;
    for (std::size_t k = 0; k < size; ++k) same = same && (in.p[k] | 32) == (word[k] | 32);
    if (!same) continue;
    in.p += size;
    in.spaces();
    return;
  }
}

// "1er", "1st", "1º" before a name: the ending of an ordinal number.
inline void take_ordinal(Reader& in) {
  for (const char* word : {"er", "st", "nd", "rd", "th", "\xC2\xBA", "\xC2\xB0"}) {
    const std::size_t size = std::strlen(word);
    if (static_cast<std::size_t>(in.end - in.p) <= size ||
        std::memcmp(in.p, word, size) != 0 || !(in.p[size] == ' ' || in.p[size] == '.')) continue;
    in.p += size;
    return;
  }
}

// A day that begins with a number.
inline bool read_numbers(Reader& in, DateText& out) {
  int la = 0, lb = 0, lc = 0;
  const int a = in.number(8, la);
  if (la == 8 && !is_mark(in.now() == ' ' ? '\0' : in.now())) {
    out.day = day_if_any(a / 10000, a / 100 % 100, a % 100);
    if (out.day != kNoDay) out.forms = digits_only;
    return !in.at_digit() || read_clock_digits(in, out);
  }
  if (la <= 2) take_ordinal(in);
  const char mark = in.now();
  if (la > 4 || la == 3 || !is_mark(mark)) return false;
  ++in.p;
  in.spaces();
  if (!in.at_digit()) {  // 31 Jan 2026, 31-Jan-26, 31. März 2026, 31 de enero de 2026
    take_of(in);
    const int month = month_name(in);
    if (month == 0 || la > 2) return false;
    in.spaces();
    if (in.now() == mark || in.now() == ',') ++in.p;
    in.spaces();
    take_of(in);
    const int year = in.number(4, lc);
    if (lc != 2 && lc != 4) return false;
    out.day = day_if_any(whole_year(year, lc), month, a);
    out.two_digit_year = lc == 2;
    if (out.day != kNoDay) out.forms = named_month;
    return true;
  }
  if (mark == ' ') return false;
  const int b = in.number(2, lb);
  if (la == 4 && !in.take(mark)) {  // 2026-01
    out.day = day_if_any(a, b, 1);
    if (out.day != kNoDay && lb == 2) out.forms = month_only;
    return true;
  }
  if (la != 4 && !in.take(mark)) return false;
  const int c = in.number(4, lc);
  if (la == 4) {
    if (lc > 2 || lc < 1) return false;
    out.day = day_if_any(a, b, c);
    if (out.day != kNoDay) out.forms = year_first;
    return true;
  }
  if (lc == 3 || (lc == 1 && la != 2)) return false;
  out.numbered = true;
  out.two_digit_year = lc != 4;
  if (lc != 1) {
    const int year = whole_year(c, lc);
    out.day_first_day = day_if_any(year, b, a);
    out.month_first_day = day_if_any(year, a, b);
  }
  // A year of two digits may stand first as well.
  if (la == 2 && lc <= 2) out.year_first_day = day_if_any(whole_year(a, la), b, c);
  if (out.day_first_day != kNoDay) out.forms |= day_first;
  if (out.month_first_day != kNoDay) out.forms |= month_first;
  if (out.year_first_day != kNoDay) out.forms |= short_year_first;
  return true;
}

// A day that begins with a name: January 31, 2026; Jan 2026; Sat, 31 Jan 2026.
inline bool read_names(Reader& in, DateText& out) {
  Reader before = in;
  if (weekday_name(in) > 0) {
    in.take(',');
    in.spaces();
    if (in.at_digit()) return read_numbers(in, out);
  } else {
    in = before;
  }
  const int month = month_name(in);
  if (month == 0) return false;
  in.take('-');
  in.spaces();
  int length = 0;
  const int first = in.number(4, length);
  if (length == 4) {
    out.day = day_if_any(first, month, 1);
    if (out.day != kNoDay) out.forms = month_only;
    return true;
  }
  if (length < 1 || length > 2) return false;
  if (!in.take(',') && in.now() != ' ') return false;
  in.spaces();
  const int year = in.number(4, length);
  if (length != 4) return false;
  out.day = day_if_any(year, month, first);
  if (out.day != kNoDay) out.forms = named_month;
  return true;
}

}  // namespace date_text

inline DateText read_date_text(const char* text, std::size_t n) {
  using namespace date_text;
  DateText out;
  Reader in{text, text + n};
  in.spaces();
  while (in.end > in.p && (in.end[-1] == ' ' || in.end[-1] == '\t')) --in.end;
  const bool read = in.at_digit() ? read_numbers(in, out) : read_names(in, out);
  if (!read) return DateText();
  if (in.done()) return out;
  // A time is set apart by a T, a comma or spaces.
  const bool apart = in.take('T') || in.now() == ' ' || in.now() == ',';
  in.take(',');
  in.spaces();
  if (!apart || out.forms == month_only || !read_time(in, out) || !in.done()) return DateText();
  return out;
}

// By one form of those that are told by their numbers alone, or by the plain ones.
inline Day day_by(const DateText& text, unsigned form) {
  if (form == day_first) return text.day_first_day;
  if (form == month_first) return text.month_first_day;
  if (form == short_year_first) return text.year_first_day;
  return text.forms & form ? text.day : kNoDay;
}

}  // namespace ledger
