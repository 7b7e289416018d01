// Currencies by their signs and by the codes of ISO 4217.
#pragma once
#include <cstddef>
#include <cstring>

namespace ledger {

// A code of three letters, or a sign; a sign that several currencies share stays as it is.
struct Currency {
  const char* written;
  const char* unit;
};

constexpr Currency kSigns[] = {
    {"US$", "USD"}, {"AU$", "AUD"}, {"CA$", "CAD"}, {"MX$", "MXN"}, {"NT$", "TWD"},
    {"S$", "SGD"}, {"A$", "AUD"}, {"C$", "CAD"}, {"NZ$", "NZD"}, {"HK$", "HKD"}, {"R$", "BRL"},
    {"$", "$"}, {"\xE2\x82\xAC", "EUR"}, {"\xC2\xA3", "GBP"}, {"\xC2\xA5", "\xC2\xA5"},
    {"\xE2\x82\xB9", "INR"}, {"\xE2\x82\xA9", "KRW"}, {"\xE2\x82\xBA", "TRY"},
    {"\xE2\x82\xBD", "RUB"}, {"\xE2\x82\xB4", "UAH"}, {"\xE2\x82\xAA", "ILS"},
    {"\xE2\x82\xA6", "NGN"}, {"\xE2\x82\xAB", "VND"}, {"\xE0\xB8\xBF", "THB"},
    {"z\xC5\x82", "PLN"}, {"K\xC4\x8D", "CZK"}, {"kr", "kr"}, {"Ft", "HUF"}, {"Fr.", "CHF"}};

constexpr char kCodes[] =
    "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP "
    "BYN BZD CAD CDF CHF CLP CNY COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP "
    "GEL GHS GIP GMD GNF GTQ GYD HKD HNL HTG HUF IDR ILS INR IQD IRR ISK JMD JOD JPY KES KGS KHR "
    "KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK "
    "MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON RSD RUB RWF SAR "
    "SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS "
    "UAH UGX USD UYU UZS VED VES VND VUV WST XAF XCD XOF XPF YER ZAR ZMW ZWG";
constexpr int kSignCount = static_cast<int>(sizeof(kSigns) / sizeof(kSigns[0]));

inline bool same_letters(const char* a, const char* b, std::size_t n) {
  return std::memcmp(a, b, n) == 0;
}

// The place of a code of three letters in the table, or -1.
inline int currency_code(const char* three) {
  for (int i = 0; i + 3 <= static_cast<int>(sizeof(kCodes)) - 1; i += 4) {
    if (same_letters(kCodes + i, three, 3)) return kSignCount + i / 4;
  }
  return -1;
}

// Takes a currency off the front or the end of a text; its place in the table, or -1.
inline int take_currency(const char*& from, const char*& to) {
  const auto left = static_cast<std::size_t>(to - from);
  if (left > 3) {
    int code = currency_code(from);
    if (code >= 0) return from += 3, code;
    code = currency_code(to - 3);
    if (code >= 0) return to -= 3, code;
  }
  for (int i = 0; i < kSignCount; ++i) {
    const std::size_t size = std::strlen(kSigns[i].written);
    if (left <= size) continue;
    if (same_letters(from, kSigns[i].written, size)) return from += size, i;
    if (same_letters(to - size, kSigns[i].written, size)) return to -= size, i;
  }
  return -1;
}

// The unit of a place in the table, three bytes of a code or a sign.
inline const char* currency_unit(int place, char (&three)[4]) {
  if (place < kSignCount) return kSigns[place].unit;
  std::memcpy(three, kCodes + (place - kSignCount) * 4, 3);
  three[3] = '\0';
  return three;
}

// One unit may be written by its sign or its code.
inline bool same_currency(int a, int b) {
  char x[4], y[4];
  return std::strcmp(currency_unit(a, x), currency_unit(b, y)) == 0;
}

}  // namespace ledger
