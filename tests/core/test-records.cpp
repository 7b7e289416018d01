#include <random>
#include <string>
#include <vector>

#include "../../src/core/records.h"
#include "check.h"

namespace {

// How many fields the first record has.
std::int64_t header_fields(const std::string& text, char separator = ',') {
  ledger::RecordWalk walk(text.data(), text.size(), separator);
  ledger::Record header;
  walk.next(header);
  return header.fields;
}

ledger::RecordSurvey surveyed(const std::string& text, char separator = ',') {
  return ledger::survey_records(text.data(), text.size(), separator, 0, 1,
                                header_fields(text, separator), ledger::Host());
}

ledger::RecordSurvey surveyed_by(int threads, const std::string& text) {
  ledger::Host host;
  host.threads = threads;
  host.small = 0;
  return ledger::survey_records(text.data(), text.size(), ',', 0, 1, header_fields(text),
                                host);
}

std::vector<ledger::Record> records_of(const std::string& text) {
  ledger::RecordWalk walk(text.data(), text.size(), ',');
  std::vector<ledger::Record> out;
  ledger::Record record;
  while (walk.next(record)) out.push_back(record);
  return out;
}

}  // namespace

TEST("records are counted with their fields") {
  const auto plain = surveyed("a,b\n1,2\n3,4\n");
  CHECK(plain.records == 3);
  CHECK(plain.odd == 0);
  CHECK(surveyed("a,b\n1,2\n3,4").records == 3);  // no end to the last line
  CHECK(surveyed("a,b\r\n1,2\r\n3,4\r\n").records == 3);
  const auto odd = surveyed("a,b\n1,2,\n3,4\n");
  CHECK(odd.odd == 1 && odd.odd_ones[0].line == 2 && odd.odd_ones[0].fields == 3);
  // Lines of the file are counted, within quotes too.
  CHECK(surveyed("a,b\n\"x\ny\",2\n1\n").odd_ones[0].line == 4);
  const auto blank = surveyed("a,b\n\n1,2\n\n");
  CHECK(blank.records == 2 && blank.has_blanks);
  CHECK(!surveyed("a,b\n1,2\n\n").has_blanks);
  CHECK(surveyed("a;b;c\n1;2;3\n", ';').last[0].fields == 3);
  const auto again = surveyed("a,b\n1,2\na,b\n3,4\n");
  CHECK(again.like_header.size() == 1 && again.like_header[0].line == 3);
}

TEST("quotes hold separators, lines and quotes") {
  const std::string text = "a,b\n\"x, \"\"y\"\"\nz\",2\n";
  const auto quoted = surveyed(text);
  CHECK(quoted.records == 2);
  CHECK(quoted.odd == 0);
  CHECK(!quoted.loose);
  CHECK(quoted.has_breaks);
  const auto fields = ledger::record_fields(text.data(), records_of(text)[1], ',');
  CHECK(fields.size() == 2 && fields[0] == "x, \"y\"\nz" && fields[1] == "2");
  CHECK(surveyed("a,b\n\"x\" y,2\n").loose);
  CHECK(surveyed("a,b\n\"x,2\n").loose_line > 0);
  CHECK(!surveyed("a,b\nx \"y\",2\n").loose);  // a quote within a field is text
  CHECK(ledger::line_of_zero_byte("a,b\n5\0006,2\n", 10) == 2);
}

TEST("records of random text are those of a walk byte by byte") {
  std::mt19937 random(5);
  int quotes_met = 0;
  for (int run = 0; run < 3000; ++run) {
    std::string text;
    for (int i = 0; i < 40; ++i) text += "ab,\n\r\"\""[random() % 7];
    // The slow way: one byte after the other.
    std::int64_t records = 0, fields = 1;
    bool quoted = false, started = false, field_start = true;
    for (std::size_t i = 0; i < text.size(); ++i) {
      const char c = text[i];
      if (quoted) {
        if (c == '"' && i + 1 < text.size() && text[i + 1] == '"') ++i;
        else if (c == '"') quoted = false;
        continue;
      }
      if (c == '\n') {
        records += started;
        started = false;
        fields = 1;
        field_start = true;
      } else if (c == '\r') {
        continue;
      } else {
        started = true;
        if (c == ',') ++fields;
        if (c == '"' && field_start) {
          quoted = true;
          ++quotes_met;
        }
        field_start = c == ',';
      }
    }
    records += started;
    // Where a carriage return stands alone at a line's start the walks differ in what is blank.
    CHECK(static_cast<std::int64_t>(records_of(text).size()) == records);
  }
  CHECK(quotes_met > 1000);
}

TEST("stretches side by side give what one walk gives") {
  std::mt19937 random(9);
  int blanks = 0;
  for (int run = 0; run < 2000; ++run) {
    std::string text = "a,b\n";
    for (unsigned i = random() % 200; i > 0; --i) text += "ab,\n\r,\n"[random() % 7];
    if (run % 5 == 0) text += "\na,b\n1,2,3\na,b\n\n";
    const auto one = surveyed_by(1, text);
    for (const int threads : {2, 3, 7}) {
      const auto some = surveyed_by(threads, text);
      CHECK(some.records == one.records && some.odd == one.odd && some.lines == one.lines);
      CHECK(some.has_blanks == one.has_blanks && some.last.size() == one.last.size());
      for (std::size_t i = 0; i < one.last.size(); ++i)
        CHECK(some.last[i].line == one.last[i].line && some.last[i].from == one.last[i].from);
      CHECK(some.odd_ones.size() == one.odd_ones.size());
      for (std::size_t i = 0; i < one.odd_ones.size(); ++i)
        CHECK(some.odd_ones[i].line == one.odd_ones[i].line);
      CHECK(some.like_header.size() == one.like_header.size());
    }
    blanks += one.has_blanks;
  }
  CHECK(blanks > 500);
}

TEST("bytes are UTF-8 or not") {
  const auto valid = [](const std::string& s) {
    return ledger::check_utf8(s.data(), s.size()).valid;
  };
  CHECK(valid("plain text of some length"));
  CHECK(valid("Z\xC3\xBCrich \xE2\x82\xAC \xF0\x9F\x9A\xA2"));
  CHECK(!valid("Z\xFCrich"));
  CHECK(!valid("\xC0\xAF"));          // longer than needed
  CHECK(!valid("\xED\xA0\x80"));      // half of a pair
  CHECK(!valid("\xF4\x90\x80\x80"));  // beyond Unicode
  CHECK(!valid("cut \xE2\x82"));
  CHECK(ledger::check_utf8("a\nb\xFF", 4).bad_line == 2);
}

// Field by field: a sign, then a zero before another digit.
TEST("fields that may begin with a zero are never missed") {
  std::mt19937 random(21);
  const std::string letters = "001234.,-+\" a\n";
  for (int run = 0; run < 2000; ++run) {
    std::string text;
    for (std::size_t left = random() % 12; left > 0; --left)
      text += letters[random() % letters.size()];
    bool any = false;
    std::string field;
    for (const char c : text + ",") {
      if (c != ',' && c != '\n' && c != '"' && c != ' ') {
        field += c;
        continue;
      }
      const std::size_t sign = !field.empty() && (field[0] == '-' || field[0] == '+');
      any = any || (field.size() >= sign + 2 && field[sign] == '0' && field[sign + 1] >= '0' &&
                    field[sign + 1] <= '9');
      field.clear();
    }
    // What stands at the very beginning is a name of a column.
    const std::string file = "day,fare\n" + text;
    CHECK(ledger::may_begin_with_zero(file.data(), file.size(), ',') == any);
  }
}
