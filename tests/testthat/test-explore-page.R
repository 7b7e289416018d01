# The page in a real browser, by mouse and keyboard: what it shows is read back and held against R.

demo_for_page <- function() {
  ledger(demo_csv(), on = c(sailed = "sailed_on", booked = "booked_on"), units = c(fare = "EUR"),
         amounts = "fare", calendar = ledger_calendar(fiscal_start = "April"))
}

# The page on the demo's entries, with briefs in a folder of its own, and a browser at it.
opened_page <- function(env = parent.frame()) {
  why <- no_browser()
  if (!is.null(why)) testthat::skip(paste("The page is not tested in a browser:", why))
  folder <- withr::local_tempdir(.local_envir = env)
  file.copy(list.files(system.file("briefs", package = "rollingledger"), "yml$",
                       full.names = TRUE), folder)
  # With all rounds, in the way of large ledgers: answers are worked out in a copy of the process.
  apart <- rounds("", "options(rollingledger.explore_apart = 1)")
  page <- start_page(c(apart, sprintf(paste(
    "x <- suppressMessages(ledger(%s, on = c(sailed = 'sailed_on', booked = 'booked_on'),",
    "units = c(fare = 'EUR'), amounts = 'fare',",
    "calendar = ledger_calendar(fiscal_start = 'April')))"), deparse(demo_csv()))),
    sprintf("tables = list(plan = demo_targets), briefs = %s, title = 'Saltmarsh Ferries'",
            deparse(folder)))
  withr::defer(stop_page(page), envir = env)
  b <- start_browser()
  withr::defer(stop_browser(b), envir = env)
  browser_size(b, 1280, 800)
  open_page(b, page$at)
  list(b = b, page = page, folder = folder)
}

# Cells of a panel's table as they stand on the page: row, figure and text.
cells_shown <- function(b, panel) {
  cells <- run_script(b, paste(
    "return Array.from(document.querySelectorAll('#panel-' + arguments[0] + ' button.cell'))",
    ".map(e => [e.dataset.row, e.dataset.figure, e.textContent, e.dataset.span || '']);"), panel)
  data.frame(row = as.integer(vapply(cells, `[[`, "", 1)), figure = vapply(cells, `[[`, "", 2),
             text = vapply(cells, `[[`, "", 3), span = vapply(cells, `[[`, "", 4))
}

expect_cells_of <- function(b, panel, s) {
  cells <- cells_shown(b, panel)
  expect_gt(nrow(cells), 0)
  columns <- attr(s, "columns")
  own <- vapply(seq_len(nrow(cells)), function(k) {
    rollingledger:::number_text(s[[cells$figure[k]]][cells$row[k]],
                                columns[[cells$figure[k]]]$decimals)
  }, "")
  expect_identical(trimws(gsub("~", "", cells$text)), trimws(own))
  invisible(cells)
}

marks_shown <- function(b, panel) {
  frame <- sprintf("#figure-%d .picture", panel)
  run_script(b, "document.querySelector(arguments[0]).focus();", frame)
  said <- character()
  press(b, "Home")
  repeat {
    now <- run_script(b, "return document.querySelector(arguments[0]).dataset.says;", frame)
    if (now %in% said) break
    said <- c(said, now)
    press(b, "Down")
  }
  said
}

