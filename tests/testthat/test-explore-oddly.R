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

test_that("a range that ends before it begins is refused", {
  state <- rollingledger:::first_state(explore_fares())
  expect_error(acts_done(state, explore_offers(), list(do = "numbers", column = "fare",
                                                       from = "100", to = "5")),
               "holds nothing", class = "rollingledger_error_choice")
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
