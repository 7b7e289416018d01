// Grains and their periods. A period of a grain has a whole number, its index; the indexes
// of a grain follow each other without gaps, so that "the period before" is index - 1.
#pragma once
#include <cstdio>
#include <string>

#include "dates.h"

namespace ledger {

enum class Grain {
  day,
  week,
  month,
  quarter,
  year,
  fiscal_week,
  fiscal_month,
  fiscal_quarter,
  fiscal_year
};

// A fiscal year consists of months, or of 52 or 53 weeks that a pattern deals out to its months.
struct Calendar {
  int fiscal_start = 1;      // month in which the fiscal year starts, 1 to 12
  bool label_by_end = true;  // FY2027 ends in 2027 (true) or starts in 2027 (false)
  int week_start = 1;        // 1 = Monday to 7 = Sunday
  int week_anchor = 3;       // a week belongs to the year that holds this day of it, 0 to 6
  int year_end_weekday =
      0;  // weekday on which a fiscal year of weeks ends; 0: it consists of months
  bool year_end_nearest =
      false;                   // that weekday nearest to the month's end, or the last in the month
  int pattern[3] = {4, 4, 5};  // weeks of the three months of each quarter
  int long_month = 12;         // fiscal month to which the 53rd week goes, 1 to 12

  bool in_weeks() const { return year_end_weekday != 0; }
};

inline std::int64_t month_index(Day d) {
  const Date date = date_of(d);
  return static_cast<std::int64_t>(date.year) * 12 + date.month - 1;
}

inline Day first_day_of_month_index(std::int64_t index) {
  const std::int64_t year = floor_div(index, 12);
  return day_of(static_cast<int>(year), static_cast<int>(index - year * 12) + 1, 1);
}

// The same day of the month so many months later, or the month's last day where it is shorter.
// With `end_to_end` the last day of a month goes to the last day of a month.
inline Day moved_by_months(Day d, std::int64_t months, bool end_to_end) {
  const Date date = date_of(d);
  const std::int64_t index = month_index(d) + months;
  const Day first = first_day_of_month_index(index);
  const Day last = first_day_of_month_index(index + 1) - 1;
  const bool at_end = end_to_end && date.day == days_in_month(date.year, date.month);
  return at_end || first + date.day - 1 > last ? last : first + date.day - 1;
}

// Weeks of all kinds follow each other by sevens; only the weekday they start on differs.
inline int first_weekday(Grain grain, const Calendar& c) {
  return grain == Grain::fiscal_week && c.in_weeks() ? c.year_end_weekday % 7 + 1 : c.week_start;
}

// Days from 1970-01-01 to the first such weekday on or after Monday 1969-12-29.
inline std::int64_t week_offset(int weekday) { return -3 + (weekday - 1); }

inline Day weekday_on_or_before(Day d, int weekday) {
  return static_cast<Day>(d - (weekday_of(d) - weekday + 7) % 7);
}

// First day of the fiscal year that starts, by the calendar's months, in year `index`.
inline Day fiscal_year_first_day(std::int64_t index, const Calendar& c) {
  const Day by_months = first_day_of_month_index(index * 12 + c.fiscal_start - 1);
  if (!c.in_weeks()) return by_months;
  // The year before ends on its weekday: the last one in the month, or the nearest to the month's
  // end, which is the last one up to three days later.
  return weekday_on_or_before(by_months - 1 + (c.year_end_nearest ? 3 : 0), c.year_end_weekday) + 1;
}

inline std::int64_t fiscal_year_index(Day d, const Calendar& c) {
  std::int64_t index = floor_div(month_index(d) - (c.fiscal_start - 1), 12);
  if (c.in_weeks()) {
    if (d < fiscal_year_first_day(index, c)) --index;
    else if (d >= fiscal_year_first_day(index + 1, c)) ++index;
  }
  return index;
}

// Weeks of a fiscal year before its month, 0 to 12.
inline int weeks_before_month(int month, bool long_year, const Calendar& c) {
  int weeks = 0;
  for (int m = 0; m < month; ++m) weeks += c.pattern[m % 3];
  return weeks + (long_year && month >= c.long_month ? 1 : 0);
}

inline bool is_long_fiscal_year(std::int64_t index, const Calendar& c) {
  return fiscal_year_first_day(index + 1, c) - fiscal_year_first_day(index, c) > 52 * 7;
}

// Months of all fiscal years, counted on: twelve to each.
inline std::int64_t fiscal_month_index(Day d, const Calendar& c) {
  if (!c.in_weeks()) return month_index(d) - (c.fiscal_start - 1);
  const std::int64_t year = fiscal_year_index(d, c);
  const int week = (d - fiscal_year_first_day(year, c)) / 7;
  const bool long_year = is_long_fiscal_year(year, c);
  int month = 0;
  while (month < 11 && weeks_before_month(month + 1, long_year, c) <= week) ++month;
  return year * 12 + month;
}

inline Day fiscal_month_first_day(std::int64_t index, const Calendar& c) {
  if (!c.in_weeks()) return first_day_of_month_index(index + c.fiscal_start - 1);
  const std::int64_t year = floor_div(index, 12);
  const int weeks =
      weeks_before_month(static_cast<int>(index - year * 12), is_long_fiscal_year(year, c), c);
  return fiscal_year_first_day(year, c) + 7 * weeks;
}

inline std::int64_t period_index(Grain grain, Day d, const Calendar& c) {
  switch (grain) {
    case Grain::day:
      return d;
    case Grain::week:
    case Grain::fiscal_week:
      return floor_div(d - week_offset(first_weekday(grain, c)), 7);
    case Grain::month:
      return month_index(d);
    case Grain::quarter:
      return floor_div(month_index(d), 3);
    case Grain::year:
      return floor_div(month_index(d), 12);
    case Grain::fiscal_month:
      return fiscal_month_index(d, c);
    case Grain::fiscal_quarter:
      return floor_div(fiscal_month_index(d, c), 3);
    case Grain::fiscal_year:
      return fiscal_year_index(d, c);
  }
  return d;
}

inline Day period_first_day(Grain grain, std::int64_t index, const Calendar& c) {
  switch (grain) {
    case Grain::day:
      return static_cast<Day>(index);
    case Grain::week:
    case Grain::fiscal_week:
      return static_cast<Day>(index * 7 + week_offset(first_weekday(grain, c)));
    case Grain::month:
      return first_day_of_month_index(index);
    case Grain::quarter:
      return first_day_of_month_index(index * 3);
    case Grain::year:
      return first_day_of_month_index(index * 12);
    case Grain::fiscal_month:
      return fiscal_month_first_day(index, c);
    case Grain::fiscal_quarter:
      return fiscal_month_first_day(index * 3, c);
    case Grain::fiscal_year:
      return fiscal_year_first_day(index, c);
  }
  return static_cast<Day>(index);
}

inline Day period_last_day(Grain grain, std::int64_t index, const Calendar& c) {
  return period_first_day(grain, index + 1, c) - 1;
}

// A week's year and number: it belongs to the year that holds its anchor day. The fourth day
// (anchor 3) is ISO 8601's rule, the Thursday, when weeks start on Monday; with the seventh day
// week 1 is the one that holds 1 January, with the first day it is the first whole week. Weeks
// of fiscal years are numbered alike, from the fiscal year's first day.
struct WeekName {
  std::int64_t year;
  int number;
};

inline WeekName week_name(Grain grain, std::int64_t index, const Calendar& c) {
  const Day anchor = period_first_day(grain, index, c) + c.week_anchor;
  const Grain year = grain == Grain::week ? Grain::year : Grain::fiscal_year;
  const std::int64_t in_year = period_index(year, anchor, c);
  return WeekName{in_year, (anchor - period_first_day(year, in_year, c)) / 7 + 1};
}

inline std::string period_label(Grain grain, std::int64_t index, const Calendar& c) {
  char text[48];
  const auto print = [&text](const char* format, auto... values) {
    std::snprintf(text, sizeof text, format, values...);
    return std::string(text);
  };
  const auto whole = [](std::int64_t i, int per) { return static_cast<int>(floor_div(i, per)); };
  const auto number = [](std::int64_t i, int per) {
    return static_cast<int>(i - floor_div(i, per) * per) + 1;
  };
  // With a January start the fiscal year is named after the calendar year under either rule.
  const int later = c.label_by_end && c.fiscal_start > 1 ? 1 : 0;
  switch (grain) {
    case Grain::day: {
      const Date d = date_of(static_cast<Day>(index));
      return print("%04d-%02d-%02d", d.year, d.month, d.day);
    }
    case Grain::week: {
      const WeekName week = week_name(grain, index, c);
      return print("%04d-W%02d", static_cast<int>(week.year), week.number);
    }
    case Grain::fiscal_week: {
      const WeekName week = week_name(grain, index, c);
      return print("FY%04d-W%02d", static_cast<int>(week.year) + later, week.number);
    }
    case Grain::month:
      return print("%04d-%02d", whole(index, 12), number(index, 12));
    case Grain::quarter:
      return print("%04d-Q%d", whole(index, 4), number(index, 4));
    case Grain::year:
      return print("%04d", whole(index, 1));
    case Grain::fiscal_month:
      return print("FY%04d-M%02d", whole(index, 12) + later, number(index, 12));
    case Grain::fiscal_quarter:
      return print("FY%04d-Q%d", whole(index, 4) + later, number(index, 4));
    case Grain::fiscal_year:
      return print("FY%04d", whole(index, 1) + later);
  }
  return std::string();
}

}  // namespace ledger
