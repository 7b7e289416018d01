test_that("each part of a question is put by an act, and the sentence says it with its days", {
  offers <- explore_offers()
  state <- rollingledger:::first_state(offers$ledger)
  said <- function(state) {
    panel <- rollingledger:::panel_now(state)
    told <- rollingledger:::panel_answer(state, panel, offers)
    expect_null(told$problem)
    rollingledger:::sentence_text(rollingledger:::sentence_parts(state, panel, told, offers))
  }
  expect_identical(said(state), paste0("Fare and entries, each month, latest 12 months: ",
                                       "1 Oct 2025 to 17 Sep 2026, sailed."))
  state <- acts_done(state, offers, list(do = "grain", value = "week"),
                     list(do = "span", value = "latest 8 weeks"), list(do = "by", value = "route"),
                     list(do = "members", column = "channel", value = "web"))
  expect_identical(said(state), paste0(
    "Fare and entries by route, each week, latest 8 weeks: 27 Jul to 17 Sep 2026, sailed, ",
    "only channel web."))
  state <- acts_done(state, offers, list(do = "on", value = "booked"),
                     list(do = "members", column = "channel", value = "kiosk"),
                     list(do = "numbers", column = "fare", from = "5", to = "80"),
                     list(do = "step", value = "add_change"))
  expect_match(said(state), ", booked, only channel web or \"kiosk\", only fare between 5 and 80; ",
               fixed = TRUE)
  expect_match(said(state), "; fare against period before.", fixed = TRUE)
  state <- acts_done(state, offers, list(do = "second_equal"),
                     list(do = "look", value = "compare_spans"))
  expect_match(said(state), paste0("; against latest 8 weeks: 27 Jul to 17 Sep 2026."),
               fixed = TRUE)
  # Both spans the same: every difference is zero.
  table <- answered_apart(state, 1, offers, FALSE)
  expect_gt(nrow(table), 2)
  expect_true(all(table$fare_difference == 0))
})

test_that("conditions are said in words that keep their meaning", {
  said <- function(...) rollingledger:::condition_text_words(...)
  expect_identical(said("route == \"Isle\" & (fare > 5 | fare < -1)"),
                   "route is Isle and (fare above 5 or fare below -1)")
  expect_identical(said("a == 1 & b == 2 | c == 3"), "a is 1 and b is 2 or c is 3")
  expect_identical(said("is_missing(route) | route == \"\"", TRUE),
                   "(route is missing or route is (empty))")
  expect_identical(said("!(a == 1 & b == 2)"), "not (a is 1 and b is 2)")
  expect_identical(said("!(a == 1 | b == 2)"), "not (a is 1 or b is 2)")
  expect_identical(said("!a == 1 & b == 2"), "not a is 1 and b is 2")
  expect_identical(said("!has_text(fare_class, \"car\")"), "not fare class holds \"car\"")
  expect_identical(said("route %in% c(\"a\", \"b, c\")"), "route is a or b, c")
  # What has no plain words stands as it is.
  expect_identical(said("upper(route) == \"X\""), "upper(route) == \"X\"")
})

test_that("runs of periods are chosen at every level and move along", {
  offers <- explore_offers()
  x <- offers$ledger
  state <- rollingledger:::first_state(x)
  looked <- 0
  for (level in rollingledger:::calendar_grain_names(x)) {
    state <- acts_done(state, offers, list(do = "level", value = level))
    periods <- rollingledger:::strip_periods(x, state)
    n <- length(periods$label)
    from <- max(1, n - 3)
    state <- acts_done(state, offers, list(do = "run", from = as.character(from),
                                           to = as.character(n - 1)))
    days <- rollingledger:::days_now(state, x)
    # Periods that the ledger begins in are cut by its first day.
    begun <- function(days) max(days$from, periods$from[1])
    expect_identical(c(begun(days), days$to), c(periods$from[from], periods$to[n - 1]))
    moved <- acts_done(state, offers, list(do = "move", value = "-1"))
    days <- rollingledger:::days_now(moved, x)
    expect_identical(c(begun(days), days$to),
                     c(periods$from[max(from - 1, if (from == 1) from else 1)],
                       periods$to[if (from == 1) n - 1 else n - 2]))
    s <- answered_apart(moved, 1, offers)
    expect_true(min(s$from) >= as.Date("2023-01-01") && nrow(s) > 0)
    looked <- looked + 1
  }
  expect_identical(looked, 9)
  # The periods of the strip hold all entries.
  expect_identical(sum(periods$entries), 600)
})

