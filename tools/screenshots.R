# Makes every picture in docs/screenshots/ by the calls of vignettes/gallery.Rmd: each chunk that
# gives a figure is a picture of its name, each command one of its output as a terminal shows it,
# and the page is photographed by Chromium. Run through `make screenshots`.
library(rollingledger)
out <- file.path(getwd(), "docs/screenshots")
command <- file.path(getwd(), "exec/rolling-ledger")
dir.create(out, recursive = TRUE, showWarnings = FALSE)
unlink(list.files(out, "[.]png$", full.names = TRUE))
gallery <- readLines("vignettes/gallery.Rmd")
work <- tempfile("shots")
dir.create(work)

browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
browser <- browser[nzchar(browser)][1]
if (is.na(browser))
  stop("No Chromium found; `make screenshots` installs it where it can.", call. = FALSE)

photograph <- function(page, name, width = 1280, height = 800) {
  status <- system2(browser, c(
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--hide-scrollbars",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    paste0("--user-data-dir=", tempfile("browser")), sprintf("--window-size=%d,%d", width, height),
    paste0("--screenshot=", file.path(out, paste0(name, ".png"))),
    paste0("file://", normalizePath(page))
  ), stdout = FALSE, stderr = FALSE, timeout = 60)
  if (status != 0) stop("Chromium could not photograph ", page, call. = FALSE)
}

# What a terminal shows: the command, then what it printed. One that ends otherwise than it should
# ends all: its picture would be one of an error. The command finds the package where this script
# did, whatever it was started from.
terminal_picture <- function(line, name, width = 110, status = 0L) {
  # The shell of R's own makes the call, with its quotes as they stand.
  printed <- suppressWarnings(system(
    sprintf("R_LIBS=%s COLUMNS=%d %s", shQuote(paste(.libPaths(), collapse = ":")), width,
            sub("^rolling-ledger", shQuote(command), paste0(line, " 2>&1"))), intern = TRUE))
  ended <- attr(printed, "status")
  if (is.null(ended)) ended <- 0L
  if (ended != status) {
    stop(sprintf("This call ended with %d, not %d:\n%s\n%s", ended, status, line,
                 paste(printed, collapse = "\n")), call. = FALSE)
  }
  page <- file.path(work, paste0(name, ".html"))
  shown <- htmltools::htmlEscape(paste(c(paste("$", line), printed), collapse = "\n"))
  size <- if (length(printed) > 32) 13 else 15
  writeLines(c(
    paste0("<!DOCTYPE html><meta charset='utf-8'><style>body { margin: 0; background: #f5f7f8; ",
           "color: #1f2d3a }"),
               sprintf(
                 "pre { margin: 24px 34px; font: %gpx/1.42 'DejaVu Sans Mono', monospace }</style>",
                 size), paste0("<pre>", shown, "</pre>")), page)
  lines <- length(strsplit(line, "\n")[[1]]) + length(printed)
  photograph(page, name, height = max(360, min(900, round(lines * size * 1.42) + 60)))
}

# Chunks by name, in their order.
starts <- grep("^```\\{r ", gallery)
ends <- vapply(starts, function(i) i + which(gallery[-seq_len(i)] == "```")[1], 0)
names <- sub("^```\\{r ([a-z-]+).*$", "\\1", gallery[starts])
chunks <- Map(function(from, to) gallery[seq.int(from + 1, length.out = to - from - 1)], starts,
              ends)
names(chunks) <- names
invisible(file.copy(
  list.files(file.path(find.package("rollingledger"), c("extdata", "briefs")), full.names = TRUE),
  work))
setwd(work)
terminal_picture("rolling-ledger demo", "demo")
here <- new.env()
# Variants of a figure have no picture of their own.
without <- c("setup", "page", "page-of-check", "table", "days-of-years", "statement",
             "explained", "briefs", "panels", "stacked", "rolling", "lines", "parts", "columns",
             "ranked", "accounts", "ahead", "members")
for (name in setdiff(names, without)) {
  here$terminal <- function(line, ...) terminal_picture(line, name, ...)
  value <- eval(parse(text = chunks[[name]]), here)
  if (inherits(value, "ggplot"))
    rollingledger:::write_figure(value, file.path(out, paste0(name, ".png")), overwrite = TRUE)
}
photograph("report.html", "report")

# The page to point at, on the demo's entries: as it opens, on a phone, and while its sentence is
# typed.
for (file in c("tools/free-ports.R", "tests/testthat/helper-browser.R"))
  source(file.path(dirname(dirname(command)), file))
page <- start_page(c(
  "x <- suppressMessages(ledger(system.file('extdata/fares.csv.gz', package = 'rollingledger'),",
  "  on = c(sailed = 'sailed_on', booked = 'booked_on'), units = c(fare = 'EUR'),",
  "  amounts = 'fare', calendar = ledger_calendar(fiscal_start = 'April')))"),
  "tables = list(plan = demo_targets), title = 'Saltmarsh Ferries'")
b <- start_browser()
take <- function(name) browser_picture(b, file.path(out, paste0(name, ".png")))
browser_size(b, 1280, 800)
open_page(b, page$at)
take("page")
# A width is answered like an act, figures and all.
resize <- function(wide, high) {
  before <- page_counts(b)[[2]]
  browser_size(b, wide, high)
  wait_until(function() page_counts(b)[[2]] > before, what = "the page at another width")
  Sys.sleep(0.5)
}
resize(390, 844)
take("page-phone")
resize(1280, 800)
press(b, "/")
type_into(b, "#type-text", "fare and accounts by route, each month, latest 6 months, only channel ")
wait_until(function() run_script(b, paste(
  "return document.querySelectorAll('#type-offers li').length > 0 &&",
  "  document.activeElement.value.endsWith('channel ');")), what = "offers of the sentence")
Sys.sleep(0.5)
take("page-typed")
stop_browser(b)
stop_page(page)
message("Wrote ", paste(list.files(out), collapse = ", "), " to ", out)
