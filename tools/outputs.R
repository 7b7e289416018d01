# What all public calls give, as text, files, workbook and page: a file for each, to be compared
# with what another version gave.
#
#   Rscript tools/outputs.R FOLDER
#
# runs the example of every help page and a list of command lines, and writes all that they give
# into the folder; `diff -r` of two such folders shows every difference.
library(rollingledger)
ours <- asNamespace("rollingledger")
folder <- commandArgs(TRUE)[1]
dir.create(folder, recursive = TRUE, showWarnings = FALSE)
Sys.setenv(COLUMNS = "100")
options(width = 100, cli.num_colors = 1L, cli.unicode = FALSE)

# What differs from run to run, or with the version, by rule.
steady <- function(lines) {
  lines <- gsub("/tmp/[A-Za-z0-9/_.-]+", "TEMPORARY", lines)
  lines <- gsub("data:image/png;base64,[A-Za-z0-9+/=]+", "PICTURE", lines)
  gsub("(seed|elapsed|took|written)[^,;]*", "\\1", lines)
}

put <- function(name, lines) writeLines(steady(as.character(lines)), file.path(folder, name))

# The text in all cells of a workbook, with their styles' formats.
workbook_lines <- function(path) {
  inside <- tempfile()
  utils::unzip(path, exdir = inside)
  parts <- sort(list.files(inside, "^(sheet[0-9]+|sharedStrings|styles|workbook)[.]xml$",
                           recursive = TRUE, full.names = TRUE))
  unlist(lapply(parts, function(part) {
    text <- paste(readLines(part, warn = FALSE, encoding = "UTF-8"), collapse = "")
    c(basename(part), strsplit(gsub("><", ">\n<", text), "\n")[[1]])
  }))
}

figure_lines <- function(figure) {
  built <- ggplot2::ggplot_build(figure)
  c(unlist(figure$labels),
    unlist(lapply(built$data, function(layer) {
      utils::capture.output(utils::write.csv(layer[vapply(layer, is.atomic, TRUE)]))
    })))
}

tried <- function(expr) {
  tryCatch(expr, error = function(e) paste("refused:", conditionMessage(e)))
}

# Everything that one result can be written as.
put_all <- function(name, thing) {
  if (inherits(thing, "ggplot")) return(put(paste0(name, ".figure"), tried(figure_lines(thing))))
  put(paste0(name, ".txt"), tried(utils::capture.output(print(thing))))
  tables <- c("statement", "cross_table", "entries_behind", "reconciliation", "known_comparison")
  shown <- c(tables, "ledger_check", "report_tiles")
  if (inherits(thing, tables)) {
    for (width in c(60, 100)) {
      put(sprintf("%s.%d.txt", name, width), tried(format(thing, rows = 12, width = width)))
    }
    for (kind in c("csv", "json")) {
      put(paste0(name, ".", kind), tried(ours$plain_lines(thing, kind)))
    }
    put(paste0(name, ".xlsx.xml"), tried({
      file <- tempfile(fileext = ".xlsx")
      write_workbook(thing, file)
      workbook_lines(file)
    }))
    put(paste0(name, ".md"), tried(knitr::knit_print(thing)))
  }
  if (inherits(thing, shown)) put(paste0(name, ".html"), tried({
    file <- tempfile(fileext = ".html")
    write_report(Part = thing, file = file, title = "Page")
    readLines(file, encoding = "UTF-8")
  }))
  asked <- tryCatch(question(thing), error = function(e) NULL)
  if (!is.null(asked)) {
    put(paste0(name, ".question"), c(format(asked), jsonlite::toJSON(
      unclass(asked), auto_unbox = TRUE, digits = NA, pretty = TRUE)))
  }
}

# ---- the examples of help ----------------------------------------------------------

for (page in sort(list.files("man", "[.]Rd$", full.names = TRUE))) {
  name <- sub("[.]Rd$", "", basename(page))
  code <- tempfile(fileext = ".R")
  tools::Rd2ex(page, code)
  if (!file.exists(code)) next
  set.seed(1)
  inside <- new.env()
  lines <- readLines(code, encoding = "UTF-8")
  calls <- tryCatch(parse(text = lines, encoding = "UTF-8"), error = function(e) NULL)
  if (any(grepl("explore(", lines, fixed = TRUE))) calls <- NULL
  for (i in seq_along(calls)) {
    made <- NULL
    said <- tried(utils::capture.output(made <- withVisible(eval(calls[[i]], inside)),
                                        type = "output"))
    own <- sprintf("help-%s-%02d", name, i)
    if (length(said) > 0) put(paste0(own, ".said"), said)
    if (!is.null(made$value) && (made$visible || inherits(made$value, c("statement", "ggplot")))) {
      tried(put_all(own, made$value))
    }
  }
}

# ---- the page that is pointed at -----------------------------------------------------

fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
                units = c(fare = "EUR"))
offers <- list(ledger = fares, tables = list())
panels <- list(
  months = list(statement = list(per = "month", by = "route", totals = "all",
                                 measures = list(income = "total(fare)")),
                look = list(table = list())),
  changes = list(statement = list(per = "month", measures = list(income = "total(fare)"),
                                  steps = list(list(verb = "add_change", m = "income",
                                                    from = "1 year back"))),
                 look = list(table = list())),
  across = list(statement = list(per = "quarter", by = "channel",
                                 measures = list(income = "total(fare)")),
                look = list(cross_table = list(across = "period"))),
  spans = list(statement = list(by = "route", measures = list(income = "total(fare)")),
               look = list(compare_spans = list())),
  tiles = list(statement = list(per = "month", measures = list(income = "total(fare)")),
               look = list(report_tiles = list())))
for (name in names(panels)) {
  state <- list(span = "2026", panels = list(panels[[name]]))
  put(paste0("page-", name, ".html"), tried({
    told <- ours$panel_answer(state, panels[[name]], offers)
    as.character(ours$panel_piece(state, 1L, told, offers))
  }))
}

# ---- the command -----------------------------------------------------------------------

csv <- file.path(tempdir(), "fares.csv")
write.csv(demo_fares, csv, row.names = FALSE)
base <- c("--on", "sailed_on", "--unit", "fare=EUR", "--measure", "income=total(fare)")
lines <- list(
  statement = c("statement", csv, base, "--per", "month", "--span", "2026"),
  totals = c("statement", csv, base, "--per", "quarter", "--by", "route", "--totals", "all"),
  across = c("statement", csv, base, "--per", "quarter", "--by", "route", "--across", "period"),
  change = c("statement", csv, base, "--per", "month", "--change", "income=1 year back"),
  compare = c("compare", csv, base, "--span", "2026-01", "--against", "2025-01", "--by", "route"),
  members = c("members", csv, base, "--member", "route", "--span", "2026-01", "--against",
              "2025-01"),
  entries = c("entries", csv, base, "--of", "period=all"),
  check = c("check", csv, "--on", "sailed_on"), spans = c("spans", "--span", "last month"),
  help = "help", wrong = c("statement", csv, base, "--per", "fortnight"),
  unknown = c("statement", csv, base, "--pre", "month"))
for (name in names(lines)) {
  out <- suppressWarnings(system2(
    system.file("exec", "rolling-ledger", package = "rollingledger"), shQuote(lines[[name]]),
    stdout = TRUE, stderr = TRUE, env = paste0("R_LIBS=", paste(.libPaths(), collapse = ":"))))
  put(paste0("command-", name, ".txt"), out)
}
cat(length(list.files(folder)), "files in", folder, "\n")