test_that("conditions are chips: members toggle, only this, missing, off and on again, out", {
  offers <- explore_offers()
  state <- rollingledger:::first_state(offers$ledger)
  on <- function(state) rollingledger:::panel_conditions(rollingledger:::panel_now(state))
  state <- acts_done(state, offers, list(do = "members", column = "channel", value = "web"),
                     list(do = "members", column = "channel", value = "app"),
                     list(do = "members", column = "channel", value = "web"))
  expect_identical(on(state), "channel == \"app\"")
  state <- acts_done(state, offers, list(do = "members", column = "channel", only = "agent"),
                     list(do = "members", column = "channel", missing = "yes"))
  expect_identical(on(state), "channel == \"agent\" | is_missing(channel)")
  state <- acts_done(state, offers, list(do = "condition", value = "fare > 20"),
                     list(do = "condition_switch", value = "fare > 20"))
  expect_identical(on(state), "channel == \"agent\" | is_missing(channel)")
  expect_identical(unlist(rollingledger:::panel_now(state)$off), "fare > 20")
  state <- acts_done(state, offers, list(do = "condition_switch", value = "fare > 20"),
                     list(do = "condition_without",
                          value = "channel == \"agent\" | is_missing(channel)"))
  expect_identical(on(state), "fare > 20")
  state <- acts_done(state, offers, list(do = "narrow", column = "route", value = "isle"))
  state <- acts_done(state, offers, list(do = "narrow", column = "route", value = "o'\"x"))
  expect_identical(on(state), c("fare > 20", "has_text(route, \"o'\\\"x\")"))
  state <- acts_done(state, offers, list(do = "narrow", column = "route", value = ""))
  expect_identical(on(state), "fare > 20")
  s <- answered_apart(state, 1, offers)
  expect_identical(sum(s$entries), as.numeric(sum(
    demo_fares[seq(1, nrow(demo_fares), length.out = 600), "fare"] > 20 &
      demo_fares[seq(1, nrow(demo_fares), length.out = 600), "sailed_on"] >= "2025-10-01")))
})

test_that("every look is reached from every other, and each answers", {
  offers <- explore_offers()
  looks <- names(rollingledger:::explore_looks())
  state <- rollingledger:::first_state(offers$ledger)
  seen <- character()
  for (a in looks) for (b in looks) {
    one <- acts_done(state, offers, list(do = "by", value = "route"), list(do = "look", value = a),
                     list(do = "look", value = b))
    panel <- rollingledger:::panel_now(one)
    told <- rollingledger:::panel_answer(one, panel, offers)
    expect_null(told$problem, info = paste(a, b, told$problem))
    seen <- c(seen, rollingledger:::look_of(panel))
  }
  expect_true(all(table(seen) == length(looks)))
  # Figures are drawn of each.
  for (look in grep("^figure_", looks, value = TRUE)) {
    one <- acts_done(state, offers, list(do = "by", value = "route"),
                     list(do = "look", value = look))
    told <- rollingledger:::panel_answer(one, rollingledger:::panel_now(one), offers)
    drawn <- rollingledger:::drawn_figure(rollingledger:::panel_figure(told, offers), told$s, 900,
                                          504)
    expect_match(drawn$picture, "<svg")
    expect_gt(nrow(drawn$marks), 3)
    expect_true(all(drawn$marks$x > 0 & drawn$marks$x < 1 & drawn$marks$y > 0 &
                      drawn$marks$y < 1), info = look)
    # Marks stand where their figures are: larger ones are higher, or further to the right.
    if (look %in% c("figure_trend", "figure_years")) {
      value <- told$s[[drawn$marks$figure[1]]][drawn$marks$row]
      expect_gt(stats::cor(value, -drawn$marks$y), 0.999)
    }
  }
})

test_that("what is no act, or is wrong, is refused with a clear word and changes nothing", {
  offers <- explore_offers()
  state <- rollingledger:::first_state(offers$ledger)
  wrong <- list(
    list(do = "dance"), list(do = NULL), list(do = "span", value = "last blue moon"),
    list(do = "span", value = ""), list(do = "by", value = list("a", "b")),
    list(do = "measure", code = "system('ls')"), list(do = "measure", code = ""),
    list(do = "condition", value = "file.remove(\"x\")"), list(do = "run", from = "0", to = "3"),
    list(do = "run", from = "1", to = "99999"), list(do = "move", value = "7"),
    list(do = "on", value = "landed"), list(do = "numbers", column = "fare", from = "x"),
    list(do = "numbers", column = "fare"), list(do = "text", column = "route", value = ""),
    list(do = "members", column = "colour", value = "web"), list(do = "step", value = "add_wings"),
    list(do = "step_set", step = "4", field = "m", value = "fare"),
    list(do = "look", value = "pie"),
    list(do = "look_set", field = "wings", value = "2"), list(do = "panel", value = "7"),
    list(do = "set", field = "colour", value = "red"),
    list(do = "set", field = "totals", value = "x"),
    list(do = "as_of", value = "tomorrow"), list(do = "behind", panel = "9", row = "1"),
    list(do = "behind_set", field = "seek", value = "x"), list(do = "level", value = "fortnight"))
  for (act in wrong) {
    expect_error(rollingledger:::acted(state, act, offers), class = "rollingledger_error",
                 info = paste(unlist(act), collapse = " "))
  }
  one <- acts_done(state, offers, list(do = "panel_without"))
  expect_error(rollingledger:::acted(one, list(do = "panel_without"), offers), "at least one panel")
  for (i in 1:5) one <- acts_done(one, offers, list(do = "panel_more"))
  expect_error(rollingledger:::acted(one, list(do = "panel_more"), offers), "at most 6")
})