test_that("the job is done by pointing, and every number is R's", {
  skip_on_cran()
  it <- opened_page()
  b <- it$b
  x <- demo_for_page()
  act <- function(expr) then_ready(b, expr)
  button <- function(do, value) sprintf("[data-do='%s'][data-value='%s']", do, value)

  # First: what is asked, of which days, and that it ties.
  expect_identical(sentence_shown(b), paste(
    "Fare and entries, each month, latest 12 months: 1 Oct 2025 to 17 Sep 2026, sailed."))
  expect_match(browser_text(b, "#facts"), "150,005 entries read = 150,000 used + 5 set aside",
               fixed = TRUE)
  expect_match(browser_text(b, "#facts"), "ties", fixed = TRUE)
  expect_accessible(b, "first page")
  first <- statement(x, per = "month", span = "latest 12 months", fare = total(fare))
  said <- marks_shown(b, 1)
  expect_length(said, 12)
  expect_true(all(mapply(grepl, rollingledger:::number_text(first$fare, 2), said, fixed = TRUE)))

  # Days between two, both included; a phrase typed, with its days shown while typing.
  act({
    type_into(b, "#span", "2026-07-03/2026-08-09")
    wait_until(function() grepl("3 Jul to 9 Aug 2026", browser_text(b, "#span-says")),
               what = "the days of what is typed")
    press(b, "Enter")
  })
  act(click(b, button("look", "table")))
  expect_cells_of(b, 1, statement(x, per = "month", span = "2026-07-03/2026-08-09",
                                  fare = total(fare), entries = entries()))
  type_into(b, "#span", "last blue moon")
  wait_until(function() grepl("blue", browser_text(b, "#span-says")), what = "the word on it")
  expect_identical(run_script(b, "return document.querySelector('#span').ariaInvalid;"), "true")

  # Another date, the grain by one word, only finished periods, another as-of day.
  act(click(b, button("on", "booked")))
  act(click(b, button("grain", "week")))
  act(click(b, button("span", "latest 8 weeks")))
  act(click(b, "#partial"))
  expect_cells_of(b, 1, statement(x, per = "week", span = "latest 8 weeks", on = "booked",
                                  partial = "drop", fare = total(fare), entries = entries()))
  expect_match(sentence_shown(b), "booked, whole periods only.", fixed = TRUE)
  act(click(b, button("on", "sailed")))
  act(click(b, "#partial"))

  # The same season in every year.
  act({
    type_into(b, "#span", "every Q3")
    press(b, "Enter")
  })
  act(click(b, button("grain", "")))
  expect_cells_of(b, 1, statement(x, span = "every Q3", fare = total(fare), entries = entries()))

  # Runs of periods on the strip: click, shift-click, drag, arrow keys, one on.
  act(choose(b, "#level", "quarter"))
  act(drag(b, "#bar-9", "#bar-11"))
  expect_match(sentence_shown(b), "2025-Q1/2025-Q3: 1 Jan to 30 Sep 2025", fixed = TRUE)
  act(drag(b, "#bar-4", "#bar-4"))
  act(click_with_shift(b, "#bar-6"))
  expect_match(sentence_shown(b), "2023-Q4/2024-Q2: 1 Oct 2023 to 30 Jun 2024", fixed = TRUE)
  act(click(b, "[data-do=undo]"))
  act(click(b, "[data-do=undo]"))
  act(click(b, "[data-do=move][data-value='1']"))
  expect_match(sentence_shown(b), "2025-Q2/2025-Q4: 1 Apr to 31 Dec 2025", fixed = TRUE)
  act({
    run_script(b, "document.querySelector('#bars').focus();")
    press(b, "End")
    press(b, "Left", "Left", shift = TRUE)
    press(b, "Enter")
  })
  expect_match(sentence_shown(b), "2026-Q1/2026-Q3: 1 Jan to 17 Sep 2026", fixed = TRUE)
  expect_cells_of(b, 1, statement(x, span = "2026-Q1/2026-Q3", fare = total(fare),
                                  entries = entries()))

  # By attributes; conditions by members, from a number, and back; a panel follows the page.
  act(click(b, button("by", "route")))
  act(click(b, button("by", "weekday")))
  act(click(b, button("by", "weekday")))
  act(choose(b, "#column", "channel"))
  act(click(b, "[data-do=members][data-only=web]"))
  expect_cells_of(b, 1, statement(x, by = "route", span = "2026-Q1/2026-Q3",
                                  where = channel == "web", fare = total(fare),
                                  entries = entries()))
  expect_match(sentence_shown(b), "only channel web", fixed = TRUE)
  expect_cells_of(b, 2, statement(x, by = "route", span = "2026-Q1/2026-Q3", fare = total(fare),
                                  entries = entries()))
  act(click(b, ".chip-text"))
  expect_cells_of(b, 1, statement(x, by = "route", span = "2026-Q1/2026-Q3", fare = total(fare),
                                  entries = entries()))

  # Totals stand apart, and fold the rows that they are totals of.
  act(click(b, button("grain", "quarter")))
  act(choose(b, "#totals", "by"))
  totals <- statement(x, per = "quarter", by = "route", span = "2026-Q1/2026-Q3", totals = "by",
                      fare = total(fare), entries = entries())
  expect_cells_of(b, 1, totals)
  seen <- paste("return Array.from(document.querySelectorAll('#panel-1 tbody tr'))",
                ".filter(r => !r.hidden).length;")
  expect_identical(browser_count(b, "#panel-1 tr.total .fold"), 3L)
  click(b, "#panel-1 tr.total .fold")
  expect_identical(run_script(b, seen), nrow(totals) - 6L)
  click(b, "#panel-1 tr.total .fold")
  expect_identical(run_script(b, seen), nrow(totals))
  act(choose(b, "#totals", "none"))
  act(click(b, button("grain", "")))

  # Compared with a year back; the two spans set equal give zero.
  act(click(b, button("step", "add_change")))
  expect_cells_of(b, 1, statement(x, by = "route", span = "2026-Q1/2026-Q3", fare = total(fare),
                                  entries = entries()) |> add_change(fare, from = "1 year back"))
  act(click(b, button("look", "compare_spans")))
  compared <- compare_spans(x, "2026-Q1/2026-Q3", "2026-Q1/2026-Q3, 1 year back", by = "route",
                            fare = total(fare), entries = entries())
  cells <- cells_shown(b, 1)
  expect_identical(cells$text[cells$figure == "fare"], as.vector(rbind(
    rollingledger:::number_text(compared$fare_a, 2),
    rollingledger:::number_text(compared$fare_b, 2))))
  act(click(b, "[data-do=second_equal]"))
  differences <- run_script(b, paste(
    "return Array.from(document.querySelectorAll('#panel-1 tbody tr'))",
    ".map(r => r.cells[3].textContent);"))
  expect_true(all(unlist(differences) == "= 0.00"))

  # Leaders of each week, with N on a slider.
  act(click(b, button("look", "figure_leaders")))
  act({
    run_script(b, paste("var e = document.querySelector('#step-2-keep'); e.value = 2;",
                        "e.dispatchEvent(new Event('input', {bubbles: true}));"))
  })
  led <- statement(x, per = "quarter", by = "route", span = "2026-Q1/2026-Q3",
                   fare = total(fare)) |>
    add_rank(fare, keep = 2, rest = "All others")
  said <- marks_shown(b, 1)
  expect_setequal(sub(".*fare ([0-9,.]+) EUR.*", "\\1", said),
                  rollingledger:::number_text(led$fare, 2))
  expect_match(sentence_shown(b), "the first 2 by fare, the rest as \"All others\"", fixed = TRUE)

  # A calendar of days, narrowed by a search, and the entries of a day behind it; and back.
  act(click(b, button("look", "figure_days")))
  act({
    run_script(b, "document.querySelector('#narrow-column').value = 'channel';")
    type_into(b, "#narrow-text", "web")
  })
  expect_match(sentence_shown(b), "channel holds \"web\"", fixed = TRUE)
  run_script(b, "document.querySelector('#figure-1 .picture').focus();")
  press(b, "Home", "Enter")
  wait_until(function() isTRUE(run_script(b, "return document.querySelector('#behind').open;")),
             what = "the entries")
  days <- statement(x, per = "day", span = "2026-Q1/2026-Q3", where = has_text(channel, "web"),
                    fare = total(fare))
  shown <- browser_text(b, "#behind")
  figure <- sub(".*The figure is ([0-9,.-]+) EUR.*", "\\1", gsub("\n", " ", shown))
  row <- which(rollingledger:::number_text(days$fare, 2) == figure)
  expect_gte(length(row), 1)
  rows <- browser_count(b, "#behind tbody tr")
  behind <- lapply(row, function(i) entries_behind(days, row = i))
  expect_true(rows %in% vapply(behind, nrow, 0L))
  expect_accessible(b, "entries behind a day")
  act({
    type_into(b, "#behind-seek", "foot")
  })
  expect_lt(browser_count(b, "#behind tbody tr"), rows)
  # Escape empties the search first, and then leads back.
  act(press(b, "Escape"))
  expect_identical(browser_count(b, "#behind tbody tr"), rows)
  act(press(b, "Escape"))
  expect_false(run_script(b, "return document.querySelector('#behind').open;"))
  expect_accessible(b, "calendar of days")

  # Back and forward in the browser, undo and redo, and a reload.
  now <- sentence_shown(b)
  act(click(b, button("grain", "month")))
  later <- sentence_shown(b)
  expect_false(identical(now, later))
  ready <- page_counts(b)[[2]]
  go_back(b)
  wait_until(function() identical(sentence_shown(b), now), what = "the page before")
  go_forward(b)
  wait_until(function() identical(sentence_shown(b), later), what = "the page after")
  act(click(b, "[data-do=undo]"))
  expect_identical(sentence_shown(b), now)
  act(click(b, "[data-do=redo]"))
  expect_identical(sentence_shown(b), later)
  refresh(b)
  wait_until(function() page_counts(b)[[2]] > 0, what = "the page again")
  expect_identical(sentence_shown(b), later)

  # Writing a page of six panels takes a moment: it can be stopped, from the sheet as well.
  before <- sentence_shown(b)
  for (i in 1:4) act(click(b, "[data-do=panel_more]"))
  click(b, button("hand", "over"))
  wait_until(function() browser_count(b, "[data-do=file][data-value=page]") > 0,
             what = "the sheet")
  click(b, "[data-do=file][data-value=page]")
  wait_until(function() browser_count(b, "#busy button") > 0, what = "a way to stop")
  click(b, "#busy button")
  wait_until(function() grepl("Stopped", browser_text(b, "#said")), what = "the word on it")
  expect_identical(trimws(browser_text(b, "#busy")), "")
  press(b, "Escape")
  for (i in 1:4) act(click(b, "[data-do=panel_without]"))
  act(click(b, "#panel-1 [data-do=panel]"))
  expect_identical(sentence_shown(b), before)

  # Handing over: code, a command line, a file; keeping; a brief with a value asked for.
  click(b, button("hand", "over"))
  wait_until(function() browser_count(b, "[data-do=code]") > 0, what = "the sheet")
  click(b, "[data-do=code]")
  wait_until(function() grepl("library(rollingledger)", browser_text(b, "#copied"), fixed = TRUE),
             what = "the code")
  click(b, "[data-do=command]")
  wait_until(function() grepl("^rolling-ledger statement", browser_text(b, "#copied")),
             what = "the command line")
  expect_accessible(b, "handing over")
  press(b, "Escape")
  click(b, button("hand", "keep"))
  wait_until(function() browser_count(b, "#keep-name") > 0, what = "the sheet")
  type_into(b, "#keep-name", "Found by pointing")
  click(b, "[data-do=keep]")
  wait_until(function() file.exists(file.path(it$folder, "found-by-pointing.yml")),
             what = "the brief")
  click(b, button("hand", "briefs"))
  wait_until(function() browser_count(b, "[data-value='leaders-per-week.yml']") > 0,
             what = "the list of briefs")
  click(b, "[data-value='leaders-per-week.yml']")
  wait_until(function() browser_count(b, "#ask-weeks") > 0, what = "the values asked for")
  expect_accessible(b, "values asked for")
  type_into(b, "#ask-weeks", "last 5 weeks")
  act(click(b, "#hand [data-do=brief]"))
  expect_match(sentence_shown(b), "last 5 weeks: 10 Aug to 13 Sep 2026", fixed = TRUE)
})

