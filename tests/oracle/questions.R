# Whole questions at random: a table, how a ledger is built of it, a statement, and verbs in any
# order with rows cut, put in another order and joined between them. All of it is data; compare.R
# asks the package and the engine.

pick <- function(x, size = 1, replace = FALSE,
                 prob = NULL) x[sample.int(length(x), size, replace, prob)]
maybe <- function(p) stats::runif(1) < p

random_table <- function() {
  n <- pick(c(1, 3, 12, 40, 120))
  first <- as.Date("2023-11-15") + pick(-300:300, 1)
  length <- pick(c(1, 20, 90, 400))
  t <- data.frame(sailed_on = first + pick(seq_len(length), n, TRUE) - 1)
  t$booked_on <- t$sailed_on - pick(-20:60, n, TRUE)
  t$booked_on[stats::runif(n) < 0.15] <- NA
  t$sailed_on[stats::runif(n) < 0.05] <- NA
  if (all(is.na(t$sailed_on))) t$sailed_on[1] <- first
  t$entered_on <- t$sailed_on + pick(-10:50, n, TRUE)
  t$entered_on[stats::runif(n) < 0.1] <- NA
  if (all(is.na(t$entered_on))) t$entered_on[1] <- first
  t$until_on <- t$sailed_on + pick(-3:90, n, TRUE)
  t$until_on[stats::runif(n) < 0.25] <- NA
  decimals <- pick(0:4)
  t$fare <- round(stats::rnorm(n, 20, 30), decimals)
  t$fare[stats::runif(n) < 0.1] <- NA
  t$fuel <- round(abs(stats::rnorm(n, 100, 20)), 1)
  t$channel <- pick(c("web", "quay", NA), n, TRUE, c(5, 4, 1))
  t$account <- pick(c(sprintf("%03d", 1:6), NA), n, TRUE)
  kinds <- c("text", "odd text", "numbers as text", "factor", "ordered", "dates", "flags",
             "whole numbers", "long ids")
  kind <- pick(kinds)
  plain <- t
  plain$route <- t$route <- switch(kind,
    text = pick(c("Gull Rock", "Oysterby", "Tern Head", NA), n, TRUE),
    "odd text" = pick(c("", "NA", "(all)", NA, "(missing)", "a\rb", "b"), n, TRUE),
    "numbers as text" = pick(c("100000", "1e+05", "1e5", "2"), n, TRUE),
    factor = factor(pick(c("low", "medium", "high", NA), n, TRUE),
                    levels = c("low", "medium", "high", "never")),
    ordered = factor(pick(c("low", "medium", "high"), n, TRUE), levels = c("low", "medium", "high"),
                     ordered = TRUE),
    dates = as.Date("1999-12-30") + pick(0:3, n, TRUE),
    flags = pick(c(TRUE, FALSE, NA), n, TRUE),
    "whole numbers" = pick(c(100000, 12474, 7, NA), n, TRUE),
    "long ids" = NULL
  )
  if (kind == "long ids") {
    plain$route <- pick(c("9007199254740992", "9007199254740993", "9007199254740995", NA), n, TRUE)
    t$route <- bit64::as.integer64(plain$route)
    if (!any(!is.na(plain$route))) kind <- "blank"
  }
  with_more_columns(list(table = t, plain = plain, kind = kind))
}

# Columns worked out of others, and of those; and columns of the source that bear names of ours.
# `columns` are their texts for the package, `plain` has their values by hand.
with_more_columns <- function(made) {
  p <- made$plain
  made$columns <- character()
  if (maybe(0.35)) {
    add <- function(name, text, values) {
      made$columns[[name]] <<- text
      made$plain[[name]] <<- values
    }
    banded <- function(values, edges, labels) factor(
      labels[findInterval(values, edges) + 1L], levels = labels, ordered = TRUE)
    add("gross", "fare * fuel", p$fare * p$fuel)
    add("net", "gross - fare / 2", made$plain$gross - p$fare / 2)
    add("size", "band(fare, 0, 25)",
        banded(p$fare, c(0, 25), c("below 0", "0 to below 25", "25 and more")))
    # An edge is met exactly by what is written with as many decimals.
    add("class", "band(gross, 1000)", banded(round(made$plain$gross, 9), 1000,
                                              c("below 1000", "1000 and more")))
    add("way", "upper_case(text_before(channel, \"u\"))", toupper(sub("u.*", "", p$channel)))
  }
  # A lookup of some of the accounts, by a key of another name.
  if (maybe(0.25)) {
    ids <- pick(sprintf("%03d", 1:7), pick(3:7))
    made$lookup <- data.frame(id = ids, pier = pick(c("north", "south", NA), length(ids), TRUE),
                              weight = pick(c(1, 2.5, NA), length(ids), TRUE))
    at <- match(p$account, ids)
    made$plain$pier <- made$lookup$pier[at]
    made$plain$weight <- made$lookup$weight[at]
  }
  # As the source has them they go before what we call so.
  if (maybe(0.15)) {
    for (name in c("weekday", "price - cost", "fare_running", ".hour of sailed")) {
      made$table[[name]] <- made$plain[[name]] <- pick(c("x", "y", NA), nrow(p), TRUE)
    }
    made$named <- TRUE
  }
  made
}