test_that("random walks never lose the page or show a figure that is not its answer's", {
  skip_on_cran()
  offers <- explore_offers(explore_fares(300))
  set.seed(27)
  compared <- refused <- problems <- undone <- 0
  looks <- character()
  walks <- rounds(8, 200)
  for (walk in seq_len(walks)) {
    page <- rollingledger:::new_turns(offers)
    for (step in 1:8) {
      act <- random_act(page$state, offers)
      state <- tryCatch(rollingledger:::acted(page$state, act, offers),
                        rollingledger_error = function(e) NULL)
      if (is.null(state)) {
        refused <- refused + 1
        next
      }
      rollingledger:::page_goes_to(page, state)
      if (step == 5 && rollingledger:::page_undoes(page)) {
        undone <- undone + 1
        expect_true(rollingledger:::page_redoes(page))
        expect_identical(page$state, state)
      }
      made <- rollingledger:::page_pieces(page)
      problems <- problems + sum(grepl("class=\"problem\"", unlist(made$pieces)))
      # Figures cost most of the time: some of them are drawn.
      drawn <- if (walk %% 5 == 0) made$figures else integer()
      compared <- compared + expect_page_true(page, made$pieces, drawn)
      page$sent <- made$keys
      looks <- c(looks, vapply(page$state$panels, rollingledger:::look_of, ""))
      # The address gives the same page again.
      if (step == 8) {
        tree <- rollingledger:::texts_of_json(rollingledger:::state_text(page$state))
        again <- rollingledger:::sound_tree(tree, rollingledger:::explore_schema())
        expect_identical(again$said, character())
        expect_identical(rollingledger:::state_text(again$tree),
                         rollingledger:::state_text(page$state))
      }
    }
  }
  expect_gt(compared, 25 * walks)
  expect_gt(refused, walks / 8)
  expect_gt(undone, walks / 4)
  if (walks >= 200) expect_setequal(unique(looks), names(rollingledger:::explore_looks()))
  else expect_gt(length(unique(looks)), 6)
})

test_that("whatever tells a row goes along to why it changed", {
  set.seed(6)
  n <- 400
  table <- data.frame(day = as.Date("2026-01-01") + sample(0:58, n, TRUE), fare = 1:4,
                      heads = sample(1:3, n, TRUE), paid = sample(c(TRUE, FALSE), n, TRUE),
                      quay = factor(sample(c("A", "B", NA), n, TRUE)),
                      due = as.Date("2026-03-01") + sample(0:2, n, TRUE))
  x <- ledger(table, on = "day")
  for (name in c("heads", "paid", "quay", "due", "weekday", "day_of_month")) {
    s <- statement(x, per = "month", by = name, span = "2026-02", n = entries())
    for (row in seq_len(nrow(s))) {
      meant <- own("figure_that_changed")(s, row, "n")
      again <- statement(x, span = meant$span, where = !!meant$where, n = entries())
      expect_identical(again$n, s$n[row], info = paste(name, row, meant$where))
    }
  }
})

test_that("from the entries behind a figure to why it changed", {
  page <- own("new_turns")(explore_offers())
  for (act in list(list(do = "look", value = "table"), list(do = "by", value = "route"),
                   list(do = "span", value = "2026-07"))) goes(page, act)
  s <- own("panel_answer")(page$state, page$state$panels[[1]], page$offers)$s
  row <- which(s$route == "Tern Head")[1]
  goes(page, list(do = "behind", panel = "1", row = as.character(row), figure = names(s)[6]))
  html <- own("page_pieces")(page)$pieces$behind
  button <- regmatches(html, regexpr("<button[^>]*data-do=\"why\"[^>]*>", html))
  expect_match(button, "data-span=\"2026-07\"")
  expect_match(button, "route == &quot;Tern Head&quot;|route == \"Tern Head\"")
  goes(page, list(do = "why", span = "2026-07", where = "route == \"Tern Head\"",
                  figure = names(s)[6]))
  now <- own("panel_now")(page$state)
  expect_identical(names(now$look), "why_changed")
  told <- own("panel_answer")(page$state, now, page$offers)
  expect_null(told$problem)
  expect_equal(told$thing$amount[nrow(told$thing)], s[[6]][row])
  expect_match(sentence_of(page), "against 2026-07, 1 year back: 1 to 31 Jul 2025")
  made <- own("page_pieces")(page)
  expect_true(length(made$figures) > 0)
  expect_gt(expect_page_true(page, made$pieces, made$figures), 5)
  # Other days to hold it against take the place of its own.
  goes(page, list(do = "second", value = "2026-06"))
  expect_match(sentence_of(page), "against 2026-06")
  file <- own("page_file")("png", page$state, page$offers, withr::local_tempdir())
  expect_true(file.size(file) > 5000)
  command <- tryCatch(own("panel_command")(page$state, page$offers),
                      rollingledger_error = conditionMessage)
  expect_match(command, "rolling-ledger why|data frame")
})
