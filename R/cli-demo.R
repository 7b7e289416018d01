# rolling-ledger demo

demo_options <- function() {
  list(cli_option("--dir", "folder to write to; its demo files are replaced [demo-output]", "DIR",
                  default = "demo-output"))
}

cli_demo <- function(parsed) {
  if (length(parsed$args) > 0)
    refuse_call(sprintf("`demo` takes no arguments, not \"%s\".", parsed$args[1]))
  attach_usual_packages()
  dir <- parsed$options$dir
  if (file.exists(dir) && !dir.exists(dir))
    refuse_call(sprintf("`--dir` %s is a file, not a folder.", dir))
  tables <- copied_folder("extdata", file.path(dir, "tables"))
  copied_folder("briefs", file.path(dir, "briefs"))

  fares <- ledger(file.path(tables, "fares.csv.gz"),
                  on = c(sailed = "sailed_on", booked = "booked_on"),
                  calendar = ledger_calendar(fiscal_start = "April"), units = c(fare = "EUR"),
                  amounts = "fare")
  cli_report_aside(fares)
  monthly <- demo_statement(fares)
  by_route <- statement(fares, per = "month", by = "route", span = "FY2026/..",
                        income = "total(fare)")
  print(monthly)
  file <- function(name) file.path(dir, name)
  write_statement(monthly, file("statement.csv"), overwrite = TRUE)
  write_figure(figure_trend(by_route), file("trend.png"), overwrite = TRUE)
  demo_report(fares, monthly, by_route, file("report.html"))
  book <- rlang::is_installed("openxlsx")
  if (book) write_workbook(demo_routes(fares), file("routes.xlsx"), sheet_per = "route",
                           overwrite = TRUE)
  cli_say("\nWritten:")
  said <- c("statement.csv" = "the statement", "trend.png" = "a figure",
            "report.html" = "the page, for any browser",
            if (book) c("routes.xlsx" = "the workbook, a sheet per route"),
            tables = "the six demo tables", briefs = "nine briefs, questions to run again")
  cli_say(sprintf("  %-*s  %s", max(nchar(file(names(said)))), file(names(said)), said))
  if (!book) cli_say("Install the R package openxlsx for a workbook as well.")
}

# A folder that ships with the package, copied whole.
copied_folder <- function(name, to) {
  if (!dir.create(to, recursive = TRUE, showWarnings = FALSE) && !dir.exists(to))
    refuse("file", sprintf("The folder %s cannot be made.", to), call = NULL)
  shipped <- list.files(system.file(name, package = "rollingledger"), full.names = TRUE)
  whole <- file.copy(shipped, to, overwrite = TRUE) &
    file.size(file.path(to, basename(shipped))) == file.size(shipped)
  if (!all(whole)) {
    refuse("file", sprintf("The tables cannot be copied to %s. Is the disk full?", to), call = NULL)
  }
  to
}

# The statement that the demo prints: two fiscal years by month, running within each.
demo_statement <- function(fares) {
  statement(fares, per = "month", span = "FY2026/..", income = "total(fare)", trips = "entries()",
            yield = "income / trips") |>
    add_running("income", since = "fiscal year")
}

# The page: figures to date, then each question with its figure and table, each over its own days.
demo_report <- function(fares, monthly, by_route, file) {
  so_far <- statement(fares, span = "month to date", income = "total(fare)", trips = "entries()",
                      riders = "distinct(account)") |>
    add_change("income", from = "1 year back") |> add_change("trips", from = "1 year back") |>
      add_change("riders", from = "1 year back")
  routes <- statement(fares, by = "route", span = "fiscal year to date", income = "total(fare)") |>
    add_change("income", from = "1 year back")
  channels <- statement(fares, per = "fiscal quarter", by = c("channel", "fare_class"),
                        span = "FY2027", income = "total(fare)", totals = "by")
  write_report(
    "This month so far" = report_tiles(so_far),
    "Income month by month" = figure_trend(by_route), monthly,
    "Routes, this fiscal year against the last" = figure_change(routes), routes,
    "Leaders" = figure_leaders(by_route, keep = 2, rest = "All other routes"),
    "Income by channel and fare class" = cross_table(channels, across = "period"),
    file = file, title = "Saltmarsh Ferries: monthly statement", overwrite = TRUE
  )
}

# The workbook: lines of each route, with subtotals by channel.
demo_routes <- function(fares) {
  statement(fares, by = c("route", "channel", "fare_class"), span = "fiscal year to date",
            income = "total(fare)", trips = "entries()", yield = "income / trips")
}