# Calendar parts of days, worked out the long way: an ordered factor, or numbers.
part_by_hand <- function(part, day, rules) {
  date <- as.Date(day, origin = "1970-01-01")
  weekdays <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
  number <- as.integer(format(date, "%u"))
  switch(part,
    weekday = factor(weekdays[number], levels = weekdays[(rules$week_start - 2L + 1:7) %% 7L + 1L],
                     ordered = TRUE),
    month_of_year = factor(month.name[as.integer(format(date, "%m"))], levels = month.name,
                           ordered = TRUE),
    working_day = factor(ifelse(number <= 5, "working day", "day off"),
                         levels = c("working day", "day off"), ordered = TRUE),
    day_of_month = as.numeric(format(date, "%d")))
}

# A table of fiscal periods of uneven length, in quarters of two to four and years of three to five
# quarters.
random_periods <- function(days) {
  from <- min(days, na.rm = TRUE) - 3400L
  lengths <- pick(25:38, ceiling((max(days, na.rm = TRUE) + 1400L - from) / 25), TRUE)
  n <- length(lengths)
  starts <- from + cumsum(c(0L, lengths[-n]))
  run <- function(sizes, n) rep(seq_along(sizes), sizes)[seq_len(n)]
  quarter <- run(pick(2:4, n, TRUE), n)
  year <- run(pick(3:5, max(quarter), TRUE), max(quarter))[quarter]
  data.frame(from = as.integer(starts), to = as.integer(starts + lengths - 1L),
             label = sprintf("P%03d", seq_len(n)), quarter = sprintf("FQ%d of it", quarter),
             year = sprintf("FYEAR %d", year))
}

random_rules <- function(days) {
  rules <- list(fiscal_start = pick(c(1L, 1L, 4L, 10L)), fiscal_label = pick(c("end", "start")),
                week_start = pick(c(1L, 1L, 7L)))
  if (maybe(0.1))
    return(list(fiscal_start = 1L, fiscal_label = "end", week_start = rules$week_start,
                table = random_periods(days)))
  if (maybe(0.2)) {
    end <- list(rule = pick(c("last", "nearest")), weekday = pick(1:7))
    rules <- list(fiscal_start = pick(c(2L, 7L)), fiscal_label = pick(c("end", "start")),
                  week_start = end$weekday %% 7L + 1L, pattern = pick(c("4-4-5", "5-4-4")),
                  year_end = end, week_53 = 12L)
  }
  rules
}

