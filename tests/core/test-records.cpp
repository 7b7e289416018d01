#include <random>
#include <string>
#include <vector>

#include "../../src/core/records.h"
#include "check.h"

namespace {

ledger::RecordSurvey surveyed(const std::string& text, std::size_t piece = 1000) {
  ledger::RecordSurvey survey(',');
  for (std::size_t at = 0; at < text.size(); at += piece)
    survey.add(text.data() + at, std::min(piece, text.size() - at));
  survey.finish();
  return survey;
}

}  // namespace

TEST("records are counted with their fields") {
  const auto plain = surveyed("a,b\n1,2\n3,4\n");
  CHECK(plain.records() == 3);
  CHECK(plain.fields() == 2);
  CHECK(plain.odd_line() == 0);
  CHECK(surveyed("a,b\n1,2\n3,4").records() == 3);  // no end to the last line
  CHECK(surveyed("a,b\r\n1,2\r\n3,4\r\n").records() == 3);
  CHECK(surveyed("a,b\n1,2,\n3,4\n").odd_line() == 2);
  CHECK(surveyed("a,b\n1,2,\n3,4\n").odd_fields() == 3);
  CHECK(surveyed("a,b\n\"x\ny\",2\n1\n").odd_line() ==
        4);  // lines of the file are counted, within quotes too
  CHECK(surveyed("a,b\n\n1,2\n\n").records() == 2);
}

TEST("quotes hold separators, lines and quotes") {
  const auto quoted = surveyed("a,b\n\"x, \"\"y\"\"\nz\",2\n");
  CHECK(quoted.records() == 2);
  CHECK(quoted.odd_line() == 0);
  CHECK(quoted.loose() == false);
  CHECK(surveyed("a,b\n\"x\" y,2\n").loose() == true);
  CHECK(surveyed("a,b\n\"x,2\n").loose() == true);
  CHECK(surveyed("a,b\nx \"y\",2\n").loose() == false);  // a quote within a field is text
  CHECK(surveyed(std::string("a,b\n5\0", 6) + "6,2\n").nul_line() == 2);
}

TEST("records are the same in whatever pieces they come") {
  std::mt19937 random(5);
  for (int run = 0; run < 300; ++run) {
    std::string text;
    for (int i = 0; i < 60; ++i) text += "ab,\n\r\"\""[random() % 7];
    const auto whole = surveyed(text);
    const auto pieces = surveyed(text, 1 + random() % 5);
    CHECK(whole.records() == pieces.records());
    CHECK(whole.odd_line() == pieces.odd_line());
    CHECK(whole.loose() == pieces.loose());
  }
}
