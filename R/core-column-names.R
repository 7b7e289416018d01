# What the names of columns say of what they hold: words, in more than one language where they are
# common in exports.

words_of_codes <- c("no", "nr", "id", "ids", "code", "codes", "key", "number", "num", "invoice",
                    "ticket", "order", "account", "customer", "zip", "postcode", "phone", "ref",
                    "reference", "sku", "ean", "barcode", "row", "line", "year", "month", "day",
                    "hour", "iban", "latitude", "longitude", "lat", "lon")
words_of_numbers <- setdiff(words_of_codes, c("year", "month", "day", "hour"))
words_of_pieces <- c("quantity", "qty", "quantities", "pieces", "units", "pcs", "menge", "anzahl",
                     "kwh", "hours", "nights")
words_of_prices <- c("price", "prices", "rate", "rates", "preis", "prix", "precio", "unitprice",
                     "each")
words_of_currencies <- c("currency", "currencies", "curr", "ccy", "waehrung", "w\u00e4hrung",
                         "devise", "moneda", "moeda", "valuta", "valuuta")
words_of_money <- c("amount", "amounts", "total", "sum", "value", "fare", "price", "sales",
                    "revenue", "turnover", "income", "cost", "costs", "net", "gross", "paid",
                    "betrag", "umsatz", "preis", "montant", "prix", "importe", "importo", "precio",
                    "prezzo", "bedrag", "prijs", "valor", "preco")

# "InvoiceNo", "unit_price" and "Order-ID" by their words.
is_named_like <- function(names, words) {
  apart <- gsub("([a-z])([A-Z])", "\\1 \\2", names)
  vapply(strsplit(lower_text(apart), "[^\\p{L}0-9]+", perl = TRUE), function(parts) {
    any(c(parts, paste(parts, collapse = "")) %in% words)
  }, TRUE)
}