# list(text, test, columns): a condition as the package reads it, as a function of entries, and the
# columns it speaks of.
random_condition <- function(made) {
  some <- list(
    list(text = "channel == \"web\"", test = function(e) e$channel %in% "web"),
    list(text = "channel != \"web\"", test = function(e) !is.na(e$channel) & e$channel != "web"),
    list(text = "fare > 10", test = function(e) !is.na(e$fare) & e$fare > 10),
    list(text = "!(fare > 10)", test = function(e) !is.na(e$fare) & !(e$fare > 10)),
    list(text = "is_missing(route)", test = function(e) is.na(e$route)),
    list(text = "channel == \"quay\" | fare < 0",
         test = function(e) e$channel %in% "quay" | (!is.na(e$fare) & e$fare < 0)),
    list(text = "booked_on < \"2024-03-01\"",
         test = function(e) !is.na(e$booked_on) & e$booked_on < as.Date("2024-03-01"))
  )
  if (length(made$columns) > 0) {
    some <- c(some, list(
      list(text = "gross > 1500", test = function(e) !is.na(e$gross) & round(e$gross, 9) > 1500),
      list(text = "size >= \"0 to below 25\"",
           test = function(e) !is.na(e$size) & as.integer(e$size) >= 2L),
      list(text = "fare + fuel * 2 >= 200", test = function(e) {
        v <- round(e$fare + e$fuel * 2, 9)
        !is.na(v) & v >= 200
      })))
  }
  if (isTRUE(made$named)) {
    some <- c(some, list(list(text = "weekday == \"x\"", test = function(e) e$weekday %in% "x")))
  }
  if (made$kind == "ordered")
    some <- c(some,
              list(list(text = "route >= \"medium\"",
                        test = function(e) !is.na(e$route) & as.integer(e$route) >= 2L)))
  if (made$kind == "whole numbers")
    some <- c(some, list(list(text = "route == 100000", test = function(e) e$route %in% 100000)))
  if (made$kind == "long ids")
    some <- c(some,
              list(list(text = "route == \"9007199254740993\"",
                        test = function(e) e$route %in% "9007199254740993")))
  if (made$kind %in% c("odd text", "text"))
    some <- c(some,
              list(list(text = "route %in% c(\"NA\", \"Oysterby\")",
                        test = function(e) e$route %in% c("NA", "Oysterby"))))
  if (!is.null(made$lookup))
    some <- c(some, list(
      list(text = "pier == \"north\"", test = function(e) e$pier %in% "north"),
      list(text = "weight > 1", test = function(e) !is.na(e$weight) & e$weight > 1)))
  parts <- part_conditions(made)
  of_days <- length(parts) > 0 && maybe(0.3)
  one <- pick(if (of_days) parts else some, 1)[[1]]
  one$of_days <- of_days
  one$columns <- all.vars(parse(text = one$text))
  one
}

# Conditions on calendar parts of a date basis.
part_conditions <- function(made) {
  on <- made$parts_on
  if (is.null(on) || isTRUE(made$named)) return(NULL)
  day <- function(e) e[[paste0(".day_", on)]]
  part <- function(name, e) part_by_hand(name, day(e), made$rules)
  list(
    list(text = "weekday %in% c(\"Monday\", \"Saturday\")",
         test = function(e) part("weekday", e) %in% c("Monday", "Saturday")),
    list(text = "working_day != \"working day\"", test = function(e) {
      value <- part("working_day", e)
      !is.na(value) & value != "working day"
    }),
    list(text = "day_of_month <= 10", test = function(e) part("day_of_month", e) %in% 1:10),
    list(text = "month_of_year == \"November\" | weekday == \"Friday\"", test = function(e) part(
      "month_of_year", e) %in% "November" | part("weekday", e) %in% "Friday"))
}

needs_before <- function(m) if (m$fun %in% c("ratio", "difference")) needs_before(m$a) ||
  needs_before(m$b) else m$fun == "lapsed"

random_measure <- function(made, deep = TRUE) {
  fun <- pick(c("total", "entries", "average", "distinct", "smallest", "largest", "middle",
                "balance", "active", "newcomers", "returning", "lapsed",
                if (deep) c("ratio", "difference", "level ratio", "total", "entries")))
  if (fun %in% c("ratio", "difference")) {
    a <- random_measure(made, FALSE)
    b <- random_measure(made, FALSE)
    return(list(fun = fun, a = a, b = b,
                text = sprintf("%s %s %s", a$text, if (fun == "ratio") "/" else "-", b$text)))
  }
  if (fun == "level ratio") {
    a <- list(fun = "balance", column = "fare", text = "balance(fare)")
    b <- list(fun = "balance", column = "fuel", text = "balance(fuel)")
    return(list(fun = "ratio", a = a, b = b, text = "balance(fare) / balance(fuel)"))
  }
  where <- if (maybe(0.25)) random_condition(made)
  m <- list(fun = fun, where = where$test, condition = where)
  if (fun %in% c("total", "average", "smallest", "largest", "middle", "balance"))
    m$column <- pick(c("fare", "fare", "fuel", if (length(made$columns) > 0) c("gross", "net"),
                       if (!is.null(made$lookup)) "weight"))
  if (fun %in% c("distinct", "newcomers", "returning", "lapsed"))
    m$column <- pick(c("account", "route", if (!is.null(made$lookup)) "pier"))
  if (fun == "balance" && maybe(0.6)) m$each <- "account"
  if (fun == "active") m$last_day <- maybe(0.5)
  said <- c(m$column, if (!is.null(m$each)) "each = account", if (fun == "active" && !m$last_day)
    "last_day = FALSE", if (!is.null(where)) paste("where =", where$text))
  m$text <- sprintf("%s(%s)", fun, paste(said, collapse = ", "))
  m
}

