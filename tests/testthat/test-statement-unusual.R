storm <- "2025-01-20/2025-01-26"

test_that("the storm week stands out as a whole, and no route beyond it", {
  x <- demo_ledger()
  u <- stands_out(x, per = "week", by = "route", span = storm, income = total(fare),
                  trips = entries())
  expect_identical(u$measure, c("income", "trips"))
  expect_identical(u$route, c("(all)", "(all)"))
  expect_identical(u$came, c(0, 0))
  expect_identical(u$difference, -u$expected)
  expect_true(all(is.infinite(u$times_usual)))
  expect_match(format(u, width = 200), "2 of 14 figures stand out, 20 to 26 Jan 2025", all = FALSE)
  quiet <- stands_out(x, per = "week", by = "route", income = total(fare))
  expect_identical(nrow(quiet), 0L)
  expect_match(format(quiet), "Nothing stands out: 7 figures looked at", all = FALSE)
  expect_identical(names(quiet), setdiff(names(u), "none"))
  expect_identical(answer(question(u), x), u)
  expect_identical(nrow(entries_behind(stands_out(x, per = "day", span = "2025-01-26", trips =
                                                    entries()), line = 1)), 0L)
  # Days that are said to be closed are expected to bring nothing.
  closed <- stands_out(x, per = "week", span = storm, closed = storm, trips = entries())
  expect_identical(nrow(closed), 0L)
})

test_that("what is said of a period before it begins is that of the slow way", {
  for (i in seq_len(rounds(12, 60))) {
    set.seed(i)
    n <- sample(c(80, 300, 700, 1300), 1)
    v <- round(pmax(0, 60 * stats::runif(7, 0, 2)[seq_len(n) %% 7 + 1] *
                      (1 + 0.5 * sin(seq_len(n) / 58)) + stats::rnorm(n, 0, 15)), 2)
    if (i %% 3 == 0) v[sample(n, n %/% 2)] <- 0
    size <- c(1, 7, 30)[i %% 3 + 1]
    to <- rev(seq(n, 1, by = -size))
    to <- utils::tail(to[to >= size], 60)
    from <- to - size + 1
    latest <- sample(c(6, 12, 26), 1)
    got <- own("core_said_before")(v, seq_len(n), rep(1L, n), 1L, n, 1L, as.integer(from),
                                   as.integer(to), as.integer(latest), c(364L, 728L, 1099L),
                                   logical(), integer(), integer(), 1L)
    right <- slow_said_before(v, 1, from, to, latest)
    expect_equal(as.vector(got$said), right$said, tolerance = 1e-9, info = paste("seed", i))
    expect_equal(as.vector(got$came), right$came, info = paste("seed", i))
  }
})

test_that("nothing that came later changes what stood out", {
  set.seed(3)
  d <- chance_ledger(6, 500)
  u <- function(d) stands_out(ledger(d, on = "day", as_of = "2023-05-17"), by = "member",
                              span = "2023-05-01/2023-05-14", n = entries(), share_false = 0.9)
  later <- d
  later$day[later$day > as.Date("2023-05-14")] <- as.Date("2023-05-15")
  expect_identical(as.data.frame(u(d)), as.data.frame(u(later)))
  # Nor does one period that is looked at change how another one before it is judged.
  size <- own("usual_size")
  said <- matrix(1:6 + 0, 3)
  came <- matrix(c(2, 4, 100, 1, 1, 500), 3)
  expect_identical(size(said, came, 1), size(said, replace(came, c(3, 6), 0), 1))
  expect_gt(nrow(u(d)), 0)
})

test_that("of ledgers without a change no more is listed than was said", {
  set.seed(11)
  rounds <- rounds(24, 200)
  false <- vapply(seq_len(rounds), function(i) {
    x <- ledger(chance_ledger(sample(1:12, 1), sample(300:900, 1), exp(stats::runif(1, 0, 4))),
                on = "day")
    nrow(stands_out(x, by = "member", n = entries())) > 0
  }, TRUE)
  # Of a list without a change all is false, so it is the share of lists that are not empty.
  expect_lte(mean(false), 0.1 + 2 * sqrt(0.09 / rounds))
  if (all_rounds()) expect_lte(mean(false), 0.1)
})

