# What is kept of a page asks the same again.

plain_table <- function(x) as.list(as.data.frame(x))

page_with <- function(offers, ...) {
  acts_done(rollingledger:::first_state(offers$ledger), offers, ...)
}

file_offers <- function(env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  file <- file.path(folder, "fares.csv")
  at <- seq(1, nrow(demo_fares), length.out = 800)
  data.table::fwrite(demo_fares[at, ], file)
  plan <- file.path(folder, "plan.csv")
  data.table::fwrite(demo_targets, plan)
  x <- ledger(file, on = c(sailed = "sailed_on", booked = "booked_on"), units = c(fare = "EUR"),
              amounts = "fare", calendar = ledger_calendar(fiscal_start = "April"))
  list(ledger = x, tables = list(plan = plan), briefs = folder, title = "Fares")
}

some_pages <- function(offers) list(
  page_with(offers),
  page_with(offers, list(do = "grain", value = "fiscal quarter"), list(do = "by", value = "route"),
            list(do = "span", value = "last 4 fiscal quarters"),
            list(do = "look", value = "figure_leaders"),
            list(do = "members", column = "channel", value = "web"),
            list(do = "members", column = "channel", value = "app")),
  page_with(offers, list(do = "step", value = "add_rolling"),
            list(do = "step_set", step = "1", field = "over", value = "7 days, 2 months"),
            list(do = "step", value = "add_running"), list(do = "step", value = "add_target"),
            list(do = "step", value = "add_change"), list(do = "look", value = "cross_table"),
            list(do = "set", field = "partial", value = "drop"), list(do = "on", value = "booked")),
  page_with(offers, list(do = "panel", value = "2"), list(do = "second", value = "2025-06"),
            list(do = "look", value = "compare_spans"),
            list(do = "condition", value = "fare > 10 & has_text(account, \"1\")")),
  page_with(offers, list(do = "look", value = "figure_days"),
            list(do = "span", value = "2026-06/.."), list(do = "look_set", field = "shape",
                                                          value = "round"),
            list(do = "look_set", field = "first_day", value = "Sunday"),
            list(do = "look_set", field = "gap", value = "0.3")))

test_that("a page kept as a brief runs to the same figures, and opens as the same page", {
  offers <- file_offers()
  ran <- 0
  for (state in some_pages(offers)) {
    ran <- ran + 1
    file <- rollingledger:::page_saved(state, offers, paste("Page", ran), "Income")
    expect_identical(basename(file), sprintf("page-%d.yml", ran))
    run <- run_brief(file)
    for (i in seq_along(state$panels)) {
      compares <- rollingledger:::look_of(state$panels[[i]]) == "compare_spans"
      own <- answered_apart(state, i, offers, !compares)
      alike <- vapply(run$statements, function(s) identical(plain_table(s), plain_table(own)), TRUE)
      expect_true(any(alike), info = paste(ran, i))
    }
    opened <- rollingledger:::state_of_brief(rollingledger:::read_brief(file), list(), offers)
    expect_identical(opened$said, character())
    now <- modifyList(offers, list(tables = c(offers$tables, opened$tables)))
    for (i in seq_along(state$panels)) {
      expect_identical(rollingledger:::look_of(opened$state$panels[[i]]),
                       rollingledger:::look_of(state$panels[[i]]))
      compares <- rollingledger:::look_of(state$panels[[i]]) == "compare_spans"
      expect_identical(plain_table(answered_apart(opened$state, i, now, !compares)),
                       plain_table(answered_apart(state, i, offers, !compares)))
    }
  }
  expect_identical(ran, 5)
  expect_error(rollingledger:::page_saved(state, offers, "Page 1", ""), "already")
  expect_error(rollingledger:::page_saved(state, offers, " ", ""), "name")
  offers$briefs <- NULL
  expect_error(rollingledger:::page_saved(state, offers, "Page 9", ""), "folder")
})

