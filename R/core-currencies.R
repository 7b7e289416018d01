# Currencies by their codes: how many decimals their amounts have. Source: ISO 4217, table A.1,
# current currencies and funds.

currencies_by_decimals <- lapply(list(
  "0" = "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF",
  "2" = paste(
    "AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BMD BND BOB BOV BRL BSD BTN BWP BYN",
    "BZD CAD CDF CHE CHF CHW CNY COP COU CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP",
    "GEL GHS GIP GMD GTQ GYD HKD HNL HTG HUF IDR ILS INR IRR JMD KES KGS KHR KPW KYD KZT LAK LBP",
    "LKR LRD LSL MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK MXN MXV MYR MZN NAD NGN NIO NOK NPR",
    "NZD PAB PEN PGK PHP PKR PLN QAR RON RSD RUB SAR SBD SCR SDG SEK SGD SHP SLE SOS SRD SSP STN",
    "SVC SYP SZL THB TJS TMT TOP TRY TTD TWD TZS UAH USD USN UYU UZS VED VES WST XAD XCD XCG YER",
    "ZAR ZMW ZWG"),
  "3" = "BHD IQD JOD KWD LYD OMR TND",
  "4" = "CLF UYW"
), function(codes) strsplit(codes, " ")[[1]])

# The decimals of a unit that is a currency; NULL for any other.
currency_decimals <- function(unit) {
  if (is.null(unit)) return(NULL)
  for (decimals in names(currencies_by_decimals))
    if (unit %in% currencies_by_decimals[[decimals]]) return(as.integer(decimals))
}