test_that("axe-core looks at the page", {
  skip_on_cran()
  skip_if_not(file.exists(axe_file()),
              "axe-core is not installed, so that pages are not checked for screen readers")
  expect_gt(file.size(axe_file()), 1e5)
})

test_that("two browsers have a question each, and odd names are shown as text", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  page <- start_page(c(
    "odd <- c('<img src=x onerror=document.title=1>', 'a \"quoted\" & \\'one\\'',",
    "         '\\u202ereversed')",
    "d <- data.frame(day = as.Date('2026-01-01') + 0:59, who = rep(odd, 20),",
    "                sum = (1:60) / 4)",
    "x <- ledger(d, on = c(paid = 'day'), units = c(sum = '<b>EUR</b>'))"))
  withr::defer(stop_page(page))
  a <- start_browser(390, 844)
  withr::defer(stop_browser(a))
  z <- start_browser()
  withr::defer(stop_browser(z))
  browser_size(a, 390, 844)
  open_page(a, page$at)
  open_page(z, page$at)
  then_ready(a, click(a, "[data-do=grain][data-value=month]"))
  expect_match(sentence_shown(a), "each month", fixed = TRUE)
  expect_match(sentence_shown(z), "each day", fixed = TRUE)
  # Nothing of it ran, nothing became an element, and the page fits the screen.
  for (b in list(a, z)) {
    then_ready(b, click(b, "[data-do=by][data-value=who]"))
    then_ready(b, click(b, "[data-do=look][data-value=table]"))
    expect_identical(browser_count(b, "img[src=x], #panels b"), 0L)
    expect_false(identical(run_script(b, "return document.title;"), "1"))
    expect_match(browser_text(b, "#panel-1"), "<img src=x onerror=document.title=1>", fixed = TRUE)
    wide <- run_script(b, "return document.documentElement.scrollWidth - window.innerWidth;")
    expect_lte(wide, 0)
  }
  expect_accessible(a, "on a phone")
  # A wrong address: the nearest right page, and a word on it.
  visit(a, "about:blank")
  wrong <- utils::URLencode("{\"panels\":[{\"statement\":{\"per\":\"moon\"}}]}", TRUE)
  visit(a, paste0(page$at, "#", wrong))
  wait_until(function() page_counts(a)[[2]] > 0, what = "the page")
  expect_match(browser_text(a, "#said"), "per")
  expect_match(sentence_shown(a), "Entries", fixed = TRUE)
})