test_that("the R code and the command line of a page give the same figures", {
  offers <- file_offers()
  ran <- 0
  for (state in some_pages(offers)) {
    code <- paste(unclass(rollingledger:::page_code(state, offers)), collapse = "\n")
    env <- new.env(parent = globalenv())
    suppressMessages(eval(parse(text = code), env))
    made <- Filter(function(x) inherits(x, c("statement", "cross_table")), as.list(env))
    i <- rollingledger:::panel_at(state)
    compares <- rollingledger:::look_of(state$panels[[i]]) == "compare_spans"
    own <- answered_apart(state, i, offers, !compares)
    alike <- vapply(made, function(s) identical(plain_table(s), plain_table(own)), TRUE)
    expect_true(any(alike), info = code)
    # The words of the command, as a shell would part them, ask the same.
    line <- rollingledger:::panel_command(state, offers)
    words <- system2("sh", c("-c", shQuote(paste("for w in", sub("^rolling-ledger", "", line),
                                                 "; do echo \"$w\"; done"))), stdout = TRUE)
    out <- which(words == "--out")
    if (length(out) > 0) words <- words[-c(out, out + 1L, match("--figure", words) + 0:1)]
    own_flags <- c("--draw", "--shape", "--gap", "--first-day", "--keep-of")
    drop <- which(words %in% own_flags)
    if (length(drop) > 0) words <- words[-c(drop, drop + 1L)]
    told <- command(c(words, "--format", "json"))
    expect_identical(told$status, 0L, info = paste(line, paste(told$err, collapse = "\n")))
    if (!compares && !"--across" %in% words) {
      table <- jsonlite::fromJSON(paste(told$out, collapse = "\n"))
      expect_equal(sum(table$fare, na.rm = TRUE), sum(own$fare, na.rm = TRUE))
      expect_identical(nrow(table), nrow(own))
    }
    ran <- ran + 1
  }
  expect_identical(ran, 5)
  # What no command line can ask says so.
  memory <- explore_offers()
  expect_error(rollingledger:::panel_command(rollingledger:::first_state(memory$ledger), memory),
               "data frame")
})

test_that("files of a page hold what it shows", {
  offers <- file_offers()
  folder <- withr::local_tempdir()
  states <- some_pages(offers)
  csv <- rollingledger:::page_file("csv", states[[1]], offers, folder)
  expect_equal(sum(data.table::fread(csv)$fare), sum(answered_apart(states[[1]], 1, offers)$fare))
  page <- rollingledger:::page_file("page", states[[3]], offers, folder)
  html <- paste(readLines(page), collapse = "\n")
  expect_match(html, "<title>Fares</title>", fixed = TRUE)
  expect_identical(lengths(regmatches(html, gregexpr("<h2 id=\"part", html))), 2L)
  png <- rollingledger:::page_file("png", states[[2]], offers, folder)
  expect_identical(readBin(png, "raw", 4L), as.raw(c(0x89, 0x50, 0x4e, 0x47)))
  expect_error(rollingledger:::page_file("png", states[[3]], offers, folder), "no figure")
  expect_error(rollingledger:::page_file("exe", states[[3]], offers, folder), "must be one of")
  skip_if_not_installed("openxlsx")
  book <- rollingledger:::page_file("workbook", states[[4]], offers, folder)
  expect_gt(file.size(book), 4000)
  # The entries that are shown, those sought alone.
  state <- acts_done(states[[1]], offers, list(do = "behind", panel = "2", row = "1",
                                               figure = "fare"),
                     list(do = "behind_set", field = "seek", value = "web"))
  entries <- data.table::fread(rollingledger:::page_file("entries", state, offers, folder))
  expect_gt(nrow(entries), 2)
  expect_true(all(entries$channel == "web" & entries$route == "Gull Rock"))
})