test_that("changes of four usual errors are found", {
  set.seed(12)
  rounds <- rounds(16, 100)
  found <- vapply(seq_len(rounds), function(i) {
    d <- chance_ledger(sample(2:5, 1), sample(400:900, 1), 40)
    last <- max(d$day) - (as.integer(format(max(d$day), "%u")) %% 7)
    x <- ledger(d, on = "day")
    # The usual error is read from a week that is made to stand out by far.
    told <- stands_out(x, by = "member", span = "latest finished week", share_false = 0.999999,
                       n = entries())
    told <- told[told$member == "m01", ]
    if (nrow(told) == 0 || round(4 * told$difference / told$times_usual) == 0) return(NA)
    usual <- abs(told$difference / told$times_usual)
    more <- round(4 * usual)
    added <- data.frame(day = last - sample(0:6, more, TRUE), member = "m01")
    u <- stands_out(ledger(rbind(d, added), on = "day", as_of = max(d$day)), by = "member",
                    n = entries())
    # The total stands for it where the two cannot be told apart.
    any(c("m01", "(all)") %in% u$member)
  }, TRUE)
  expect_gte(mean(found, na.rm = TRUE), if (all_rounds()) 0.9 else 0.75)
  expect_lt(mean(is.na(found)), 0.5)
})

test_that("the highest level that explains it comes first, and members only beyond it", {
  set.seed(4)
  d <- chance_ledger(5, 700, 60)
  week <- d$day >= max(d$day) - 6
  d$group <- ifelse(d$member %in% c("m01", "m02"), "a", "b")
  week <- d$day >= as.Date("2023-11-27")
  less <- function(which) d[!(week & which & stats::runif(nrow(d)) < 0.6), ]
  look <- function(d) stands_out(ledger(d, on = "day"), by = c("group", "member"), n = entries(),
                                 span = "2023-11-27/2023-12-03")
  all <- look(less(TRUE))
  expect_identical(all$group[1], "(all)")
  expect_lte(nrow(all), 2)
  one <- look(less(d$member == "m03"))
  expect_true("m03" %in% one$member)
  expect_false(any(c("m01", "m02", "m04", "m05") %in% one$member))
  group <- look(less(d$group == "a"))
  expect_true(any(group$group == "a" & group$member == "(all)"))
  expect_false(any(c("m03", "m04", "m05") %in% group$member))
  # A total stands before what is below it.
  expect_true(match("(all)", group$member) == 1)
})

test_that("feeds that stop, days that came twice and members that did not report are found", {
  set.seed(8)
  d <- chance_ledger(8, 400, 30)
  last <- max(d$day)
  stopped <- stands_out(ledger(d[d$day < last - 1, ], on = "day", as_of = last), per = "day",
                        by = "member", span = "latest finished 2 days", n = entries())
  expect_identical(stopped$member[1], "(all)")
  expect_identical(stopped$came[1], 0)
  twice <- stands_out(ledger(rbind(d, d[d$day == last, ]), on = "day"), per = "day",
                      by = "member", n = entries())
  expect_identical(twice$member[1], "(all)")
  expect_gt(twice$times_usual[1], 3)
  silent <- stands_out(ledger(d[!(d$day == last & d$member == "m04"), ], on = "day"), per = "day",
                       by = "member", n = entries())
  expect_true("m04" %in% silent$member)
  expect_identical(silent$times_usual[silent$member == "m04"], -Inf)
})

