# Makes every picture in docs/screenshots/ from the demo ledger: figures by R, the page by Chromium,
# and printed text as a page of text by Chromium. Run through `make screenshots`.
library(rollingledger)
out <- "docs/screenshots"
dir.create(out, recursive = TRUE, showWarnings = FALSE)
work <- tempfile("shots")
dir.create(work)

browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
browser <- browser[nzchar(browser)][1]
if (is.na(browser)) stop("No Chromium found; `make screenshots` installs it where it can.", call. = FALSE)

photograph <- function(page, name, height = 800) {
  status <- system2(browser, c(
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--hide-scrollbars",
    "--disable-background-networking", "--disable-component-update", "--disable-sync",
    paste0("--user-data-dir=", tempfile("browser")), sprintf("--window-size=1280,%d", height),
    paste0("--screenshot=", file.path(getwd(), out, name)), paste0("file://", normalizePath(page))
  ), stdout = FALSE, stderr = FALSE, timeout = 60)
  if (status != 0) stop("Chromium could not photograph ", page, call. = FALSE)
}

# What a terminal shows: the command, then what it printed.
terminal <- function(command, lines, name, height = 800, size = 15) {
  page <- file.path(work, sub("png$", "html", name))
  text <- htmltools::htmlEscape(paste(c(paste("$", command), lines), collapse = "\n"))
  writeLines(c("<!DOCTYPE html><meta charset='utf-8'><style>body { margin: 0; background: #f5f7f8; color: #1f2d3a }",
               sprintf("pre { margin: 24px 34px; font: %gpx/1.42 'DejaVu Sans Mono', monospace }</style>", size), paste0("<pre>", text, "</pre>")), page)
  photograph(page, name, height)
}

command <- "exec/rolling-ledger"
folder <- file.path(work, "demo-output")
printed <- system2(command, c("demo", "--dir", folder), stdout = TRUE, stderr = TRUE)
printed <- gsub(paste0(work, "/"), "", printed, fixed = TRUE)
terminal("rolling-ledger demo", printed, "demo.png")
invisible(file.copy(file.path(folder, "trend.png"), file.path(out, "trend.png"), overwrite = TRUE))
photograph(file.path(folder, "report.html"), "report.png")

asked <- c("statement", file.path(folder, "tables", "fares.csv.gz"), "--on", "sailed=sailed_on", "--per", "'fiscal quarter'", "--by", "channel",
           "--measure", "'income=total(fare)'", "--measure", "'trips=entries()'", "--measure", "'yield=income/trips'", "--span", "FY2027",
           "--running", "income", "--since", "'fiscal year'", "--fiscal-start", "April", "--unit", "fare=EUR")
shown <- "rolling-ledger statement fares.csv.gz --on sailed=sailed_on --per 'fiscal quarter' --by channel \\\n    --measure 'income=total(fare)' --measure 'trips=entries()' --measure 'yield=income/trips' \\\n    --span FY2027 --running income --since 'fiscal year' --fiscal-start April --unit fare=EUR"
terminal(shown, system2(command, asked, stdout = TRUE, stderr = TRUE), "statement.png", height = 640)

# The language of spans as of the demo's last day, and two of its spans side by side.
listed <- c("spans", "--list", "--as-of", "2026-09-17", "--fiscal-start", "April", "--first", "2023-01-01")
terminal(paste("rolling-ledger", paste(listed, collapse = " ")), system2(command, listed, stdout = TRUE, stderr = TRUE), "spans.png", height = 860, size = 13)
compared <- c("compare", file.path(folder, "tables", "fares.csv.gz"), "--on", "sailed=sailed_on", "--by", "route", "--measure", "'income=total(fare)'",
              "--span", "'fiscal year to date'", "--against", "'before=fiscal year to date, 1 fiscal year back'", "--fiscal-start", "April", "--unit", "fare=EUR")
shown <- "rolling-ledger compare fares.csv.gz --on sailed=sailed_on --by route --measure 'income=total(fare)' \\\n    --span 'fiscal year to date' --against 'before=fiscal year to date, 1 fiscal year back' \\\n    --fiscal-start April --unit fare=EUR"
terminal(shown, system2(command, compared, stdout = TRUE, stderr = TRUE), "compare.png", height = 560)

# Leaders and the rest, the entries behind one figure, and lines down the page.
fares <- c(file.path(folder, "tables", "fares.csv.gz"), "--on", "sailed=sailed_on", "--unit", "fare=EUR")
asked <- c("statement", fares, "--per", "month", "--by", "route", "--span", "'latest 4 months'", "--measure", "'income=total(fare)'",
           "--measure", "'riders=distinct(account)'", "--rolling", "riders", "--over", "'3 months'", "--rank", "income", "--keep", "2",
           "--rest", "'All other routes'", "--totals", "by")
shown <- "rolling-ledger statement fares.csv.gz --on sailed=sailed_on --unit fare=EUR --per month --by route \\\n    --span 'latest 4 months' --measure 'income=total(fare)' --measure 'riders=distinct(account)' \\\n    --rolling riders --over '3 months' --rank income --keep 2 --rest 'All other routes' --totals by"
terminal(shown, system2(command, asked, stdout = TRUE, stderr = TRUE, env = "COLUMNS=110"), "leaders.png", height = 800)
asked <- c("entries", fares, "--per", "month", "--by", "route", "--measure", "'income=total(fare)'", "--of", "period=2026-09", "--of", "route=Oysterby")
shown <- "rolling-ledger entries fares.csv.gz --on sailed=sailed_on --unit fare=EUR --per month --by route \\\n    --measure 'income=total(fare)' --of period=2026-09 --of route=Oysterby"
terminal(shown, system2(command, asked, stdout = TRUE, stderr = TRUE, env = "COLUMNS=120"), "entries.png", height = 560)
asked <- c("statement", fares, "--per", "quarter", "--span", "2025-Q4/2026-Q2", "--measure", "'foot=total(fare, where = fare_class == \"foot\" & fare > 0)'",
           "--measure", "'vehicles=total(fare, where = fare_class != \"foot\" & fare > 0)'", "--measure", "'refunds=total(fare, where = fare < 0)'",
           "--measure", "'income=foot + vehicles + refunds'", "--across", "period", "--lines")
shown <- "rolling-ledger statement fares.csv.gz --on sailed=sailed_on --unit fare=EUR --per quarter --span 2025-Q4/2026-Q2 \\\n    --measure 'foot=total(fare, where = fare_class == \"foot\" & fare > 0)' \\\n    --measure 'vehicles=total(fare, where = fare_class != \"foot\" & fare > 0)' \\\n    --measure 'refunds=total(fare, where = fare < 0)' --measure 'income=foot + vehicles + refunds' \\\n    --across period --lines"
terminal(shown, system2(command, asked, stdout = TRUE, stderr = TRUE), "lines.png", height = 480)
message("Wrote ", paste(list.files(out), collapse = ", "), " to ", out)
