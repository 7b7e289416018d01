#include <Rcpp.h>

#include <cmath>

#include "core/date-text.h"
#include "core/letter-case.h"
#include "core/number-text.h"
#include "glue.h"

using namespace Rcpp;

namespace {

// The bytes of a text in UTF-8, in which texts are handed over.
struct Utf8Text {
  const char* text;
  std::size_t n;
};
Utf8Text bytes_of(SEXP item) { return {CHAR(item), static_cast<std::size_t>(LENGTH(item))}; }

bool is_absent(SEXP item) { return item == NA_STRING; }

std::string unit_text(int place) {
  char three[4];
  return place < 0 ? "" : ledger::currency_unit(place, three);
}

}  // namespace

// What texts say of themselves as numbers; with `to_first_other` no further than the first that is
// none. Places are from 1, 0 for none.
// [[Rcpp::export]]
List core_survey_numbers(CharacterVector text, bool to_first_other) {
  ledger::NumberColumn column;
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if ((i & 0xFFFF) == 0) checkUserInterrupt();
    if (is_absent(items[i])) continue;
    const Utf8Text bytes = bytes_of(items[i]);
    column.add(ledger::read_number_text(bytes.text, bytes.n), i);
    if (to_first_other && column.others > 0) break;
  }
  return glue::named_list({
      {"numbers", wrap(static_cast<double>(column.numbers))},
      {"others", wrap(static_cast<double>(column.others))},
      {"first_other", wrap(static_cast<double>(column.first_other + 1))},
      {"first_number", wrap(static_cast<double>(column.first_number + 1))},
      {"allowed", wrap(static_cast<int>(column.allowed))},
      {"some", wrap(static_cast<int>(column.some))}, {"writing", wrap(column.writing())},
      {"both", wrap(column.could_be_both())}, {"has_mark", wrap(column.has_mark)},
      {"first_marked", wrap(static_cast<double>(column.first_marked + 1))},
      {"percent", wrap(column.any_percent)}, {"plain", wrap(column.any_plain)},
      {"zero_first", wrap(column.any_zero_first)}, {"digits", wrap(column.most_digits)},
      {"unit", wrap(unit_text(column.currency))},
      {"other_unit", wrap(unit_text(column.other_currency))}});
}

// Numbers of texts by a writing (from 0); missing for those that it does not read.
// [[Rcpp::export]]
NumericVector core_numbers_by(CharacterVector text, int writing) {
  if (writing < 0 || writing >= ledger::kWritings) stop("no such writing");
  NumericVector out(no_init(text.size()));
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    out[i] = NA_REAL;
    if (is_absent(items[i])) continue;
    const Utf8Text bytes = bytes_of(items[i]);
    const ledger::NumberText read = ledger::read_number_text(bytes.text, bytes.n);
    if (read.is_number && (read.allowed & (1u << writing)))
      out[i] = ledger::number_by(read, writing);
  }
  return out;
}

// What texts say of themselves as days: how many are days by each form, and the place, from 1, of
// the first whose numbers are no day by an order of day, month and year.
// [[Rcpp::export]]
List core_survey_dates(CharacterVector text) {
  double plain = 0, months = 0, numbered = 0, others = 0;
  double not_day = 0, not_month = 0, not_year = 0, first_other = 0, first_numbered = 0;
  bool times = false, offsets = false, without_offset = false, two_digits = false, digits = false;
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if ((i & 0xFFFF) == 0) checkUserInterrupt();
    if (is_absent(items[i])) continue;
    const Utf8Text bytes = bytes_of(items[i]);
    const ledger::DateText read = ledger::read_date_text(bytes.text, bytes.n);
    const auto place = static_cast<double>(i + 1);
    if (read.forms == 0) {
      if (others++ == 0) first_other = place;
      continue;
    }
    if (read.forms & ledger::kPlainForms) ++plain;
    if (read.forms & ledger::digits_only) digits = true;
    if (read.forms & ledger::month_only) ++months;
    if (read.numbered) {
      if (numbered++ == 0) first_numbered = place;
      if (!(read.forms & ledger::day_first) && not_day == 0) not_day = place;
      if (!(read.forms & ledger::month_first) && not_month == 0) not_month = place;
      if (!(read.forms & ledger::short_year_first) && not_year == 0) not_year = place;
    }
    two_digits = two_digits || read.two_digit_year;
    times = times || read.has_time;
    offsets = offsets || read.has_offset;
    without_offset = without_offset || (read.has_time && !read.has_offset);
  }
  return glue::named_list({
      {"plain", wrap(plain)}, {"months", wrap(months)}, {"numbered", wrap(numbered)},
      {"others", wrap(others)}, {"first_other", wrap(first_other)}, {"not_day", wrap(not_day)},
      {"not_month", wrap(not_month)}, {"not_year", wrap(not_year)},
      {"first_numbered", wrap(first_numbered)},
      {"times", wrap(times)}, {"offsets", wrap(offsets)},
      {"without_offset", wrap(without_offset)}, {"two_digits", wrap(two_digits)},
      {"digits", wrap(digits)}});
}

// Days of texts by a form ("plain", "day", "month" or "year" of two digits first, or "months"),
// with the second of the day and the stated offset in seconds, missing where there is none.
// [[Rcpp::export]]
List core_dates_by(CharacterVector text, std::string form) {
  const unsigned by = form == "day"      ? ledger::day_first
                      : form == "month"  ? ledger::month_first
                      : form == "year"   ? ledger::short_year_first
                      : form == "months" ? ledger::month_only
                                         : ledger::kPlainForms;
  IntegerVector days(no_init(text.size())), seconds(no_init(text.size())),
      offsets(no_init(text.size()));
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    days[i] = seconds[i] = offsets[i] = NA_INTEGER;
    if (is_absent(items[i])) continue;
    const Utf8Text bytes = bytes_of(items[i]);
    const ledger::DateText read = ledger::read_date_text(bytes.text, bytes.n);
    days[i] = ledger::day_by(read, by);
    if (days[i] == NA_INTEGER) continue;
    if (read.has_time) seconds[i] = read.second;
    if (read.has_offset) offsets[i] = read.offset;
  }
  return glue::named_list({
      {"days", wrap(days)}, {"seconds", wrap(seconds)}, {"offsets", wrap(offsets)}});
}

// Texts, in UTF-8, in capital or small letters.
// [[Rcpp::export]]
CharacterVector core_texts_in_case(CharacterVector text, bool upper) {
  CharacterVector out(text.size());
  const SEXP* items = STRING_PTR_RO(text);
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if (is_absent(items[i])) {
      out[i] = NA_STRING;
      continue;
    }
    const Utf8Text bytes = bytes_of(items[i]);
    const std::string made = ledger::in_case(bytes.text, bytes.n, upper);
    out[i] = Rf_mkCharLenCE(made.data(), static_cast<int>(made.size()), CE_UTF8);
  }
  return out;
}