random_span <- function(cal, rules, as_of, per) {
  grains <- c("day", "week", "month", "quarter", "year", "fiscal month", "fiscal quarter",
              "fiscal year")
  plain <- c("week", "month", "quarter", "year")
  point <- function(day, grain) list(kind = "point", grain = grain,
                                     label = period_with(cal, grain, day)$label)
  back <- function(grain) {
    if (!maybe(0.3)) return(NULL)
    unit <- if (startsWith(grain, "fiscal")) "fiscal year" else "year"
    list(n = pick(1:2), unit = if (grain == "week" && maybe(0.5)) "week" else unit)
  }
  kind <- pick(
    c("all", "all", "point", "range", "up to", "this",
      "to date", "last", "latest", "trailing", "every",
      "every days", "yearly"))
  unit <- pick(grains[-1])
  switch(kind,
    all = list(kind = "all"),
    point = point(as_of - pick(0:200), pick(grains)),
    range = {
      days <- sort(as_of - pick(0:300, 2))
      grain <- pick(grains)
      list(kind = "range", from = point(days[1], grain), to = point(days[2], grain))
    },
    "up to" = {
      own <- point(as_of - pick(0:200), pick(grains))
      own$kind <- "up to"
      own
    },
    this = list(kind = "this", unit = unit, back = back(unit)),
    "to date" = list(kind = "to date", unit = unit, back = back(unit)),
    last = list(kind = "last", unit = unit, n = pick(1:3), back = back(unit)),
    latest = list(kind = "latest", unit = unit, n = pick(1:3), back = back(unit)),
    trailing = list(kind = "trailing", unit = pick(c("day", plain)), n = pick(c(1, 3, 10))),
    every = list(kind = "every", month = pick(1:12)),
    "every days" = list(kind = "every days", from = c(pick(c(10L, 11L)), 15L),
                        to = pick(list(c(1L, 15L), c(12L, 5L)), 1)[[1]]),
    yearly = list(kind = "to date", unit = pick(c("month", "quarter")), yearly = TRUE)
  )
}

random_verb <- function(q, i, cal) {
  kinds <- c("running", "rolling", "change", "share", "per day", "rank",
             if (!is.null(q$per)) "target")
  kind <- pick(kinds)
  fits <- switch(kind, running = function(m) !is_level_measure(m), share = has_share,
                 "per day" = adds_up_measure, function(m) TRUE)
  names <- names(Filter(fits, q$measures))
  # A mixture of levels and flows has no running or rolling figure of its own.
  if (length(names) == 0) return(NULL)
  m <- pick(names)
  v <- list(verb = kind, m = m, name = paste0("v", i))
  measure <- q$measures[[m]]
  pattern <- own_periods(cal)
  switch(kind,
    running = c(v,
                since = pick(
                  c("start", "year", "quarter", "month", "week", "fiscal year", "fiscal month"))),
    rolling = {
      stat <- pick(c("total", "average", "smallest", "largest"))
      if (stat == "average" && !adds_up_measure(measure) && !is_level_measure(measure))
        stat <- "largest"
      if (stat == "total" && is_level_measure(measure)) stat <- "average"
      c(v, n = pick(1:4),
        unit = pick(c("day", "week", "month", "quarter", if (!pattern) "fiscal quarter")),
        stat = stat, short = pick(c("blank", "keep")))
    },
    change = random_change(v, q, cal),
    share = c(v, of = pick(c("period", "span", q$by))),
    "per day" = c(v, days = pick(c("working", "calendar", "used"))),
    rank = {
      if (length(q$by) == 0) return(NULL)
      v <- c(v, within = pick(c("period", "span", if (length(q$by) == 2) q$by)),
             ties = pick(c("share", "dense", "order")), first = pick(c("largest", "smallest")),
             missing = pick(c("last", "ranked")))
      if (maybe(0.6)) v$keep <- pick(c(1, 2, 1e14))
      if (!is.null(v$keep) && is.null(q$anchor) && length(setdiff(q$by, v$within)) == 1 &&
          maybe(0.7)) v$rest <- "All the rest"
      v
    },
    target = random_targets(v, q, cal)
  )
}