test_that("entries behind any figure add up to it, sorted and searched", {
  offers <- explore_offers()
  kept <- rollingledger:::new_answers()
  looked <- 0
  for (look in c("table", "cross_table", "compare_spans", "report_tiles", "figure_leaders",
                 "figure_change")) {
    state <- page_with(offers, list(do = "by", value = "route"), list(do = "look", value = look))
    panel <- rollingledger:::panel_now(state)
    told <- rollingledger:::panel_answer(state, panel, offers, kept)
    html <- rollingledger:::as_html(rollingledger:::panel_piece(state, 1, told, offers))
    cells <- cells_in(html)
    if (nrow(cells) == 0) {
      s <- told$s
      cells <- data.frame(panel = 1L, row = seq_len(nrow(s)), figure = "fare", span = NA,
                          text = rollingledger:::number_text(s$fare, 2))
    }
    cells <- cells[cells$figure == "fare", ]
    for (k in sample.int(nrow(cells), min(6, nrow(cells)))) {
      act <- list(do = "behind", panel = "1", row = as.character(cells$row[k]),
                  figure = "fare")
      if (!is.na(cells$span[k])) act$span <- cells$span[k]
      one <- acts_done(state, offers, act)
      answer <- rollingledger:::behind_answer(one, offers, kept)
      expect_null(answer$problem)
      expect_identical(rollingledger:::number_text(sum(answer$entries$fare), 2), cells$text[k])
      looked <- looked + 1
    }
  }
  expect_gt(looked, 20)
  one <- acts_done(state, offers, list(do = "behind", panel = "1", row = "1", figure = "fare"),
                   list(do = "behind_set", field = "order", value = "fare"))
  entries <- rollingledger:::behind_answer(one, offers, kept)$entries
  up <- entries$fare[rollingledger:::entries_sought(entries, one$behind)]
  expect_false(is.unsorted(up))
  one <- acts_done(one, offers, list(do = "behind_set", field = "order", value = "fare"),
                   list(do = "behind_set", field = "seek", value = "WEB foot"))
  at <- rollingledger:::entries_sought(entries, one$behind)
  expect_false(is.unsorted(-entries$fare[at]))
  expect_true(all(entries$channel[at] == "web" & entries$fare_class[at] == "foot"))
})

test_that("a text of one's own goes into the page handed over and the brief, and comes back", {
  folder <- withr::local_tempdir()
  offers <- file_offers()
  offers$briefs <- folder
  state <- rollingledger:::first_state(offers$ledger)
  state <- rollingledger:::acted(state, list(do = "own_text", value = "Storms closed <two> quays"),
                                 offers)
  parts <- rollingledger:::page_parts(state, offers, rollingledger:::new_answers())
  expect_identical(parts[[1]], "Storms closed <two> quays")
  expect_identical(names(parts)[1:2], c(rollingledger:::panel_name(state$panels[[1]]), ""))
  file <- rollingledger:::page_file("page", state, offers, folder)
  expect_match(paste(readLines(file), collapse = ""), "<p>Storms closed &lt;two&gt; quays</p>",
               fixed = TRUE)
  kept <- rollingledger:::page_saved(state, offers, "With text", "")
  expect_match(paste(readLines(kept), collapse = "\n"), "text: Storms closed <two> quays")
  opened <- rollingledger:::state_of_brief(rollingledger:::read_brief(kept), list(), offers)
  expect_identical(opened$state$panels[[1]]$text, "Storms closed <two> quays")
})

test_that("a workbook has a sheet, and a page a section, for each member", {
  folder <- withr::local_tempdir()
  offers <- file_offers()
  state <- rollingledger:::first_state(offers$ledger)
  state$at <- "2"  # by an attribute
  by <- unlist(state$panels[[2]]$statement$by)
  told <- answered_apart(state, 2, offers, TRUE)
  members <- rollingledger:::member_text(unique(told[[by]]))
  file <- rollingledger:::page_file(paste0("workbook:", by), state, offers, folder)
  expect_true(all(members %in% openxlsx::getSheetNames(file)))
  parts <- rollingledger:::member_sections(state, offers, rollingledger:::new_answers(), by)
  expect_setequal(names(parts), members)
  for (i in seq_along(parts)) {
    expect_identical(rollingledger:::member_text(unique(parts[[i]][[by]])), names(parts)[i])
    expect_equal(parts[[i]]$fare, told$fare[match(parts[[i]][[by]], told[[by]])])
  }
  file <- rollingledger:::page_file(paste0("page:", by), state, offers, folder)
  expect_true(all(vapply(members, function(member) {
    any(grepl(member, readLines(file, warn = FALSE), fixed = TRUE))
  }, TRUE)))
  expect_error(rollingledger:::page_file("page:nothing", state, offers, folder), "attribute")
})
