#include "../../src/core/letter-case.h"

#include "check.h"

namespace {

std::string upper(const std::string& text) {
  return ledger::in_case(text.data(), text.size(), true);
}
std::string lower(const std::string& text) {
  return ledger::in_case(text.data(), text.size(), false);
}

}  // namespace

TEST("letters change their case by Unicode") {
  CHECK(upper("abc xyz 12-\xC3\xA9t\xC3\xA9") == "ABC XYZ 12-\xC3\x89T\xC3\x89");
  CHECK(lower("ABC \xC3\x89T\xC3\x89 \xD0\x96") == "abc \xC3\xA9t\xC3\xA9 \xD0\xB6");
  CHECK(lower("I\xC4\xB0") == "i" "i");
  CHECK(upper("\xC3\x9F") == "\xC3\x9F");
  CHECK(upper("\xC3\xBF") == "\xC5\xB8");
  CHECK(lower("\xF0\x90\x90\x80") == "\xF0\x90\x90\xA8");
}

TEST("what is no letter stays as it is") {
  for (const char* text :
       {"\xC3", "\xE2\x82", "\xFF\x80", "\xC0\xAF", "\x80", "\xF5\x80\x80\x80"}) {
    CHECK(upper(text) == text);
    CHECK(lower(text) == text);
  }
  CHECK(upper("a\xC3") == "A\xC3");
}

TEST("a small letter is its own small letter") {
  int pairs = 0;
  for (int code = 0; code < 0x20000; ++code) {
    const int small = ledger::other_case(code, ledger::kToLower);
    if (small == code) continue;
    ++pairs;
    CHECK(ledger::other_case(small, ledger::kToLower) == small);
  }
  CHECK(pairs > 1300);
}
