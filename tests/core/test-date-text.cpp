#include <cstdio>
#include <random>
#include <string>

#include "../../src/core/date-text.h"
#include "check.h"

namespace {

ledger::DateText read(const std::string& text) {
  return ledger::read_date_text(text.data(), text.size());
}

const char* const kMonths[] = {"January", "February", "March", "April", "May", "June", "July",
                               "August", "September", "October", "November", "December"};

}  // namespace

TEST("days are read in many writings") {
  const ledger::Day day = ledger::day_of(2026, 1, 31);
  for (const char* text : {"2026-01-31", "2026/1/31", "2026.01.31", "20260131", "31 Jan 2026",
                           "31-Jan-26", "31. January 2026", "January 31, 2026", "Jan 31 2026",
                           "Sat, 31 Jan 2026", " 2026-01-31 ", "2026-01-31T14:05",
                           "2026-01-31 14:05:22.5", "2026-01-31T14:05:22Z", "31 Jan 2026, 2:05 pm"})
    CHECK(read(text).day == day && (read(text).forms & ledger::kPlainForms));
  CHECK(read("31/01/2026").day_first_day == day);
  CHECK(read("31.1.26").day_first_day == day);
  CHECK(read("1/31/2026").month_first_day == day);
  CHECK(read("03/04/2026").forms == (ledger::day_first | ledger::month_first));
  CHECK(read("31/01/2026").forms == ledger::day_first);
  CHECK(read("2026-01").forms == ledger::month_only);
  CHECK(read("Jan 2026").forms == ledger::month_only);
  CHECK(read("31/01/69").day_first_day == ledger::day_of(1969, 1, 31));
  CHECK(read("31/01/68").day_first_day == ledger::day_of(2068, 1, 31));
}

TEST("times are told with their offset") {
  const auto pm = read("31/01/2026 2:15 PM");
  CHECK(pm.has_time && pm.second == (14 * 60 + 15) * 60 && !pm.has_offset);
  CHECK(read("31/01/2026 12:00 am").second == 0);
  const auto offset = read("2026-01-31T23:30:00-05:00");
  CHECK(offset.has_offset && offset.offset == -5 * 3600 && offset.second == (23 * 60 + 30) * 60);
}

TEST("what is no day is none") {
  for (const char* text : {"", "2026", "2026-13-01", "2026-02-30", "31/13/2026", "soon", "5", "1.5",
                           "2026-01-31x", "2026-01-31 25:00", "2026-01-31 24:00", "20261301",
                           "31 Foo 2026", "2026-1", "1/2", "12:30", "2026-01-31 13:00 PM",
                           "31/01/126", "2026-01-31T", "Total", "12345678901"})
    CHECK(read(text).forms == 0);
  CHECK(read("31/13/2026").numbered);
}

TEST("random days are read back from any writing") {
  std::mt19937 random(3);
  for (int run = 0; run < 20000; ++run) {
    const ledger::Day day = ledger::day_of(1969, 1, 1) + static_cast<ledger::Day>(random() % 36000);
    const ledger::Date d = ledger::date_of(day);
    char text[64];
    std::snprintf(text, sizeof text, "%d-%02d-%02d", d.year, d.month, d.day);
    CHECK(read(text).day == day);
    std::snprintf(text, sizeof text, "%d.%d.%d", d.day, d.month, d.year);
    CHECK(read(text).day_first_day == day);
    std::snprintf(text, sizeof text, "%02d/%02d/%02d", d.month, d.day, d.year % 100);
    CHECK(read(text).month_first_day == day);
    std::snprintf(text, sizeof text, "%d %.3s %d", d.day, kMonths[d.month - 1], d.year);
    CHECK(read(text).day == day);
    std::snprintf(text, sizeof text, "%s %d, %d", kMonths[d.month - 1], d.day, d.year);
    CHECK(read(text).day == day);
    std::snprintf(text, sizeof text, "%04d%02d%02d", d.year, d.month, d.day);
    CHECK(read(text).day == day);
  }
}

TEST("random bytes are read without harm") {
  std::mt19937 random(4);
  int days = 0;
  for (int run = 0; run < 200000; ++run) {
    std::string text;
    for (unsigned i = random() % 14; i > 0; --i)
      text += "0123456789-/. :TZ,+JanFebPM\xC2\xA0"[random() % 30];
    days += read(text).forms != 0;
  }
  CHECK(days > 0);
}
