#include <cmath>
#include <cstdio>
#include <random>
#include <string>

#include "../../src/core/number-text.h"
#include "check.h"

namespace {

ledger::NumberText read(const std::string& text) {
  return ledger::read_number_text(text.data(), text.size());
}

double by(const std::string& text, int writing) { return ledger::number_by(read(text), writing); }

bool allows(const std::string& text, int writing) {
  const auto read_text = read(text);
  return read_text.is_number && (read_text.allowed & (1u << writing));
}

std::string grouped(const std::string& digits, const std::string& mark) {
  std::string out;
  for (std::size_t i = 0; i < digits.size(); ++i) {
    if (i > 0 && (digits.size() - i) % 3 == 0) out += mark;
    out += digits[i];
  }
  return out;
}

}  // namespace

TEST("numbers are read in all their clothes") {
  CHECK(by("1234.50", 0) == 1234.5);
  CHECK(by("1,234.50", 1) == 1234.5);
  CHECK(by("1.234,50", 5) == 1234.5);
  CHECK(by("1 234,50", 6) == 1234.5);
  CHECK(by("1\xC2\xA0" "234,50", 6) == 1234.5);
  CHECK(by("1\xE2\x80\xAF" "234.5", 2) == 1234.5);
  CHECK(by("1'234.50", 3) == 1234.5);
  CHECK(by("(5.00)", 0) == -5);
  CHECK(by("(12,00) \xE2\x82\xAC", 4) == -12);
  CHECK(by("5-", 0) == -5);
  CHECK(by("\xE2\x88\x92" "5", 0) == -5);
  CHECK(by("EUR 5", 0) == 5);
  CHECK(by("-$1,000", 1) == -1000);
  CHECK(by("$-5", 0) == -5);
  CHECK(by("12.5%", 0) == 0.125);
  CHECK(by("0.7 %", 0) == 0.007);
  CHECK(by("1e+05", 0) == 100000);
  CHECK(by(".5", 0) == 0.5);
  CHECK(by("5.", 0) == 5);
  CHECK(read("\xE2\x82\xAC 5").currency >= 0);
  CHECK(read("007").zero_first);
}

TEST("what is no number is none") {
  for (const char* text : {"", " ", "-", "EUR", "five", "12E3", "1,23,456", "1.2.3", "--5", "(-5)",
                           "5%%", "\xE2\x82\xAC" "5 USD", "1,2345.6", ",", ".", "0x1F", "1 2",
                           "Inf",
                           "2026-01-31", "31.12.2026", "+49 30 1234", "5 kg"})
    CHECK(!read(text).is_number);
  CHECK(!allows("1,234.50", 0) && !allows("1,234.50", 5));
  CHECK(!allows("0.123", 5));  // 0.123 is no thousand
  CHECK(allows("1.234", 0) && allows("1.234", 5));
}

TEST("a column tells its marks, or that it cannot") {
  const auto column = [](std::initializer_list<const char*> texts) {
    ledger::NumberColumn out;
    std::int64_t at = 0;
    for (const char* text : texts) out.add(read(text), at++);
    return out;
  };
  CHECK(column({"1.234", "12.500"}).could_be_both());
  CHECK(!column({"1.234", "12.50"}).could_be_both());
  CHECK(!column({"1.234", "1.234.567"}).could_be_both());
  CHECK(column({"1.234", "1.234.567"}).writing() == 5);
  CHECK(column({"1.234", "1234"}).writing() == 0);  // a thousand without its mark
  CHECK(column({"1,5", "2.5"}).writing() == -1);
  CHECK(column({"$5", "\xE2\x82\xAC" "5"}).other_currency >= 0);
  CHECK(column({"EUR 5", "5 \xE2\x82\xAC"}).other_currency < 0);
}

TEST("random amounts written in any way are read back") {
  std::mt19937_64 random(11);
  const std::string thousands[] = {"", ",", " ", "'", "", ".", " ", "'"};
  int met[ledger::kWritings] = {};
  for (int run = 0; run < 40000; ++run) {
    const int w = static_cast<int>(random() % ledger::kWritings);
    const auto whole = static_cast<long long>(random() % (1ull << (random() % 40 + 1)));
    const int cents = static_cast<int>(random() % 100);
    char decimals[4];
    std::snprintf(decimals, sizeof decimals, "%02d", cents);
    std::string text = grouped(std::to_string(whole), thousands[w]);
    text += (w < 4 ? "." : ",") + std::string(decimals);
    const bool negative = random() % 3 == 0;
    switch (negative ? random() % 3 : 3) {
      case 0: text = "-" + text; break;
      case 1: text += "-"; break;
      case 2: text = "(" + text + ")"; break;
      default: break;
    }
    if (random() % 4 == 0) text = "\xC2\xA3" + text;
    CHECK(allows(text, w));
    const double expected = std::strtod((std::to_string(whole) + "." + decimals).c_str(), nullptr);
    CHECK(by(text, w) == (negative ? -expected : expected));
    ++met[w];
  }
  for (const int count : met) CHECK(count > 1000);
}