random_change <- function(v, q, cal) {
  v$align <- pick(c("to date", "whole"))
  if (maybe(0.15)) {
    v$base <- list(kind = "to date", unit = pick(c("month", "year")))
    return(v)
  }
  if (is.null(q$per)) {
    units <- unique(vapply(q$spans, function(spec) {
      if (!is.null(spec$back)) return(spec$back$unit)
      if (spec$kind %in% c("all", "range"))
        return(if (spec$kind == "all") "none"
               else if (startsWith(spec$from$grain, "fiscal")) "fiscal year" else "year")
      if (isTRUE(spec$yearly) || spec$kind %in% c("every", "every days")) return("year")
      if (startsWith(spec$grain %||% spec$unit, "fiscal")) "fiscal year" else "year"
    }, ""))
    if (length(units) != 1 || units == "none") return(NULL)
    return(c(v, n = 1L, unit = units))
  }
  if (maybe(0.3)) return(c(v, n = 1L, unit = q$per, period_before = TRUE))
  unit <- switch(q$per, day = pick(c("day", "week", "month", "year")),
                 week = pick(c("week", "year")), month = pick(c("month", "quarter", "year")),
                 quarter = pick(c("quarter", "year")), year = "year",
                 "fiscal month" = pick(c("fiscal month", "fiscal year")),
                 "fiscal quarter" = pick(c("fiscal quarter", "year")),
                 "fiscal year" = "fiscal year")
  v <- c(v, n = pick(1:2), unit = unit)
  if (unit == "year" && maybe(0.5)) v$align <- "weekday"
  v
}

# A table of targets in the statement's grain or others, with gaps, rows that overlap, lines of
# totals, and members it does not have.
random_targets <- function(v, q, cal) {
  v$days <- pick(c("whole", "covered"))
  grains <- unique(c(q$per, if (maybe(0.5)) pick(c("week", "month", "quarter", "fiscal month"))))
  told <- q$by
  if (length(told) > 1 && maybe(0.3)) told <- told[1]
  if (length(told) == 0 && maybe(0.4)) told <- "channel"
  # What conditions on calendar parts leave of targets by such parts is not asked here.
  told <- setdiff(told, q$part)
  span <- range(cal$days[cal$days > q$first - 100 & cal$days < q$as_of + 100])
  rows <- do.call(rbind, lapply(grains, function(grain) {
    periods <- as.data.frame(periods_of(cal, grain))
    periods <- periods[periods$to >= span[1] & periods$from <= span[2], ]
    periods[stats::runif(nrow(periods)) > pick(c(0, 0.1)), ]
  }))
  # A label that two grains share, or a period that is written down once more, would be two targets
  # for one.
  rows <- rows[!duplicated(rows[c("from", "to")]), ]
  members <- lapply(stats::setNames(nm = told), function(name) {
    own <- unique(as_text(q$made$plain[[name]]))
    if (length(told) == 1 && maybe(0.4) && !"(all)" %in% own) own <- c(own, "(all)")
    if (maybe(0.3)) own <- own[-1]
    if (length(own) == 0) own <- "none of them"
    own
  })
  combos <- if (length(told) > 0) do.call(expand.grid, c(members, stringsAsFactors = FALSE))
            else data.frame(row.names = 1L)
  at <- expand.grid(i = seq_len(nrow(rows)), j = seq_len(nrow(combos)))
  at <- at[stats::runif(nrow(at)) > pick(c(0, 0.05)), ]
  if (nrow(at) == 0) return(NULL)
  table <- data.frame(period = rows$label[at$i], from = rows$from[at$i], to = rows$to[at$i],
                      target = round(stats::runif(nrow(at), 1, 500), 2))
  for (name in told) table[[name]] <- combos[[name]][at$j]
  v$table <- table
  v$told <- told
  v
}