test_that("a whole question is put by keyboard alone, on a narrow screen too", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  page <- start_page(paste(
    "x <- ledger(demo_fares, on = c(sailed = 'sailed_on', booked = 'booked_on'),",
    "units = c(fare = 'EUR'))"))
  withr::defer(stop_page(page))
  b <- start_browser()
  withr::defer(stop_browser(b))
  x <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
              units = c(fare = "EUR"))
  focused <- function(css) isTRUE(run_script(
    b, "return document.activeElement.matches(arguments[0]);", css))
  for (width in c(1280, 390)) {
    browser_size(b, width, 800)
    open_page(b, page$at)
    act <- function(expr) then_ready(b, expr)
    # The answer begins high on the page, and the page fits its screen.
    if (width == 1280) expect_lt(run_script(
      b, "return document.querySelector('#figure-1').getBoundingClientRect().top;"), 330)
    tab_to(b, ".word[data-open=grain]")
    press(b, "Enter")
    expect_true(focused("#choose-grain [aria-pressed=true]"))
    tab_to(b, "#choose-grain [data-value=quarter]")
    # The sentence says what it will become.
    expect_match(sentence_shown(b), "each quarter", fixed = TRUE)
    act(press(b, "Enter"))
    press(b, "Escape")
    expect_true(focused(".word[data-open=grain]"))
    expect_identical(browser_count(b, "#ask:not([hidden])"), 0L)
    tab_to(b, "#and-more")
    press(b, "Enter")
    tab_to(b, "#choose-more [data-do=by][data-value=route]")
    act(press(b, "Enter"))
    tab_to(b, "#choose-more [data-do=step][data-value=add_change]")
    act(press(b, "Enter"))
    # What was added shows what can be said of it.
    expect_true(focused("#choose-step-1 *"))
    tab_to(b, "#choose-step-1 [data-value='1 year back']")
    act(press(b, "Enter"))
    expect_accessible(b, paste("choices open,", width))
    press(b, "Escape")
    tab_to(b, "[data-do=look][data-value=table]")
    act(press(b, "Enter"))
    expect_match(sentence_shown(b), "by route, each quarter", fixed = TRUE)
    span <- sub(".*(latest [0-9]+ quarters).*", "\\1", sentence_shown(b))
    expect_cells_of(b, 1, statement(x, per = "quarter", by = "route", span = span,
                                    fare = total(fare), entries = entries()) |>
                      add_change(fare, from = "1 year back"))
    wide <- run_script(b, "return document.documentElement.scrollWidth - window.innerWidth;")
    expect_lte(wide, 0)
  }
})

