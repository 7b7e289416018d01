// Numbers as people write them: 1,234.50, 1.234,50, 1 234,50, 1'234.50, EUR 5, 5 €, (5.00), 5-,
// 12%. A column is read by one writing: which mark stands before the decimals and which between
// thousands is decided over all of its texts.
#pragma once
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <string>
#include <vector>

#include "currencies.h"

namespace ledger {

// The marks of a writing. A text allows several; bit w of a set stands for writing w.
enum Mark { no_mark = 0, point = 1, comma = 2, space = 3, apostrophe = 4 };
struct Writing {
  Mark decimal;
  Mark thousands;
};
constexpr int kWritings = 8;
constexpr Writing kWriting[kWritings] = {
    {point, no_mark}, {point, comma}, {point, space}, {point, apostrophe},
    {comma, no_mark}, {comma, point}, {comma, space}, {comma, apostrophe}};
constexpr unsigned kAllWritings = 0xFF;
constexpr unsigned kPointWritings = 0x0F;

struct NumberText {
  bool is_number = false;
  unsigned allowed = 0;  // writings that read it
  unsigned strict = 0;   // those by which each group of thousands is marked
  bool negative = false, percent = false;
  bool has_mark = false;       // a point or a comma
  bool zero_first = false;     // a whole number such as 007
  int digits = 0;              // without leading zeros
  int currency = -1;           // place in the table of currencies
  std::string body;            // digits and marks: '.', ',', ' ', '\'' and an exponent
};

namespace number_text {

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }

// The mark at a place, and how many bytes it takes; no_mark where there is none.
inline Mark mark_at(const char* p, const char* end, std::size_t& size) {
  const auto left = static_cast<std::size_t>(end - p);
  size = 1;
  if (*p == '.') return point;
  if (*p == ',') return comma;
  if (*p == '\'') return apostrophe;
  if (*p == ' ') return space;
  if (left >= 2 && std::memcmp(p, "\xC2\xA0", 2) == 0) return size = 2, space;
  if (left >= 3) {
    size = 3;
    if (std::memcmp(p, "\xE2\x80\xAF", 3) == 0) return space;       // narrow no-break space
    if (std::memcmp(p, "\xE2\x80\x89", 3) == 0) return space;       // thin space
    if (std::memcmp(p, "\xE2\x80\x99", 3) == 0) return apostrophe;  // right quotation mark
  }
  size = 0;
  return no_mark;
}

inline std::size_t space_at(const char* p, const char* end) {
  if (p >= end) return 0;
  if (*p == '\t') return 1;
  std::size_t size = 0;
  return mark_at(p, end, size) == space ? size : 0;
}

inline std::size_t space_before(const char* start, const char* p) {
  for (std::size_t size : {std::size_t{1}, std::size_t{2}, std::size_t{3}}) {
    if (static_cast<std::size_t>(p - start) >= size && space_at(p - size, p) == size) return size;
  }
  return 0;
}

inline void trim(const char*& from, const char*& to) {
  while (from < to) {
    const std::size_t size = space_at(from, to);
    if (size == 0) break;
    from += size;
  }
  while (from < to) {
    const std::size_t size = space_before(from, to);
    if (size == 0) break;
    to -= size;
  }
}

// Takes a minus or plus sign off one end; true where there was one.
inline bool take_sign(const char*& from, const char*& to, bool in_front, bool& negative) {
  static const char kMinus[] = "\xE2\x88\x92";
  if (from >= to) return false;
  const char c = in_front ? *from : to[-1];
  if (c == '-' || c == '+') {
    if (c == '-') negative = !negative;
    if (in_front) ++from; else --to;
    return true;
  }
  if (to - from >= 3 && std::memcmp(in_front ? from : to - 3, kMinus, 3) == 0) {
    negative = !negative;
    if (in_front) from += 3; else to -= 3;
    return true;
  }
  return false;
}

// Digits and marks alone, an exponent with its sign after them; the writings they allow.
inline bool read_body(const char* from, const char* to, NumberText& out) {
  int groups[64];
  int count = 0;  // finished groups of digits
  Mark marks[64];
  int digits = 0;
  bool started = false;
  const char* p = from;
  for (; p < to; ) {
    if (is_digit(*p)) {
      ++digits;
      if (*p != '0') started = true;
      if (started) ++out.digits;
      out.body += *p++;
      continue;
    }
    if ((*p == 'e' || *p == 'E') && digits + count > 0) break;
    std::size_t size = 0;
    const Mark mark = mark_at(p, to, size);
    if (mark == no_mark || count >= 62) return false;
    groups[count] = digits;
    marks[count++] = mark;
    digits = 0;
    out.body += mark == point ? '.' : mark == comma ? ',' : mark == space ? ' ' : '\'';
    if (mark == point || mark == comma) out.has_mark = true;
    p += size;
  }
  groups[count] = digits;
  bool powered = false;
  if (p < to) {  // an exponent, whose sign tells it from a code such as 12E3
    const char* q = p + 1;
    if (q >= to || (*q != '+' && *q != '-') || to - q < 2 || to - q > 4) return false;
    for (const char* r = q + 1; r < to; ++r) if (!is_digit(*r)) return false;
    out.body.append(p, to);
    powered = true;
  }
  if (count == 0) {
    if (digits == 0) return false;
    out.zero_first = digits > 1 && *from == '0';
    out.allowed = kAllWritings;
    out.strict = powered || digits < 4 ? kAllWritings : (1u << 0) | (1u << 4);
    return true;
  }
  for (int w = 0; w < kWritings; ++w) {
    const Writing writing = kWriting[w];
    const int last = count - 1;
    const bool has_decimal = marks[last] == writing.decimal;
    const int between = has_decimal ? last : count;  // marks between thousands
    bool fits = !(powered && between > 0);
    for (int i = 0; i < between && fits; ++i) {
      fits = marks[i] == writing.thousands && marks[i] != no_mark && groups[i + 1] == 3 &&
             (i > 0 || (groups[0] >= 1 && groups[0] <= 3));
    }
    // A point with digits on one side at least: .5 and 5. are numbers.
    if (fits && has_decimal)
      fits = groups[last] + groups[count] > 0 && (between == 0 || groups[last] == 3);
    // 0.123 is no thousand.
    if (fits && between > 0 && out.body[0] == '0') fits = false;
    if (!fits) continue;
    out.allowed |= 1u << w;
    const int whole = between > 0 ? 0 : groups[0];
    if (writing.thousands == no_mark || whole < 4) out.strict |= 1u << w;
  }
  return out.allowed != 0;
}

}  // namespace number_text