random_question <- function() {
  made <- random_table()
  rules <- random_rules(c(as_days(made$plain$sailed_on), as_days(made$plain$booked_on)))
  on <- c(sailed = "sailed_on", booked = "booked_on", if (maybe(0.5)) c(entered = "entered_on"))
  q <- list(made = made, rules = rules, bases = on, on = pick(c("sailed", names(on))))
  days <- as_days(made$plain$sailed_on)
  q$given_as_of <- if (maybe(0.3)) pick(seq.int(min(days, na.rm = TRUE), max(days, na.rm = TRUE)))
  made$rules <- rules
  # Before any question the days of the first basis count.
  made$parts_on <- "sailed"
  if (maybe(0.2)) q$keep <- random_condition(made)
  made$parts_on <- q$on
  if (maybe(0.3)) q$append <- sort(pick(seq_len(nrow(made$plain)), min(2, nrow(made$plain))))
  q$where <- if (maybe(0.3)) random_condition(made)
  q$by <- pick(
    list(NULL, "route", "route", "channel", c("route", "channel"), c("channel", "account")), 1)[[1]]
  if (length(made$columns) > 0 && maybe(0.5)) {
    q$by <- pick(list("size", "way", c("class", "channel"), c("route", "size")), 1)[[1]]
  } else if (isTRUE(made$named) && maybe(0.5)) {
    q$by <- pick(list("weekday", c("channel", "weekday"), "price - cost"), 1)[[1]]
  } else if (!is.null(made$lookup) && maybe(0.4)) {
    q$by <- pick(list("pier", c("pier", "channel"), "weight"), 1)[[1]]
  } else if (maybe(0.12)) {
    q$part <- pick(c(if (!isTRUE(made$named)) "weekday", "month_of_year", "working_day",
                     "day_of_month"))
    q$by <- pick(list(q$part, c(q$part, "channel")), 1)[[1]]
  }
  q$measures <- lapply(stats::setNames(nm = paste0("m", seq_len(pick(1:3)))),
                       function(name) random_measure(made))
  q$partial <- pick(c("flag", "flag", "drop"))
  q$list_all <- maybe(0.15)
  # days by which the statement's as-of day is before the ledger's
  q$earlier <- if (maybe(0.2)) pick(c(1L, 10L, 40L))
  if ("entered" %in% names(on) && is.null(q$earlier) && maybe(0.3))
    q$known <- pick(as_days(made$plain$entered_on)[!is.na(made$plain$entered_on)]) + pick(-2:2)
  q$per <- pick(
    list(NULL, "day", "week", "month", "month", "quarter", "year", "fiscal month", "fiscal quarter",
         "fiscal year"), 1)[[1]]
  # Groups with days of their own have no totals and no rest.
  if (length(q$by) > 0 && maybe(0.15)) q$anchor <- "group"
  totals <- c("none", if (length(q$by) > 0) "by", if (!is.null(q$per)) "period",
              if (length(q$by) > 0 && !is.null(q$per)) "both")
  q$totals <- if (is.null(q$anchor)) pick(totals) else "none"
  loose <- function(m) if (m$fun %in% c("ratio", "difference")) loose(m$a) || loose(m$b)
                       else m$fun == "balance" && is.null(m$each)
  if (q$totals %in% c("by", "both") &&
      (any(vapply(q$measures, loose, TRUE)) || made$kind == "odd text" && "route" %in% q$by))
        q$totals <- "none"
  if (is.null(q$per)) q$measures <- Filter(function(m) !needs_before(m), q$measures)
  if (length(q$measures) == 0) q$measures <- list(m1 = list(fun = "entries", text = "entries()"))
  q
}

# What depends on the days there are: the spans and the verbs.
with_spans <- function(q, cal, as_of, first) {
  q$first <- first
  q$as_of <- as_of
  count <- if (is.null(q$per)) pick(c(1, 1, 2)) else 1
  q$spans <- lapply(seq_len(count), function(i) random_span(cal, q$rules, as_of, q$per))
  if (!is.null(q$anchor) && !any(vapply(q$spans, is_moving, TRUE))) q$spans[[1]] <- list(
    kind = pick(c("to date", "last", "latest")), unit = pick(c("week", "month", "quarter")), n = 1)
  q$verbs <- Filter(Negate(is.null), lapply(seq_len(pick(0:4)), function(i) random_verb(q, i, cal)))
  # One rest at most: what a second ranking left out would be in no row.
  rests <- which(vapply(q$verbs, function(v) !is.null(v$rest), TRUE))
  for (i in seq_along(q$verbs)) if (length(rests) > 0 && i > rests[1])
    q$verbs[[i]][c("keep", "rest")] <- NULL
  q
}
