# The page where things go wrong beside it: a worker that dies, steps that are added twice, numbers
# that hold nothing.

test_that("a worker that dies is followed by another, and no page waits for ever", {
  skip_if_not(rollingledger:::can_work_apart())
  withr::local_options(rollingledger.explore_begin = 4)
  offers <- explore_offers()
  worker <- rollingledger:::start_worker(offers)
  withr::defer(rollingledger:::stop_worker(worker))
  loop <- function() {
    for (i in 1:100) {
      file <- file.path(worker$folder, "pid")
      pid <- if (file.exists(file)) suppressWarnings(as.integer(readLines(file)))
      if (length(pid) == 1) return(pid)
      Sys.sleep(0.05)
    }
  }
  answered <- function() {
    page <- rollingledger:::new_turns(offers)
    handle <- rollingledger:::start_apart(worker, rollingledger:::page_request(page))
    end <- Sys.time() + 30
    while (!handle$over && Sys.time() < end) {
      for (one in rollingledger:::apart_news(handle)) {
        if (!is.null(one$problem)) return(one$problem)
      }
      Sys.sleep(0.05)
    }
    if (handle$over) "answered" else "waits"
  }
  expect_identical(answered(), "answered")
  first <- loop()
  tools::pskill(first, tools::SIGKILL)
  for (i in 1:100) if (!identical(loop(), first)) break else Sys.sleep(0.1)
  expect_false(identical(loop(), first))
  expect_identical(answered(), "answered")
  # Where no one takes up what is asked, it is told.
  tools::pskill(worker$job$pid, tools::SIGKILL)
  tools::pskill(loop(), tools::SIGKILL)
  Sys.sleep(0.3)
  expect_match(answered(), "ended before it was done")
})

test_that("a step that is there already gets a name of its own", {
  offers <- explore_offers()
  for (verb in c("add_rank", "add_running", "add_share", "add_rolling", "add_change")) {
    state <- rollingledger:::first_state(offers$ledger)
    state <- acts_done(state, offers, list(do = "by", value = "route"))
    for (i in 1:3) state <- acts_done(state, offers, list(do = "step", value = verb))
    told <- rollingledger:::panel_answer(state, state$panels[[1]], offers)
    expect_null(told$problem, info = verb)
    expect_length(state$panels[[1]]$statement$steps, 3)
  }
})

test_that("a range from high to low is the same numbers", {
  state <- rollingledger:::first_state(explore_fares())
  between <- function(from, to) acts_done(state, explore_offers(), list(
    do = "numbers", column = "fare", from = from, to = to))$panels[[1]]$statement$where
  expect_identical(between("100", "5"), between("5", "100"))
  expect_identical(between("100", "5"), list("fare >= 5 & fare <= 100"))
})

test_that("cells of changes lead nowhere in Lines either", {
  offers <- explore_offers()
  state <- rollingledger:::first_state(offers$ledger)
  state <- acts_done(state, offers, list(do = "step", value = "add_change"),
                     list(do = "look", value = "cross_table"))
  page <- rollingledger:::new_turns(offers, state)
  html <- as.character(rollingledger:::page_pieces(page)$pieces[["panel-1"]])
  cells <- cells_in(html)
  expect_true(any(cells$figure == "fare"))
  expect_false(any(grepl("_change", cells$figure)))
  expect_match(html, "change")
})

test_that("whatever the controls offer answers, but for what no figure can show", {
  offers <- explore_offers()
  own <- function(name) getNamespace("rollingledger")[[name]]
  set.seed(11)
  pick <- function(values) sample(unname(values), 1)
  offered <- function(state) {
    tree <- own("panel_now")(state)$statement
    n <- length(tree$steps)
    set <- if (n > 0) {
      step <- sample(n, 1)
      # Measures are offered as far as the step can take them.
      verb <- names(tree$steps[[step]])[1]
      fields <- list(m = own("measures_for_step")(verb, tree), keep = c("", "2"),
                     rest = c("", "All others"),
                     since = c("year", "start"))
      fields <- fields[intersect(names(fields), names(own("fields_of")(verb)))]
      if (length(fields) > 0) {
        field <- pick(names(fields))
        list(do = "step_set", step = as.character(step), field = field,
             value = pick(fields[[field]]))
      }
    }
    acts <- list(
      list(do = "grain", value = pick(c(own("calendar_grain_names")(offers$ledger), ""))),
      list(do = "by", value = pick(c("route", "channel", "fare_class", "weekday"))),
      list(do = "look", value = pick(names(own("explore_looks")()))),
      list(do = "set", field = "totals", value = pick(own("totals_offered")(tree))),
      list(do = "step", value = pick(intersect(own("steps_offered")(tree),
                                               names(own("step_names"))))),
      list(do = "measure", code = pick(c("total(passengers)", "distinct(account)",
                                         "average(fare)"))), set)
    acts[[sample(sum(lengths(acts) > 0), 1)]]
  }
  answered <- 0
  for (walk in 1:12) {
    state <- own("first_state")(offers$ledger)
    done <- character()
    for (i in 1:10) {
      act <- offered(state)
      done <- c(done, paste(unlist(act), collapse = " "))
      state <- acts_done(state, offers, act)
      told <- own("panel_answer")(state, own("panel_now")(state), offers)
      problem <- told$problem
      if (is.null(problem) && own("is_drawn_look")(told$look)) {
        problem <- tryCatch({
          own("panel_figure")(told, offers)
          NULL
        }, error = own("problem_texts"))
      }
      if (length(problem) > 0) {
        expect_match(problem[1],
                     "be told apart|cannot be read|too many to be taken in|not part of a whole",
                     info = paste(done, collapse = "; "))
        break
      }
      answered <- answered + 1
    }
  }
  expect_gt(answered, 60)
})

test_that("two spans say what they do not show, and are of days that the ledger has", {
  offers <- explore_offers()
  state <- rollingledger:::first_state(offers$ledger)
  state <- acts_done(state, offers, list(do = "grain", value = ""),
                     list(do = "by", value = "route"),
                     list(do = "set", field = "totals", value = "by"),
                     list(do = "step", value = "add_share"),
                     list(do = "look", value = "compare_spans"))
  html <- as.character(rollingledger:::page_pieces(
    rollingledger:::new_turns(offers, state))$pieces[["panel-1"]])
  expect_match(html, "Two spans do not show what else was asked for: totals and share.",
               fixed = TRUE)
  short <- demo_fares[demo_fares$sailed_on >= as.Date("2026-06-01"), ]
  offers <- explore_offers(ledger(short, on = "sailed_on"))
  state <- acts_done(rollingledger:::first_state(offers$ledger), offers,
                     list(do = "span", value = "last 2 weeks"),
                     list(do = "look", value = "compare_spans"))
  expect_match(state$second, "last 2 weeks, 1 (month|week|day) back")
  expect_null(rollingledger:::panel_answer(state, state$panels[[1]], offers)$problem)
})

test_that("days that are all nothing are drawn", {
  table <- data.frame(day = as.Date("2026-01-01") + 0:40, fare = 0)
  s <- statement(ledger(table, on = "day"), per = "day", a = total(fare))
  expect_s3_class(ggplot2::ggplot_build(figure_days(s)), "ggplot_built")
})
