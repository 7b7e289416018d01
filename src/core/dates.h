// Proleptic Gregorian days, counted from 1970-01-01 (day 0), for years 1 to 9999.
// Source of the rules: ISO 8601 (calendar dates, leap years of the Gregorian calendar).
#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <limits>

namespace ledger {

using Day = std::int32_t;

constexpr Day kNoDay = std::numeric_limits<std::int32_t>::min();  // the host's missing integer
constexpr Day kFirstDay = -719162;                                // 0001-01-01
constexpr Day kLastDay = 2932896;                                 // 9999-12-31

struct Date {
  int year;
  int month;  // 1 to 12
  int day;    // 1 to 31
};

constexpr std::int64_t floor_div(std::int64_t a, std::int64_t b) {
  return a / b - ((a % b != 0 && (a < 0) != (b < 0)) ? 1 : 0);
}

constexpr bool is_leap_year(int year) {
  return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
}

constexpr int days_in_month(int year, int month) {
  constexpr int kDays[12] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  return month == 2 && is_leap_year(year) ? 29 : kDays[month - 1];
}

constexpr bool is_date(int year, int month, int day) {
  return year >= 1 && year <= 9999 && month >= 1 && month <= 12 && day >= 1 &&
         day <= days_in_month(year, month);
}

// Years are counted from 1 March, so that the leap day is the last day of a year and
// the months before any month have lengths that one straight line describes.
constexpr Day day_of(int year, int month, int day) {
  const std::int64_t y = month <= 2 ? year - 1 : year;
  const std::int64_t months_since_march = (month + 9) % 12;
  const std::int64_t day_of_year = (153 * months_since_march + 2) / 5 + day - 1;
  const std::int64_t leap_days = floor_div(y, 4) - floor_div(y, 100) + floor_div(y, 400);
  return static_cast<Day>(365 * y + leap_days + day_of_year - 719468);
}

constexpr Date date_of(Day d) {
  const std::int64_t since_march_0 = static_cast<std::int64_t>(d) + 719468;
  const std::int64_t era = floor_div(since_march_0, 146097);  // 400 years
  const std::int64_t in_era = since_march_0 - era * 146097;
  const std::int64_t year_of_era =
      (in_era - in_era / 1460 + in_era / 36524 - in_era / 146096) / 365;
  const std::int64_t day_of_year =
      in_era - (365 * year_of_era + year_of_era / 4 - year_of_era / 100);
  const std::int64_t month_from_march = (5 * day_of_year + 2) / 153;
  const int day = static_cast<int>(day_of_year - (153 * month_from_march + 2) / 5 + 1);
  const int month =
      static_cast<int>(month_from_march < 10 ? month_from_march + 3 : month_from_march - 9);
  const int year = static_cast<int>(year_of_era + era * 400) + (month <= 2 ? 1 : 0);
  return Date{year, month, day};
}

// 1 = Monday to 7 = Sunday; 1970-01-01 was a Thursday.
constexpr int weekday_of(Day d) {
  return static_cast<int>((static_cast<std::int64_t>(d) + 3) -
                          floor_div(static_cast<std::int64_t>(d) + 3, 7) * 7) +
         1;
}

// Reads exactly YYYY-MM-DD; anything else, and any date that does not exist, gives kNoDay.
inline Day day_from_iso(const char* text, int length) {
  if (length != 10 || text[4] != '-' || text[7] != '-') return kNoDay;
  const int at[8] = {0, 1, 2, 3, 5, 6, 8, 9};
  int digit[8];
  for (int i = 0; i < 8; ++i) {
    const char c = text[at[i]];
    if (c < '0' || c > '9') return kNoDay;
    digit[i] = c - '0';
  }
  const int year = digit[0] * 1000 + digit[1] * 100 + digit[2] * 10 + digit[3];
  const int month = digit[4] * 10 + digit[5];
  const int day = digit[6] * 10 + digit[7];
  return is_date(year, month, day) ? day_of(year, month, day) : kNoDay;
}

// Days given as numbers, a part of a day falling away; missing, or outside years 1 to 9999: kNoDay.
inline void day_numbers(const double* numbers, std::size_t n, Day* out) {
  for (std::size_t i = 0; i < n; ++i) {
    const double v = numbers[i];
    // Truncation and one step down where that went up: floor() itself is a call.
    const bool known = v >= kFirstDay && v < kLastDay + 1.0;
    const auto whole = static_cast<Day>(known ? v : 0.0);
    out[i] = known ? whole - (static_cast<double>(whole) > v ? 1 : 0) : kNoDay;
  }
}

inline void day_numbers(const std::int32_t* numbers, std::size_t n, Day* out) {
  for (std::size_t i = 0; i < n; ++i) {
    out[i] = numbers[i] >= kFirstDay && numbers[i] <= kLastDay ? numbers[i] : kNoDay;
  }
}

}  // namespace ledger
