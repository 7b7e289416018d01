# Daily series from life: births, flights by carrier. The made-up ferry line is smoother than these.

real_series <- function() {
  flights <- nycflights13::flights
  day <- as.Date(sprintf("%d-%02d-%02d", flights$year, flights$month, flights$day))
  births <- mosaicData::Births
  parts <- list(births = data.frame(day = as.Date(births$date), n = births$births),
                flights = data.frame(day = day, n = 1))
  for (carrier in c("UA", "B6", "EV"))
    parts[[carrier]] <- data.frame(day = day[flights$carrier == carrier], n = 1)
  parts
}

# Per cent by which the ends of the last months would have been missed, with this part of them over.
missed_at <- function(x, part, months) {
  last <- statement(x, per = "month", n = total(n), partial = "drop")
  last <- utils::tail(last, months)
  vapply(seq_len(nrow(last)), function(i) {
    days <- as.integer(last$to[i] - last$from[i]) + 1
    as_of <- last$from[i] + round(part * days) - 1
    s <- statement(x, per = "month", span = "this month", as_of = as_of, n = total(n)) |>
      add_expected(n)
    100 * abs(s$n_expected - last$n[i]) / last$n[i]
  }, 0)
}

test_that("months of real series are missed by no more than such series were before", {
  skip_if_not_installed("nycflights13")
  skip_if_not_installed("mosaicData")
  # What 21 real series were missed by in the middle, with so much of the month over.
  measured <- c("0.1" = 5.1, "0.25" = 4.7, "0.5" = 4.4, "0.75" = 2.3, "0.9" = 1.1)
  points <- if (all_rounds()) names(measured) else "0.5"
  ledgers <- lapply(real_series(), function(part) ledger(part, on = "day"))
  for (point in points) {
    off <- vapply(ledgers, function(x) {
      stats::median(missed_at(x, as.numeric(point), if (all_rounds()) 12 else 4), na.rm = TRUE)
    }, 0)
    expect_lte(stats::median(off), 1.1 * measured[[point]])
  }
})