test_that("where the past is too short for so many figures it is told", {
  set.seed(9)
  d <- chance_ledger(2, 130, 30)
  last <- max(d$day)
  d <- d[d$day != last - 3, ]
  many <- stands_out(ledger(d, on = "day"), per = "day", by = "member", n = entries(),
                     span = "latest finished 40 days")
  expect_match(format(many, width = 200), "too few to tell one of 120 figures", all = FALSE)
  # With a past that is long enough one day of fourteen is found.
  long <- chance_ledger(2, 500, 30)
  long <- long[long$day != max(long$day) - 3, ]
  found <- stands_out(ledger(long, on = "day"), per = "day", by = "member", n = entries(),
                      span = "latest finished 14 days")
  expect_identical(found$member[1], "(all)")
  expect_identical(found$from[1], max(long$day) - 3)
})

test_that("ratios, averages and numbers of members are looked at by their own ways", {
  d <- demo_fares
  dear <- d$sailed_on >= as.Date("2026-09-07") & d$sailed_on <= as.Date("2026-09-13") &
    d$route == "Oysterby"
  d$fare[dear] <- d$fare[dear] * 4
  x <- ledger(d, on = c(sailed = "sailed_on"))
  u <- stands_out(x, by = "route", yield = total(fare) / total(passengers), mean = average(fare),
                  trips = entries())
  expect_setequal(u$measure[u$route == "Oysterby"], c("yield", "mean"))
  row <- u[u$measure == "mean" & u$route == "Oysterby", ]
  of <- d$sailed_on >= row$from & d$sailed_on <= row$to & d$route == "Oysterby"
  expect_equal(row$came, round(mean(d$fare[of]), 2))
  fewer <- d[!(d$sailed_on >= as.Date("2026-09-07") & d$sailed_on <= as.Date("2026-09-13") &
                 substr(d$account, 1, 1) %in% c("0", "1", "2", "3", "4")), ]
  riders <- stands_out(ledger(fewer, on = c(sailed = "sailed_on")), riders = distinct(account))
  week <- fewer$sailed_on >= as.Date("2026-09-07") & fewer$sailed_on <= as.Date("2026-09-13")
  expect_equal(riders$came, length(unique(fewer$account[week])))
})