inline NumberText read_number_text(const char* text, std::size_t n) {
  using namespace number_text;
  NumberText out;
  const char* from = text;
  const char* to = text + n;
  trim(from, to);
  // Signs, brackets and currencies stand before or after, in any order, each once.
  int signs = 0;
  for (int turn = 0; turn < 8 && from < to; ++turn) {
    bool negative = false;
    if (*from == '(' && to[-1] == ')' && to - from > 2) {
      if (++signs > 1) return out;
      out.negative = true;
      ++from;
      --to;
    } else if (take_sign(from, to, true, negative) || take_sign(from, to, false, negative)) {
      if (++signs > 1) return out;
      out.negative = negative;
    } else if (to[-1] == '%' && !out.percent) {
      out.percent = true;
      --to;
    } else {
      const int currency = take_currency(from, to);
      if (currency < 0) break;
      if (out.currency >= 0) return out;
      out.currency = currency;
    }
    trim(from, to);
  }
  if (from >= to || (!is_digit(*from) && *from != '.' && *from != ',')) return out;
  out.is_number = read_body(from, to, out);
  return out;
}

// The number of a text by one of the writings that it allows.
inline double number_by(const NumberText& text, int writing) {
  const char decimal = kWriting[writing].decimal == point ? '.' : ',';
  std::string plain;
  bool powered = false;
  for (const char c : text.body) {
    if (c == decimal) plain += '.';
    else if (c != '.' && c != ',' && c != ' ' && c != '\'') plain += c;
    powered = powered || c == 'e' || c == 'E';
  }
  // A part of a hundred is the number whose point stands two places further left.
  if (text.percent && !powered) plain += "e-2";
  double value = std::strtod(plain.c_str(), nullptr);
  if (text.percent && powered) value /= 100;
  return text.negative && value != 0 ? -value : value;
}

// What a column of texts says of itself.
struct NumberColumn {
  std::int64_t numbers = 0, others = 0;
  std::int64_t first_other = -1, first_number = -1;
  unsigned allowed = kAllWritings, strict = kAllWritings;
  unsigned some = 0;  // writings that read at least one
  bool has_mark = false, any_percent = false, any_plain = false, any_zero_first = false;
  int most_digits = 0;
  int currency = -1, other_currency = -1;
  std::int64_t first_marked = -1;  // one that tells the least: a mark that both readings allow

  void add(const NumberText& text, std::int64_t at) {
    if (!text.is_number) {
      if (others++ == 0) first_other = at;
      return;
    }
    if (numbers++ == 0) first_number = at;
    allowed &= text.allowed;
    some |= text.allowed;
    strict &= text.strict;
    if (text.has_mark && first_marked < 0) first_marked = at;
    has_mark = has_mark || text.has_mark;
    (text.percent ? any_percent : any_plain) = true;
    any_zero_first = any_zero_first || text.zero_first;
    if (text.digits > most_digits) most_digits = text.digits;
    if (text.currency >= 0) {
      if (currency < 0) currency = text.currency;
      else if (!same_currency(currency, text.currency)) other_currency = text.currency;
    }
  }
  // Writings that are left, those that mark every thousand first.
  unsigned left() const { return strict ? strict : allowed; }
  bool could_be_both() const {
    return has_mark && (left() & kPointWritings) && (left() & ~kPointWritings & kAllWritings);
  }
  int writing() const {
    for (int w = 0; w < kWritings; ++w) if (left() & (1u << w)) return w;
    return -1;
  }
};

}  // namespace ledger
