# rolling-ledger demo

demo_options <- function() {
  list(cli_option("--dir", "folder to write to; its demo files are replaced [demo-output]", "DIR", default = "demo-output"))
}

cli_demo <- function(parsed) {
  if (length(parsed$args) > 0) refuse_call(sprintf("`demo` takes no arguments, not \"%s\".", parsed$args[1]))
  dir <- parsed$options$dir
  tables <- file.path(dir, "tables")
  if (file.exists(dir) && !dir.exists(dir)) refuse_call(sprintf("`--dir` %s is a file, not a folder.", dir))
  if (!dir.create(tables, recursive = TRUE, showWarnings = FALSE) && !dir.exists(tables)) {
    refuse("file", sprintf("The folder %s cannot be made.", tables), call = NULL)
  }
  shipped <- list.files(system.file("extdata", package = "rollingledger"), full.names = TRUE)
  file.copy(shipped, tables, overwrite = TRUE)

  fares <- ledger(file.path(tables, "fares.csv.gz"), on = c(sailed = "sailed_on", booked = "booked_on"),
                  calendar = ledger_calendar(fiscal_start = "April"), units = c(fare = "EUR"))
  cli_report_aside(fares)
  monthly <- demo_statement(fares)
  by_route <- statement(fares, per = "month", by = "route", span = "FY2026/..", income = "total(fare)")
  print(monthly)
  file <- function(name) file.path(dir, name)
  write_statement(monthly, file("statement.csv"), overwrite = TRUE)
  write_figure(figure_trend(by_route), file("trend.png"), overwrite = TRUE)
  write_report("Income so far" = monthly, "Income by route" = by_route, file = file("report.html"),
               title = "Saltmarsh Ferries: monthly statement", overwrite = TRUE)
  cli_say("\nWritten:")
  cli_say(sprintf("  %-*s  %s", nchar(file("statement.csv")), c(file("statement.csv"), file("trend.png"), file("report.html"), tables),
                  c("the statement", "the figure", "the page, for any browser", "the six demo tables")))
}

# The statement that the demo prints: two fiscal years by month, running within each.
demo_statement <- function(fares) {
  statement(fares, per = "month", span = "FY2026/..", income = "total(fare)", trips = "entries()",
            yield = "income / trips") |>
    add_running("income", since = "fiscal year")
}