test_that("what can be pressed is large enough, and stays to be seen in forced colours", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  page <- start_page("x <- ledger(demo_fares, on = c(sailed = 'sailed_on'))")
  withr::defer(stop_page(page))
  b <- start_browser()
  withr::defer(stop_browser(b))
  browser_size(b, 1280, 800)
  open_page(b, page$at)
  small <- function() run_script(b, paste(
    "return Array.from(document.querySelectorAll('button, select, input, summary'))",
    ".filter(e => e.offsetParent !== null && !e.matches('.cell, .word, .bar, [type=hidden]'))",
    ".filter(e => { var r = e.getBoundingClientRect(), l = e.closest('label');",
    "  if (l) r = l.getBoundingClientRect();",
    "  return r.height < 24 || r.width < 24; }).map(e => e.outerHTML.slice(0, 90));"))
  for (part in c("what", "grain", "days", "on", "more")) {
    click(b, sprintf("[data-open=%s]", part))
    expect_identical(unlist(small()), NULL, info = part)
  }
  driver(b, "POST", paste0(b$session, "/goog/cdp/execute"), list(
    cmd = "Emulation.setEmulatedMedia", params = list(features = list(list(
      name = "forced-colors", value = "active")))))
  shade <- function(css) run_script(
    b, "return getComputedStyle(document.querySelector(arguments[0])).backgroundColor;", css)
  expect_false(identical(shade(".bar[aria-selected=true] i"), shade(".bar[aria-selected=false] i")))
  click(b, "[data-open=grain]")
  expect_false(identical(shade("#choose-grain [aria-pressed=true]"),
                         shade("#choose-grain [aria-pressed=false]")))
})
