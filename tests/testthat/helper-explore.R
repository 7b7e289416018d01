# What tests of the page have in common.

explore_fares <- function(rows = 600) {
  at <- seq(1, nrow(demo_fares), length.out = rows)
  ledger(demo_fares[at, ], on = c(sailed = "sailed_on", booked = "booked_on"),
         units = c(fare = "EUR"), calendar = ledger_calendar(fiscal_start = "April"))
}

explore_offers <- function(x = explore_fares(), briefs = NULL, tables = list(plan = demo_targets)) {
  list(ledger = x, tables = tables, briefs = briefs, title = "Fares")
}

# Acts one after the other, as texts: acts_done(state, offers, list(do = ...), ...).
acts_done <- function(state, offers, ...) {
  for (act in list(...)) state <- rollingledger:::acted(state, act, offers)
  state
}

# The cells of a page's HTML that lead to entries: a data frame of panel, row, figure, text, span.
cells_in <- function(html) {
  found <- regmatches(html, gregexpr("<button type=\"button\" class=\"cell\"[^>]*>[^<]*</button>",
                                     html))[[1]]
  part <- function(name) {
    hit <- regmatches(found, regexec(sprintf("data-%s=\"([^\"]*)\"", name), found))
    vapply(hit, function(one) if (length(one) > 1) one[2] else NA_character_, "")
  }
  data.frame(panel = as.integer(part("panel")), row = as.integer(part("row")),
             figure = part("figure"), span = part("span"),
             text = sub("^[^>]*>", "", sub("</button>$", "", found)))
}

# The answer of a panel's question, by way of JSON and answer() alone.
answered_apart <- function(state, i, offers, as_table = TRUE) {
  q <- rollingledger:::panel_question(state, state$panels[[i]], offers, as_table)
  json <- jsonlite::toJSON(unclass(q), auto_unbox = TRUE, digits = NA)
  answer(jsonlite::fromJSON(json), offers$ledger, offers$tables)
}

# Holds every figure that a page shows against its answer: how many were compared.
expect_page_true <- function(page, pieces = NULL, figures = integer()) {
  offers <- page$offers
  compared <- 0
  for (i in seq_along(page$state$panels)) {
    html <- pieces[[paste0("panel-", i)]]
    if (is.null(html)) next
    cells <- cells_in(html)
    if (nrow(cells) == 0) next
    look <- rollingledger:::look_of(page$state$panels[[i]])
    if (look == "why_changed") {
      lines <- answered_apart(page$state, i, offers, FALSE)
      decimals <- attr(lines, "columns")[[1]]$decimals
      own <- rollingledger:::number_text(abs(lines$amount[cells$row]), decimals)
      expect_identical(gsub("[-+ ]", "", cells$text), gsub("[-+ ]", "", own))
    } else if (look == "stands_out") {
      list <- answered_apart(page$state, i, offers, FALSE)
      own <- vapply(cells$row, function(row) rollingledger:::number_text(
        list$came[row], attr(list, "columns")[[list$measure[row]]]$decimals), "")
      expect_identical(gsub(" ", "", cells$text), gsub(" ", "", own))
    } else if (rollingledger:::holds_against(look)) {
      table <- answered_apart(page$state, i, offers, FALSE)
      for (k in seq_len(nrow(cells))) {
        side <- paste0(cells$figure[k], c("_a", "_b"))
        own <- vapply(side, function(name) rollingledger:::number_text(
          table[[name]][cells$row[k]], attr(table, "columns")[[name]]$decimals), "")
        expect_true(gsub(" ", "", cells$text[k]) %in% gsub(" ", "", own))
      }
    } else {
      s <- answered_apart(page$state, i, offers)
      columns <- attr(s, "columns")
      own <- vapply(seq_len(nrow(cells)), function(k) {
        rollingledger:::number_text(s[[cells$figure[k]]][cells$row[k]],
                                    columns[[cells$figure[k]]]$decimals)
      }, "")
      expect_identical(gsub("[~ ]", "", cells$text), gsub(" ", "", own))
    }
    compared <- compared + nrow(cells)
  }
  if (length(figures) > 0) {
    for (one in rollingledger:::page_drawings(page, figures)$figures) {
      if (length(one$marks) == 0) next
      explains <- identical(rollingledger:::look_of(page$state$panels[[one$panel]]), "why_changed")
      s <- answered_apart(page$state, one$panel, offers, !explains)
      columns <- attr(s, "columns")
      if (explains) columns$amount <- columns[[1]]
      for (mark in one$marks) {
        value <- s[[mark[[6]]]][mark[[5]]]
        text <- rollingledger:::number_text(value, columns[[mark[[6]]]]$decimals)
        expect_true(grepl(text, mark[[7]], fixed = TRUE) || grepl("no entries", mark[[7]]))
      }
      compared <- compared + length(one$marks)
    }
  }
  compared
}