test_that("a line leads to its entries, to why, and to a figure", {
  d <- demo_fares[!(demo_fares$route == "Gull Rock" & demo_fares$sailed_on >= "2026-09-07" &
                      demo_fares$passengers == 1), ]
  x <- ledger(d, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
  u <- stands_out(x, by = "route", income = total(fare), trips = entries(),
                  where = channel != "phone")
  line <- which(u$route == "Gull Rock" & u$measure == "trips")
  behind <- entries_behind(u, line = line)
  expect_identical(nrow(behind), as.integer(u$came[line]))
  expect_true(all(behind$route == "Gull Rock" & behind$channel != "phone"))
  why <- why_changed(u, now = line, by = "fare_class")
  expect_identical(why$amount[why$part == "now"], u$came[line])
  expect_match(attr(why, "sentences")[1], "31 Aug to 6 Sep 2026", fixed = TRUE)
  p <- figure_unusual(u, line = line)
  expect_equal(p$data$came[p$data$is_line], u$came[line])
  expect_gte(mean(p$data$came >= p$data$low & p$data$came <= p$data$high), 0.6)
  expect_silent(ggplot2::ggplot_build(p))
  expect_refused(entries_behind(u, line = 99), "told by its number", "choice")
  expect_refused(figure_unusual(u, line = "b"), "told by its number", "choice")
  expect_refused(figure_unusual(x), "stands_out", "choice")
  file <- withr::local_tempfile(fileext = ".html")
  write_report(u, file = file)
  expect_match(paste(readLines(file), collapse = ""), "Gull Rock")
})

test_that("measures made of others lead to their entries and to why", {
  d <- demo_fares
  dear <- d$sailed_on >= as.Date("2026-09-07") & d$sailed_on <= as.Date("2026-09-13") &
    d$route == "Oysterby"
  d$fare[dear] <- d$fare[dear] * 4
  u <- stands_out(ledger(d, on = c(sailed = "sailed_on")), by = "route", a = total(fare),
                  b = total(passengers), yield = a / b, twice = yield * 2, share_false = 0.2)
  line <- which(u$measure == "twice")[1]
  expect_identical(nrow(entries_behind(u, line = line)), sum(dear, na.rm = TRUE))
  why <- why_changed(u, now = line)
  expect_equal(why$amount[why$part == "now"], u$came[line])
})

test_that("what cannot be looked at is refused, and what is new is told", {
  x <- demo_ledger()
  one <- ledger(data.frame(day = as.Date("2026-01-05") + 0:6, g = "(all)"), on = "day")
  expect_match(format(stands_out(one, n = entries())), "fewer than 12 past weeks", all = FALSE)
  expect_refused(stands_out(one, by = "g", n = entries()), "has a member called", "choice")
  own <- ledger(transform(demo_fares, since = channel), on = c(sailed = "sailed_on"))
  expect_refused(stands_out(own, by = "since", n = entries()), "is taken", "column")
  renamed <- work_out(own, own_since = trimmed(since))
  expect_identical(nrow(stands_out(renamed, by = "own_since", n = entries())), 0L)
  expect_refused(stands_out(x, m = middle(fare)), "cannot be held", "measure")
  expect_refused(stands_out(x, m = balance(fare)), "cannot be held", "measure")
  expect_refused(stands_out(x, share_false = 1), "between 0 and 1", "choice")
  expect_refused(stands_out(x, share_false = "few"), "between 0 and 1", "choice")
  expect_refused(stands_out(x, span = "this week"), "No finished week", "span")
  expect_refused(stands_out(x, per = "hour"), "per", "choice")
  few <- stands_out(x, per = "year", income = total(fare))
  expect_identical(nrow(few), 0L)
  expect_match(format(few), "fewer than 12 past years", all = FALSE)
  d <- rbind(data.frame(day = as.Date("2025-01-06") + 0:400, g = "old"),
             data.frame(day = as.Date("2026-01-05") + 0:36, g = "new"),
             data.frame(day = as.Date("2024-01-01") + 0:36, g = "ended"))
  u <- stands_out(ledger(d, on = "day"), by = "g", n = entries())
  expect_match(format(u, width = 200), "1 member has fewer than 12 past weeks", all = FALSE)
})

test_that("the command ends with 3 where something stands out, and a brief tells what is new", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "fares.csv")
  utils::write.csv(demo_fares, file, row.names = FALSE)
  ask <- function(...) command("unusual", file, "--on", "sailed=sailed_on", "--unit", "fare=EUR",
                               "--by", "route", "--measure", "income=total(fare)", ...)
  found <- ask("--span", storm)
  expect_identical(found$status, 3L)
  expect_match(found$out, "13,722.27", all = FALSE)
  quiet <- ask()
  expect_identical(quiet$status, 0L)
  expect_match(quiet$out, "Nothing stands out", all = FALSE)
  expect_identical(ask("--line", "x")$status, 2L)
  expect_identical(ask("--share-false", "2")$status, 1L)
  brief <- file.path(folder, "look.yml")
  writeLines(c("brief: 1", "name: Look", "ledger:", "  file: fares.csv",
               "  'on': {sailed: sailed_on}", "ask:",
               "  day: {kind: day, says: as of, default: 2025-01-27}", "statements:", "  look:",
               "    stands_out:", "      per: week", "      by: route", "      as_of: <day>",
               "      measures: {income: total(fare)}"), brief)
  run <- function(...) command("run", brief, "--out", file.path(folder, "out"), "--overwrite", ...)
  expect_identical(run()$status, 3L)
  record <- file.path(folder, "out", "look.record.json")
  again <- run("--compare", record)
  expect_match(again$out, "told before", all = FALSE)
  expect_identical(again$status, 0L)
  # A week later it is another matter.
  expect_match(run("--value", "day=2025-02-03", "--compare", record)$out, "stands? out|Nothing",
               all = FALSE)
})
