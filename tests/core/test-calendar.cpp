#include "../../src/core/calendar.h"

#include <array>
#include <cstdlib>
#include <vector>

#include "check.h"

using namespace ledger;

static const Grain kGrains[] = {Grain::day,          Grain::week,           Grain::month,
                                Grain::quarter,      Grain::year,           Grain::fiscal_week,
                                Grain::fiscal_month, Grain::fiscal_quarter, Grain::fiscal_year};

TEST("every day of years 1 to 9999 follows the one before, and there and back is the same") {
  Date expected{1, 1, 1};
  int weekday = 1;  // 0001-01-01 was a Monday
  bool right = true;
  for (Day d = kFirstDay; d <= kLastDay && right; ++d) {
    const Date date = date_of(d);
    right = date.year == expected.year && date.month == expected.month &&
            date.day == expected.day && day_of(date.year, date.month, date.day) == d &&
            weekday_of(d) == weekday;
    weekday = weekday % 7 + 1;
    if (++expected.day > days_in_month(expected.year, expected.month)) {
      expected.day = 1;
      if (++expected.month > 12) {
        expected.month = 1;
        ++expected.year;
      }
    }
  }
  CHECK(right);
  CHECK(expected.year == 10000);
}

TEST("known days") {
  CHECK(day_of(1970, 1, 1) == 0);
  CHECK(day_of(2000, 2, 29) == 11016);
  CHECK(day_of(1, 1, 1) == kFirstDay);
  CHECK(day_of(9999, 12, 31) == kLastDay);
  CHECK(weekday_of(day_of(2026, 9, 17)) == 4);
  CHECK(!is_leap_year(1900) && is_leap_year(2000) && is_leap_year(2024) && !is_leap_year(2026));
}

TEST("ISO text is read exactly or not at all") {
  CHECK(day_from_iso("2024-02-29", 10) == day_of(2024, 2, 29));
  for (const char* bad : {"2025-02-29", "2025-02-30", "2025-13-01", "2025-00-10", "2025-01-00",
                          "0000-01-01", "2025/01/01", "2025-1-001", "20250101--", "2025-01-0x"}) {
    CHECK(day_from_iso(bad, 10) == kNoDay);
  }
  CHECK(day_from_iso("2025-01-01 ", 11) == kNoDay);
  CHECK(day_from_iso("", 0) == kNoDay);
}

TEST("numbers that are no days of years 1 to 9999 are no days") {
  const double numbers[] = {0.0,       1.9,   -0.5,     std::nan(""),   INFINITY,
                            -INFINITY, 1e300, kLastDay, kLastDay + 1.0, kFirstDay - 1.0};
  Day days[10];
  day_numbers(numbers, 10, days);
  CHECK(days[0] == 0 && days[1] == 1 && days[2] == -1 && days[7] == kLastDay);
  for (int i : {3, 4, 5, 6, 8, 9}) CHECK(days[i] == kNoDay);
}

// Calendars of months, and of weeks in every pattern.
static std::vector<Calendar> calendars() {
  std::vector<Calendar> all;
  for (int start : {1, 4, 7, 10, 12})
    for (int weekday : {1, 7, 3})
      for (bool end : {true, false}) {
        Calendar c{start, end, weekday};
        c.week_anchor = 3 * (weekday % 3);
        all.push_back(c);
        for (const auto& weeks : {std::array<int, 3>{4, 4, 5}, {4, 5, 4}, {5, 4, 4}}) {
          for (bool nearest : {true, false}) {
            c.year_end_weekday = (weekday + start) % 7 + 1;
            c.year_end_nearest = nearest;
            std::copy(weeks.begin(), weeks.end(), c.pattern);
            c.long_month = start;
            all.push_back(c);
          }
        }
      }
  return all;
}

TEST("periods of every grain and calendar cover every day once, in order") {
  for (const Calendar& c : calendars()) {
    for (Grain grain : kGrains) {
      bool right = true;
      for (Day d = day_of(1998, 12, 1); d < day_of(2002, 2, 1); ++d) {
        const std::int64_t index = period_index(grain, d, c);
        const std::int64_t next = period_index(grain, d + 1, c);
        right = right && period_first_day(grain, index, c) <= d &&
                d <= period_last_day(grain, index, c);
        right = right &&
                (next == index || (next == index + 1 && period_first_day(grain, next, c) == d + 1));
      }
      CHECK(right);
    }
  }
}

