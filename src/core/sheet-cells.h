#pragma once
// What the cells of a sheet are (ISO/IEC 29500, SpreadsheetML), found by its bytes alone: which
// columns hold cells that are no text, and whether there are formulas.

#include <cstddef>
#include <cstring>
#include <string>
#include <vector>

namespace ledger {

struct SheetCells {
  bool found = false;                // any cell, written as the standard's own prefix has it
  bool has_formulas = false;
  std::vector<char> holds_no_text;   // by column from 0: numbers, days, flags, errors

  SheetCells(const char* bytes, std::size_t n) {
    const char* end = bytes + n;
    for (const char* p = bytes; p < end;) {
      p = static_cast<const char*>(std::memchr(p, '<', static_cast<std::size_t>(end - p)));
      if (p == nullptr || end - p < 4) break;
      if (p[1] == 'f' && (p[2] == '>' || p[2] == ' ')) has_formulas = true;
      if (p[1] == 'c' && p[2] == ' ') {
        const void* close = std::memchr(p, '>', static_cast<std::size_t>(end - p));
        if (close == nullptr) break;
        const char* stop = static_cast<const char*>(close);
        take(p + 2, stop);
        p = stop;
      } else {
        ++p;
      }
    }
  }

 private:
  // The value of an attribute of a tag; nullptr where it has none.
  static const char* value_of(char name, const char* from, const char* stop) {
    for (const char* p = from; p + 3 < stop; ++p)
      if (p[0] == ' ' && p[1] == name && p[2] == '=' && p[3] == '"') return p + 4;
    return nullptr;
  }

  void take(const char* from, const char* stop) {
    found = true;
    const char* place = value_of('r', from, stop);
    const char* type = value_of('t', from, stop);
    // s, str and inlineStr are texts.
    const bool text = type != nullptr && (*type == 's' || *type == 'i');
    if (stop[-1] == '/' || text) return;
    std::size_t column = 0;
    for (const char* p = place; place != nullptr && p < stop && *p >= 'A' && *p <= 'Z'; ++p)
      column = column * 26 + static_cast<std::size_t>(*p - 'A' + 1);
    // A cell that does not say where it stands may be anywhere.
    if (column == 0 || column > 20000) {
      holds_no_text.assign(20000, 1);
      return;
    }
    if (holds_no_text.size() < column) holds_no_text.resize(column, 0);
    holds_no_text[column - 1] = 1;
  }
};

}  // namespace ledger
