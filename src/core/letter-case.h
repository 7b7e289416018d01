// Small and capital letters by a table of our own, so that no locale has a say.
#pragma once
#include <cstddef>
#include <string>

#include "letter-case-table.h"

namespace ledger {

template <std::size_t n>
inline int other_case(int code, const CaseRun (&runs)[n]) {
  std::size_t low = 0, high = n;
  while (low < high) {
    const std::size_t middle = (low + high) / 2;
    if (runs[middle].last < code) low = middle + 1;
    else high = middle;
  }
  if (low == n || code < runs[low].first) return code;
  return (code - runs[low].first) % runs[low].step == 0 ? code + runs[low].delta : code;
}

inline void append_utf8(std::string& out, int code) {
  auto byte = [&](int bits) { out.push_back(static_cast<char>(bits)); };
  if (code < 0x80) return byte(code);
  if (code < 0x800) {
    byte(0xC0 | code >> 6);
  } else if (code < 0x10000) {
    byte(0xE0 | code >> 12);
    byte(0x80 | (code >> 6 & 0x3F));
  } else {
    byte(0xF0 | code >> 18);
    byte(0x80 | (code >> 12 & 0x3F));
    byte(0x80 | (code >> 6 & 0x3F));
  }
  byte(0x80 | (code & 0x3F));
}

// UTF-8 in the other case; bytes that are no letters of it stay as they are.
inline std::string in_case(const char* text, std::size_t n, bool upper) {
  std::string out;
  out.reserve(n);
  for (std::size_t i = 0; i < n;) {
    const auto first = static_cast<unsigned char>(text[i]);
    const std::size_t size = first < 0x80 ? 1 : first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : 2;
    bool whole = (first < 0x80 || first >= 0xC2) && first < 0xF5 && i + size <= n;
    int code = size == 1 ? first : first & (0xFF >> (size + 1));
    for (std::size_t k = 1; whole && k < size; ++k) {
      const auto next = static_cast<unsigned char>(text[i + k]);
      whole = (next & 0xC0) == 0x80;
      code = code << 6 | (next & 0x3F);
    }
    if (!whole) {
      out.push_back(text[i++]);
      continue;
    }
    append_utf8(out, upper ? other_case(code, kToUpper) : other_case(code, kToLower));
    i += size;
  }
  return out;
}

}  // namespace ledger
