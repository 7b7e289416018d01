# Days of moments: zones whose clocks are changed at midnight, and zones that change while R runs.

# Zones of the tz database with a local day that has midnight twice or not at all, with a moment
# near each.
changes_at_midnight <- function() {
  utc <- seq(as.POSIXct("1995-01-01", tz = "UTC"), as.POSIXct("2026-01-01", tz = "UTC"), by = 43200)
  out <- lapply(setdiff(OlsonNames(), c("Factory", "localtime")), function(zone) {
    offset <- as.POSIXlt(utc, tz = zone)$gmtoff
    for (at in which(diff(offset) != 0)) {
      near <- utc[at] + seq(0, 43200, by = 900)
      moved <- which(diff(as.POSIXlt(near, tz = zone)$gmtoff) != 0)
      if (length(moved) == 0) next
      clock <- as.POSIXlt(near[moved[1] + 0:1], tz = zone)
      seconds <- clock$hour * 3600 + clock$min * 60
      # The change leads over midnight.
      if (min(seconds[2], 86400 - seconds[2]) <= 7200) {
        return(data.frame(zone = zone, at = near[moved[1] + 1]))
      }
    }
  })
  do.call(rbind, out)
}

test_that("moments count on their local day, on days with two midnights or none", {
  zones <- changes_at_midnight()
  expect_gt(nrow(zones), 40)
  # Names that are abbreviations to some are refused.
  zones <- zones[grepl("/", zones$zone, fixed = TRUE), ]
  set.seed(5)
  zones <- zones[unique(c(which(zones$zone %in% c("Atlantic/Azores", "America/Havana")),
                          sample(nrow(zones), rounds(12, 60)))), ]
  for (engine in setdiff(engine_names, "SQLite")) {
    at <- open_engine_here(engine)
    if (engine == "PostgreSQL over servers") next
    for (i in seq_len(nrow(zones))) {
      moments <- zones$at[i] + seq(-2 * 86400, 2 * 86400, by = 1800)
      table <- with_row_numbers(data.frame(at = moments, fare = seq_along(moments)))
      at$put(table)
      zone <- zones$zone[i]
      asked <- function(x) {
        days <- suppressMessages(statement(x, per = "day", a = total(fare), n = entries()))
        middle <- days$from[2:(nrow(days) - 1)]
        alone <- lapply(as.character(middle), function(day) {
          s <- suppressMessages(statement(x, span = day, a = total(fare), n = entries()))
          list(s$a, s$n, as.list(as.data.frame(control_totals(s))))
        })
        hours <- suppressMessages(statement(x, by = "hour", a = total(fare)))
        list(days$from, days$a, days$n, alone, hours$hour, hours$a)
      }
      x <- ledger(table, on = "at", time_zone = zone)
      y <- ledger_at(at, on = "at", time_zone = zone)
      expect_equal(asked(y), asked(x), info = paste(engine, zone))
    }
    expect_refused(ledger_at(at, on = "at", time_zone = "WET"), "Name a place", "choice")
    at$close()
  }
})

test_that("days of date-times without a zone follow the zone that R has now", {
  at <- as.POSIXct("2026-03-01 23:30:00", tz = "UTC")
  attr(at, "tzone") <- NULL
  day <- function() statement(ledger(data.frame(at = at), on = "at"), per = "day")$from
  invisible(Sys.timezone())
  withr::with_envvar(c(TZ = "Asia/Tokyo"), {
    expect_identical(day(), as.Date("2026-03-02"))
    expect_match(format(ledger(data.frame(at = at), on = "at")), "in Asia/Tokyo", all = FALSE)
  })
  withr::with_envvar(c(TZ = "America/Lima"), expect_identical(day(), as.Date("2026-03-01")))
  # Where the system's zone was asked for, and is remembered, before another was set.
  code <- paste("suppressMessages(library(rollingledger)); invisible(Sys.timezone());",
                "at <- structure(1772407800, class = c('POSIXct', 'POSIXt'));",
                "Sys.setenv(TZ = 'Asia/Tokyo');",
                "cat(format(statement(ledger(data.frame(at = at), on = 'at'), per = 'day')$from))")
  said <- system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", "-e", shQuote(code)),
                  stdout = TRUE, stderr = FALSE, env = "TZ=")
  expect_identical(said, "2026-03-02")
})

test_that("text in a column that SQLite takes for numbers is compared as text", {
  skip_if_not_installed("RSQLite")
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  codes <- c("10a", "2b", "5", "a", "", NA, "1e2x", "\u00e9")
  table <- data.frame(day = rep("2026-01-01", 16), code = rep(codes, 2), fare = 1:16)
  for (type in c("STRING", "DATE", "DECIMAL(9,2)", "NUMERIC", "INT", "REAL", "TEXT", "", "BLOB")) {
    DBI::dbExecute(con, "DROP TABLE IF EXISTS fares")
    DBI::dbExecute(con, sprintf("CREATE TABLE fares (day TEXT, code %s, fare INTEGER)", type))
    DBI::dbExecute(con, "INSERT INTO fares VALUES (?, ?, ?)", params = unname(as.list(table)))
    held <- DBI::dbGetQuery(con, "SELECT DISTINCT typeof(code) AS k FROM fares")$k
    if (!all(held %in% c("text", "null"))) {
      # What the column turned into a number is one.
      DBI::dbExecute(con, "DELETE FROM fares WHERE typeof(code) NOT IN ('text', 'null')")
    }
    x <- ledger(DBI::dbGetQuery(con, "SELECT * FROM fares"), on = "day")
    y <- ledger(con, table = "fares", on = "day")
    for (where in c("code < '5'", "code >= '10a'", "code == '2b'", "code != ''",
                    "code %in% c('5', '10a')", "has_text(code, 'B')", "is_missing(code)")) {
      alike(x, y, a = "total(fare)", n = "entries()", where = where,
            info = paste(type, where))
    }
    alike(x, y, by = "code", a = "total(fare)", info = type)
    names <- data.frame(code = c("2b", "5", "10a"), kind = c("one", "two", "three"))
    alike(suppressMessages(add_attributes(x, names, "code")),
          suppressMessages(add_attributes(y, names, "code")), by = "kind", a = "total(fare)",
          info = type)
  }
  DBI::dbDisconnect(con)
})
