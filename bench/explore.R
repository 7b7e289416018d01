# The page to point at, measured in a real browser: from a click to what is shown of it. Medians of
# several acts of a kind; figures are drawn by ggplot2 and come after their numbers. Run through
# `make bench`; writes the last part of bench/README.md.
source("bench/common.R")
source("tools/free-ports.R")
source("tests/testthat/helper-browser.R")
sizes <- as.numeric(commandArgs(TRUE))
if (length(sizes) == 0) sizes <- c(1e6, 1e7)
why <- no_browser()
if (!is.null(why)) {
  cat("The page is not measured:", why, "\n")
  quit(save = "no")
}

# From the click to the pieces of HTML, and to the picture, in milliseconds as the browser sees it.
timed_act <- function(b, script) {
  unlist(run_script_later(b, paste0(
    "var done = arguments[arguments.length - 1], began = performance.now(), first = null;",
    "var watch = new MutationObserver(function (changes) {",
    "  changes.forEach(function (change) {",
    "    var name = change.attributeName;",
    "    if (name === 'data-turn' && first === null) first = performance.now() - began;",
    "    if (name === 'data-ready') {",
    "      watch.disconnect();",
    "      var all = performance.now() - began;",
    "      requestAnimationFrame(function () { done([first, all]); });",
    "    } }); });",
    "watch.observe(document.body, {attributes: true});", script)))
}
press_button <- function(css) sprintf("document.querySelector(\"%s\").click();", css)
typed <- function(css, text) sprintf(paste0(
  "var e = document.querySelector(\"%s\"); e.value = \"%s\";",
  "e.dispatchEvent(new Event('change', {bubbles: true}));"), css, text)
slide <- function(css, to) sprintf(paste0(
  "var e = document.querySelector(\"%s\"); e.value = %d;",
  "e.dispatchEvent(new Event('input', {bubbles: true}));"), css, to)
button <- function(do, value) press_button(sprintf("[data-do='%s'][data-value='%s']", do, value))

measured <- function(n) {
  page <- start_page(sprintf(paste(
    "set.seed(7); n <- %s",
    "d <- data.frame(sailed_on = as.Date('2022-01-01') + sample.int(1715, n, TRUE),",
    "  route = factor(sample(c('Gull Rock', 'Heron Isle', 'Marram Bay', 'Oysterby', 'Tern Head',",
    "    'Wickholm'), n, TRUE)), channel = factor(sample(c('web', 'app', 'agent', 'kiosk'), n,",
    "    TRUE)), account = sample.int(60000L, n, TRUE), fare = round(runif(n, 1, 90), 2))",
    "x <- ledger(d, on = c(sailed = 'sailed_on'), units = c(fare = 'EUR'))",
    "rm(d)", sep = "\n"), format(n, scientific = FALSE)))
  on.exit(stop_page(page))
  b <- start_browser()
  on.exit(stop_browser(b), add = TRUE)
  browser_size(b, 1280, 800)
  visit(b, "about:blank")
  visit(b, page$at)
  wait_until(function() page_counts(b)[[2]] > 0, 60, "the first page")
  first <- run_script(b, "return performance.now();")
  told <- list("first page, after navigation" = rbind(c(NA, first)))
  timed <- function(b, script) tryCatch(timed_act(b, script), error = function(e) {
    stop("no answer to ", script, ": ", conditionMessage(e), call. = FALSE)
  })
  note <- function(what, script) {
    now <- timed(b, script)
    told[[what]] <<- rbind(told[[what]], now)
    Sys.sleep(0.1)
  }
  for (look in c("table", "figure_columns")) {
    timed(b, button("look", look))
    kind <- if (look == "table") "table" else "figure"
    # Nothing is asked twice, as what was drawn is kept.
    for (turn in 1:6) {
      note(paste0(kind, ": span"), typed("#span", sprintf("latest %d months", 6 + 2 * turn +
                                                            (look == "table"))))
      note(paste0(kind, ": grain"), button("grain", c("week", "quarter")[1 + turn %% 2]))
      timed(b, button("grain", "month"))
    }
  }
  timed(b, button("look", "table"))
  timed(b, button("by", "route"))
  timed(b, paste("var e = document.querySelector('#column'); e.value = 'channel';",
                 "e.dispatchEvent(new Event('change', {bubbles: true}));"))
  for (member in c("web", "app", "agent", "kiosk", "web", "app")) {
    note("table: member", press_button(sprintf("[data-do=members][data-only=%s]", member)))
  }
  timed(b, button("step", "add_rank"))
  for (keep in c(2, 4, 3, 5, 1, 2)) note("table: N", slide("#step-1-keep", keep))
  timed(b, button("look", "figure_leaders"))
  for (keep in c(4, 2, 3, 5, 1, 2)) note("figure: N", slide("#step-1-keep", keep))
  rows <- unlist(Map(function(what, times) {
    first <- round(stats::median(times[, 1]))
    sprintf("| %s | %s | %.0f ms | %d |", what, if (is.na(first)) "" else sprintf("%.0f ms", first),
            stats::median(times[, 2]), nrow(times))
  }, names(told), told), use.names = FALSE)
  c(sprintf("### %.0f million entries", n / 1e6), "",
    "| a change of | its numbers | all, with the picture | runs |", "|---|---:|---:|---:|", rows,
    "")
}

report <- c(
  sprintf("%s, %d cores, %s, Chromium at 1280x800; medians, as the browser sees them.",
          format(Sys.Date(), "%Y-%m-%d"), parallel::detectCores(), R.version.string), "",
  unlist(lapply(sizes, measured)))
cat(report, sep = "\n")
put_between_marks(report, "explore")
