// Grains and their periods. A period of a grain has a whole number, its index; the indexes
// of a grain follow each other without gaps, so that "the period before" is index - 1.
#pragma once
#include <cstdio>
#include <string>

#include "dates.h"

namespace ledger {

enum class Grain { day, week, month, quarter, year, fiscal_month, fiscal_quarter, fiscal_year };

struct Calendar {
  int fiscal_start = 1;       // month in which the fiscal year starts, 1 to 12
  bool label_by_end = true;   // FY2027 ends in 2027 (true) or starts in 2027 (false)
  int week_start = 1;         // 1 = Monday to 7 = Sunday
};

inline std::int64_t month_index(Day d) {
  const Date date = date_of(d);
  return static_cast<std::int64_t>(date.year) * 12 + date.month - 1;
}

inline Day first_day_of_month_index(std::int64_t index) {
  const std::int64_t year = floor_div(index, 12);
  return day_of(static_cast<int>(year), static_cast<int>(index - year * 12) + 1, 1);
}

// Days from 1970-01-01 to the first `week_start` on or after Monday 1969-12-29.
inline std::int64_t week_offset(const Calendar& c) { return -3 + (c.week_start - 1); }

inline std::int64_t period_index(Grain grain, Day d, const Calendar& c) {
  const std::int64_t shift = c.fiscal_start - 1;
  switch (grain) {
    case Grain::day: return d;
    case Grain::week: return floor_div(d - week_offset(c), 7);
    case Grain::month:
    case Grain::fiscal_month: return month_index(d);
    case Grain::quarter: return floor_div(month_index(d), 3);
    case Grain::year: return floor_div(month_index(d), 12);
    case Grain::fiscal_quarter: return floor_div(month_index(d) - shift, 3);
    case Grain::fiscal_year: return floor_div(month_index(d) - shift, 12);
  }
  return d;
}

inline Day period_first_day(Grain grain, std::int64_t index, const Calendar& c) {
  const std::int64_t shift = c.fiscal_start - 1;
  switch (grain) {
    case Grain::day: return static_cast<Day>(index);
    case Grain::week: return static_cast<Day>(index * 7 + week_offset(c));
    case Grain::month:
    case Grain::fiscal_month: return first_day_of_month_index(index);
    case Grain::quarter: return first_day_of_month_index(index * 3);
    case Grain::year: return first_day_of_month_index(index * 12);
    case Grain::fiscal_quarter: return first_day_of_month_index(index * 3 + shift);
    case Grain::fiscal_year: return first_day_of_month_index(index * 12 + shift);
  }
  return static_cast<Day>(index);
}

inline Day period_last_day(Grain grain, std::int64_t index, const Calendar& c) {
  return period_first_day(grain, index + 1, c) - 1;
}

// A week belongs to the year that holds its fourth day, which is ISO 8601's rule (the
// Thursday) when weeks start on Monday and the same idea for any other first weekday.
inline void week_year_and_number(std::int64_t index, const Calendar& c, int& year, int& number) {
  const Day fourth = period_first_day(Grain::week, index, c) + 3;
  year = date_of(fourth).year;
  number = (fourth - day_of(year, 1, 1)) / 7 + 1;
}

inline std::string period_label(Grain grain, std::int64_t index, const Calendar& c) {
  char text[32];
  const auto print = [&text](const char* format, auto... values) {
    std::snprintf(text, sizeof text, format, values...);
    return std::string(text);
  };
  const int month_shift = c.fiscal_start - 1;
  // With a January start the fiscal year is the calendar year under either label.
  const int label_shift = c.label_by_end && c.fiscal_start > 1 ? 1 : 0;
  const auto number = [](std::int64_t whole, int per) {
    return static_cast<int>(whole - floor_div(whole, per) * per) + 1;
  };
  switch (grain) {
    case Grain::day: {
      const Date d = date_of(static_cast<Day>(index));
      return print("%04d-%02d-%02d", d.year, d.month, d.day);
    }
    case Grain::week: {
      int year = 0, week = 0;
      week_year_and_number(index, c, year, week);
      return print("%04d-W%02d", year, week);
    }
    case Grain::month:
      return print("%04d-%02d", static_cast<int>(floor_div(index, 12)), number(index, 12));
    case Grain::quarter:
      return print("%04d-Q%d", static_cast<int>(floor_div(index, 4)), number(index, 4));
    case Grain::year: return print("%04d", static_cast<int>(index));
    case Grain::fiscal_month: {
      const std::int64_t shifted = index - month_shift;
      return print("FY%04d-M%02d", static_cast<int>(floor_div(shifted, 12)) + label_shift,
                   number(shifted, 12));
    }
    case Grain::fiscal_quarter:
      return print("FY%04d-Q%d", static_cast<int>(floor_div(index, 4)) + label_shift,
                   number(index, 4));
    case Grain::fiscal_year: return print("FY%04d", static_cast<int>(index) + label_shift);
  }
  return std::string();
}

}  // namespace ledger