TEST("coarser fiscal periods consist of whole finer ones") {
  for (const Calendar& c : calendars()) {
    bool right = true;
    const auto must = [&right](bool holds) { right = right && holds; };
    for (std::int64_t year = 1999; year < 2030; ++year) {
      must(period_first_day(Grain::fiscal_year, year, c) ==
           period_first_day(Grain::fiscal_month, year * 12, c));
      must(period_first_day(Grain::fiscal_year, year, c) ==
           period_first_day(Grain::fiscal_quarter, year * 4, c));
      if (!c.in_weeks()) continue;
      int weeks = 0;
      for (int m = 0; m < 12; ++m) {
        const int days = period_last_day(Grain::fiscal_month, year * 12 + m, c) -
                         period_first_day(Grain::fiscal_month, year * 12 + m, c) + 1;
        const bool longer = days / 7 == c.pattern[m % 3] + 1;
        must(days % 7 == 0 && (days / 7 == c.pattern[m % 3] || (longer && m + 1 == c.long_month)));
        weeks += days / 7;
      }
      must(weeks == 52 || weeks == 53);
      const Day last = period_last_day(Grain::fiscal_year, year, c);
      const Day month_end = first_day_of_month_index((year + 1) * 12 + c.fiscal_start - 1) - 1;
      must(weekday_of(last) == c.year_end_weekday);
      must(c.year_end_nearest ? std::abs(last - month_end) <= 3
                              : last <= month_end && month_end - last < 7);
    }
    CHECK(right);
  }
}

TEST("months later keep the day or take the month's last") {
  CHECK(moved_by_months(day_of(2024, 2, 29), -12, false) == day_of(2023, 2, 28));
  CHECK(moved_by_months(day_of(2024, 5, 31), -3, false) == day_of(2024, 2, 29));
  CHECK(moved_by_months(day_of(2023, 2, 28), -3, false) == day_of(2022, 11, 28));
  CHECK(moved_by_months(day_of(2023, 2, 28), -3, true) == day_of(2022, 11, 30));
  CHECK(moved_by_months(day_of(2024, 1, 15), 13, true) == day_of(2025, 2, 15));
}

static std::string label(Grain grain, Day d, const Calendar& c = Calendar{}) {
  return period_label(grain, period_index(grain, d, c), c);
}

TEST("labels") {
  const Day d = day_of(2026, 9, 17);
  const Calendar april{4, true, 1}, april_start{4, false, 1};
  CHECK(label(Grain::day, d) == "2026-09-17");
  CHECK(label(Grain::week, d) == "2026-W38");
  CHECK(label(Grain::month, d) == "2026-09");
  CHECK(label(Grain::quarter, d) == "2026-Q3");
  CHECK(label(Grain::year, d) == "2026");
  CHECK(label(Grain::fiscal_year, d, april) == "FY2027");
  CHECK(label(Grain::fiscal_quarter, d, april) == "FY2027-Q2");
  CHECK(label(Grain::fiscal_month, d, april) == "FY2027-M06");
  CHECK(label(Grain::fiscal_year, d, april_start) == "FY2026");
  CHECK(label(Grain::fiscal_year, d) == "FY2026");
  CHECK(label(Grain::fiscal_year, day_of(2026, 3, 31), april) == "FY2026");
  CHECK(label(Grain::fiscal_month, day_of(2026, 3, 31), april) == "FY2026-M12");
}

TEST("ISO 8601 weeks at the turn of years") {
  CHECK(label(Grain::week, day_of(2020, 12, 31)) == "2020-W53");
  CHECK(label(Grain::week, day_of(2021, 1, 3)) == "2020-W53");
  CHECK(label(Grain::week, day_of(2021, 1, 4)) == "2021-W01");
  CHECK(label(Grain::week, day_of(2024, 12, 30)) == "2025-W01");
  CHECK(label(Grain::week, day_of(2023, 1, 1)) == "2022-W52");
}

TEST("week 1 holds 1 January, or is the first whole week") {
  Calendar c;
  for (int weekday = 1; weekday <= 7; ++weekday)
    for (int year = 1995; year < 2025; ++year) {
      c.week_start = weekday;
      c.week_anchor = 6;
      const Day january = day_of(year, 1, 1);
      CHECK(label(Grain::week, january, c).substr(4) == "-W01");
      c.week_anchor = 0;
      Day first = january;
      while (weekday_of(first) != weekday) ++first;
      CHECK(label(Grain::week, first, c).substr(4) == "-W01");
      CHECK(first == january || label(Grain::week, january, c).substr(5, 1) == "W");
      CHECK(first == january ||
            label(Grain::week, january, c).substr(0, 4) == std::to_string(year - 1));
    }
}

TEST("weeks that start on a Sunday belong to the year of their Wednesday") {
  const Calendar sunday{1, true, 7};
  CHECK(label(Grain::week, day_of(2023, 1, 1), sunday) == "2023-W01");
  CHECK(label(Grain::week, day_of(2022, 1, 1), sunday) == "2021-W52");
  CHECK(weekday_of(period_first_day(
            Grain::week, period_index(Grain::week, day_of(2026, 9, 17), sunday), sunday)) == 7);
}