# Pages, what their sentence says, and acts that are taken.
page_on <- function(offers, state = NULL) own("new_turns")(offers, state)

sentence_of <- function(page) {
  state <- page$state
  panel <- own("panel_now")(state)
  told <- own("panel_answer")(state, panel, page$offers, page$kept)
  own("sentence_text")(own("sentence_parts")(state, panel, told, page$offers))
}

goes <- function(page, act) {
  state <- own("acted")(page$state, act, page$offers)
  attr(state, "said") <- NULL
  own("page_goes_to")(page, state)
}

# Acts that a browser could send, most of them sensible.
random_act <- function(state, offers) {
  any_of <- function(x) x[[sample.int(length(x), 1)]]
  x <- offers$ledger
  panel <- rollingledger:::panel_now(state)
  n <- length(rollingledger:::strip_periods(x, state)$label)
  steps <- length(panel$statement$steps)
  members <- c("web", "app", "agent", "kiosk", "nobody")
  choices <- list(
    list(do = "grain", value = any_of(c(rollingledger:::calendar_grain_names(x), ""))),
    list(do = "span", value = any_of(c("latest 8 weeks", "month to date, every year", "2026-Q2",
                                       "year to date", "last month, 1 year back", "all",
                                       "2025-03/2025-06", "2031", "nonsense"))),
    list(do = "run", from = as.character(sample.int(n, 1)), to = as.character(sample.int(n, 1))),
    list(do = "move", value = any_of(c("-1", "1"))),
    list(do = "level", value = any_of(c("month", "quarter", "year", "week"))),
    list(do = "by", value = any_of(c("route", "channel", "fare_class", "weekday", "colour"))),
    list(do = "on", value = any_of(c("sailed", "booked"))),
    list(do = "second", value = any_of(c("", "2025-08", "same month last year"))),
    list(do = "second_equal"), list(do = "own_days"), list(do = "follow"),
    list(do = "as_of", value = any_of(c("", "2026-03-31", "2020-01-01"))),
    list(do = "measure", code = any_of(c("distinct(account)", "average(fare)", "total(passengers)",
                                         "fare / entries", "total(colour)"))),
    list(do = "measure_without", value = any_of(names(panel$statement$measures) %||% "entries")),
    list(do = "step", value = any_of(rollingledger:::statement_steps())),
    list(do = "step_set", step = as.character(max(steps, 1)), field = any_of(c("m", "keep", "over",
                                                                               "since", "of")),
         value = any_of(c("fare", "2", "7 days, 3 months", "month", "route"))),
    list(do = "step_without", step = as.character(max(steps, 1))),
    list(do = "members", column = any_of(c("channel", "route")), value = any_of(members)),
    list(do = "members", column = "channel", only = any_of(members)),
    list(do = "numbers", column = "fare", from = any_of(c("", "10")), to = any_of(c("", "60"))),
    list(do = "narrow", column = "route", value = any_of(c("", "isle", "zz"))),
    list(do = "set", field = any_of(c("totals", "partial", "list_all")),
         value = any_of(c("none", "by", "both", "drop", "flag", "yes", "no"))),
    list(do = "look", value = any_of(names(rollingledger:::explore_looks()))),
    list(do = "look_set", field = any_of(c("keep", "shape", "panels", "average", "values")),
         value = any_of(c("2", "round", "route", "yes"))),
    list(do = "panel", value = as.character(sample.int(length(state$panels), 1))),
    list(do = "panel_more"), list(do = "panel_without"),
    list(do = "behind", panel = as.character(sample.int(length(state$panels), 1)), row = "1",
         figure = any_of(names(panel$statement$measures) %||% "entries")),
    list(do = "behind_set", field = any_of(c("seek", "order", "page")),
         value = any_of(c("web", "fare", "2"))), list(do = "back"))
  look <- list(do = "look", value = any_of(names(rollingledger:::explore_looks())))
  any_of(c(choices, list(look, look)))
}
