# Awkward files, one per trap: made here, each with what must come out of it. `figure` is
# total(amount) by day or all in all, `refused` the words of the refusal, `says` those of a message.

written <- function(folder, name, lines, encoding = NULL, ends = "\n") {
  bytes <- if (is.raw(lines)) lines else charToRaw(paste0(paste0(enc2utf8(lines), collapse = ends),
                                                          ends))
  if (!is.null(encoding)) bytes <- iconv(list(bytes), "UTF-8", encoding, toRaw = TRUE)[[1]]
  path <- file.path(folder, name)
  writeBin(bytes, path)
  path
}

awkward <- function(name, lines, figure = NULL, refused = NULL, says = NULL, read = NULL,
                    aside = NULL, args = list(), encoding = NULL, ends = "\n", on = "day") {
  list(name = name, lines = lines, figure = figure, refused = refused, says = says, read = read,
       aside = aside, args = args, encoding = encoding, ends = ends, on = on)
}

day_file <- function(...) c("day,amount", ...)

awkward_files <- function() {
  zero <- c(charToRaw("day,amount\n2026-01-01,5"), as.raw(0), charToRaw("6\n"))
  list(
    awkward("semicolons.csv", c("day;amount;note", "31.01.2026;1.234,50;a", "01.02.2026;12,00;b"),
            figure = 1246.5, read = "decimal comma, point between thousands"),
    awkward("tabs.txt", c("day\tamount", "2026/01/31\t1 234.50", "2026/02/01\t5-"), 1229.5),
    awkward("pipes.csv", c("day|amount", "2026-01-03|1'234.50", "2026-01-04|2"), 1236.5),
    awkward("quoted-thousands.csv", day_file("2026-01-03,\"1,234.50\"", "2026-01-04,\"2.00\""),
            1236.5),
    awkward("either-reading.csv", c("day;amount", "31.01.2026;1.234", "01.02.2026;12.500"),
            refused = "such as \"1.234\", could be 1.234 or 1234"),
    awkward("either-said.csv", c("day;amount", "31.01.2026;1.234", "01.02.2026;12.500"),
            13734, args = list(number_format = "1.234,56")),
    awkward("both-ways.csv", day_file("2026-01-03,\"1,5\"", "2026-01-04,2.5"),
            refused = "written in several ways"),
    awkward("currency.csv", c("day;amount", "31.01.2026;\u20ac 1.234,50",
                              "01.02.2026;(12,00) \u20ac"), 1222.5, read = "in EUR",
            encoding = "windows-1252", says = "was read as Windows-1252"),
    awkward("codes-of-currency.csv", day_file("2026-01-03,USD 5", "2026-01-04,7 USD"), 12),
    awkward("two-currencies.csv", day_file("2026-01-03,\u20ac5", "2026-01-04,\u00a36"),
            refused = "amounts in EUR and in GBP, which do not add up"),
    awkward("per-cent.csv", day_file("2026-01-03,5%", "2026-01-04,12.5%"), 0.175),
    awkward("mixed-per-cent.csv", day_file("2026-01-03,5%", "2026-01-04,12.5"),
            refused = "with % and without"),
    awkward("utf16.csv", day_file("2026-01-03,5", "2026-01-04,6"), 11, encoding = "UTF-16",
            read = "UTF-16"),
    awkward("marked.csv", c("\ufeffday,amount", "2026-01-03,5"), 5),
    awkward("old-mac.csv", day_file("2026-01-03,5", "2026-01-04,6"), 11, ends = "\r"),
    awkward("windows.csv", day_file("2026-01-03,5", "2026-01-04,6"), 11, ends = "\r\n"),
    awkward("titles.csv", c("Saltmarsh Ferries, takings", "", "day,amount,n", "2026-01-31,5,1",
                            "2026-02-01,6,2", "Total,11,"), 11, aside = c(1, 6)),
    awkward("repeated-header.csv", day_file("2026-01-31,5", "day,amount", "2026-02-01,6"), 11,
            aside = 3),
    awkward("short-total.csv", c("day,amount,n", "2026-01-31,5,1", "Total 5"), 5, aside = 3),
    awkward("member-total.csv", c("day,amount,n", "2026-01-31,5,1", "2026-02-01,6,2",
                                  "Total,7,3"), 11, aside = 4),
    awkward("footer.csv", day_file("2026-01-31,5", "3 rows"), refused = "line 3 has 1 field"),
    awkward("loose-comma.csv", c("day,amount,", "2026-01-31,5", "2026-02-01,6"),
            refused = "line 1 has 3 fields, and the others have 2"),
    awkward("ragged.csv", day_file("2026-01-31,5", "2026-02-01,6,7", "2026-02-02,8"),
            refused = "line 3 has 3 fields"),
    awkward("no-header.csv", c("2026-01-31,5", "2026-02-01,6"), refused = "has no header"),
    awkward("row-numbers.csv", c(",day,amount", "1,2026-01-31,5", "2,2026-02-01,6"), 11,
            read = "column_1"),
    awkward("year-column.csv", c("day,amount,2024,2025", "2026-01-31,5,1,2", "2026-02-01,6,2,2"),
            11),
    awkward("doubled-quotes.csv", c("day,amount,item", "2026-01-31,5,\"7\"\" SINGLE\"",
                                    "2026-02-01,6,\"a,\nb\""), 5,
            args = list(where = quote(item == "7\" SINGLE"))),
    awkward("open-quote.csv", c("day,amount,item", "2026-01-31,5,\"7\"", "2026-02-01,6,\"b"),
            figure = 11, says = "Some quotes in .* are not doubled or closed"),
    awkward("zero-byte.csv", zero, refused = "line 2 holds a zero byte"),
    awkward("digits.csv", day_file("2026-01-03,12345678901234567", "2026-01-04,5"),
            refused = "holds text"),
    awkward("long-fractions.csv", day_file("2026-01-03,0.30000000000000004", "2026-01-04,0.1"),
            0.30000000000000004 + 0.1),
    awkward("powers.csv", c("day,amount,code", "2026-01-03,1e+05,12E3", "2026-01-04,2,1E10"), 1e5,
            args = list(where = quote(code == "12E3"))),
    awkward("mostly.csv", day_file("2026-01-03,5", "2026-01-04,6", "2026-01-05,C6"),
            refused = "1 of its values is no number, such as \"C6\" in line 4"),
    awkward("mostly-said.csv", day_file("2026-01-03,5", "2026-01-04,6", "2026-01-05,C6"), 11,
            args = list(amounts = "amount"), aside = 4),
    awkward("missing.csv", c("day,amount,item", "2026-01-03,N/A,-", "2026-01-04,6,null",
                             "-,7,x"), 6, aside = 4),
    awkward("digits-date.csv", day_file("20260103,5", "20260214,6"), 11),
    awkward("names.csv", day_file("\"January 3, 2026\",5", "\"Feb 14, 2026\",6"), 11),
    awkward("spoken.csv", day_file("3 Jan 2026,5", "14 Feb 2026,6"), 11),
    awkward("months.csv", day_file("2026-01,5", "2026-02,6"), 11, read = "months"),
    awkward("timed.csv", day_file("31/01/2026 14:05,5", "01/02/2026 2:15 PM,6"), 11,
            read = "date-times on the day as written"),
    awkward("unproved.csv", day_file("03/04/2026,5", "05/06/2026,6"),
            refused = "\"03/04/2026\" is 3 Apr 2026 or 4 Mar 2026"),
    awkward("contradicting.csv", day_file("13/04/2026,5", "04/13/2026,6"),
            refused = "written in two ways"),
    awkward("two-digits.csv", day_file("31/12/25,5", "1/1/69,6"), 11,
            read = "69 to 99 of the 1900s"),
    awkward("plain.csv.gz", day_file("2026-01-03,5"), 5, says = "is not compressed"),
    awkward("other-date.csv", c("day,amount,due", "2026-01-03,5,31.01.2026",
                                "2026-01-04,6,02.02.2026"), 6,
            args = list(where = quote(due >= "2026-02-01"))),
    awkward("no-date.csv", c("sold,amount,due", "2026-01-03,5,2026-03-01"), on = "amount",
            refused = "It could be sold \\(3 Jan 2026\\) or due \\(1 Mar 2026\\)"),
    awkward("lines.jsonl", c("{\"day\":\"2026-01-31\",\"amount\":5}",
                             "{\"day\":\"2026-02-01\",\"amount\":6}"), 11),
    awkward("broken.jsonl", c("{\"day\":\"2026-01-31\",\"amount\":5}", "{\"day\":\"2026-02-01\""),
            refused = "line 2 is no JSON"),
    awkward("stated.csv", c("sep=;", "day;amount", "2026-01-03;5"), 5)
  )
}
