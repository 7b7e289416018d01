// Names of months as they are written in English, German, French, Spanish, Italian, Dutch and
// Portuguese, in small letters, whole and shortened: one table for all who read days.
#pragma once
#include <cstring>
#include <string>

namespace ledger {

// The month of a name, 1 to 12; 0 for none.
inline int month_called(const std::string& name) {
  struct Month {
    const char* name;
    int number;
  };
  static const Month kMonths[] = {
    {"jan", 1}, {"january", 1}, {"januar", 1}, {"jänner", 1}, {"jaenner", 1}, {"jänn", 1},
    {"janvier", 1}, {"janv", 1}, {"enero", 1}, {"ene", 1}, {"gennaio", 1}, {"gen", 1},
    {"januari", 1}, {"janeiro", 1}, {"feb", 2}, {"february", 2}, {"februar", 2}, {"febr", 2},
    {"février", 2}, {"fevrier", 2}, {"févr", 2}, {"fevr", 2}, {"fév", 2}, {"fev", 2},
    {"febrero", 2}, {"febbraio", 2}, {"februari", 2}, {"fevereiro", 2}, {"mar", 3}, {"march", 3},
    {"märz", 3}, {"maerz", 3}, {"mär", 3}, {"mrz", 3}, {"mars", 3}, {"marzo", 3}, {"maart", 3},
    {"mrt", 3}, {"março", 3}, {"marco", 3}, {"apr", 4}, {"april", 4}, {"avril", 4}, {"avr", 4},
    {"abril", 4}, {"abr", 4}, {"aprile", 4}, {"may", 5}, {"mai", 5}, {"mayo", 5}, {"maggio", 5},
    {"mag", 5}, {"mei", 5}, {"maio", 5}, {"jun", 6}, {"june", 6}, {"juni", 6}, {"juin", 6},
    {"junio", 6}, {"giugno", 6}, {"giu", 6}, {"junho", 6}, {"jul", 7}, {"july", 7}, {"juli", 7},
    {"juillet", 7}, {"juil", 7}, {"julio", 7}, {"luglio", 7}, {"lug", 7}, {"julho", 7},
    {"aug", 8}, {"august", 8}, {"août", 8}, {"aout", 8}, {"aoû", 8}, {"agosto", 8}, {"ago", 8},
    {"augustus", 8}, {"sep", 9}, {"sept", 9}, {"september", 9}, {"septembre", 9},
    {"septiembre", 9}, {"settembre", 9}, {"setembro", 9}, {"set", 9}, {"oct", 10},
    {"october", 10}, {"okt", 10}, {"oktober", 10}, {"octobre", 10}, {"octubre", 10},
    {"ottobre", 10}, {"ott", 10}, {"outubro", 10}, {"out", 10}, {"nov", 11}, {"november", 11},
    {"novembre", 11}, {"noviembre", 11}, {"novembro", 11}, {"dec", 12}, {"december", 12},
    {"dez", 12}, {"dezember", 12}, {"décembre", 12}, {"decembre", 12}, {"déc", 12},
    {"diciembre", 12}, {"dic", 12}, {"dicembre", 12}, {"dezembro", 12},};
  for (const Month& month : kMonths) if (name == month.name) return month.number;
  return 0;
}

}  // namespace ledger
