#' Run a brief for each of several values
#'
#' A page for each route, a workbook for each region: the brief is run once for each value, the
#' entries are read once, and a folder takes what comes of it, with an index. The folder is put in
#' place in one step: a run that is interrupted, or fails half way, leaves the earlier folder whole.
#'
#' @inheritParams run_brief
#' @param each Text of length one: the value of the brief that changes. Those given for it by name
#'   are run; without any, all its choices, or all members of its attribute that have entries.
#' @param out The path of the folder, which is of this series alone: it does not exist yet, is
#'   empty, or was made by an earlier run and `overwrite` is TRUE.
#' @param quiet TRUE or FALSE: no progress on a terminal.
#' @return `out`, invisibly: a folder with `index.html`, a folder for each value with the files of
#'   its run, and `series.json`, which tells what was run.
#' @section Errors:
#' `rollingledger_error_brief` as for [run_brief()], and where the brief writes no file or asks for
#' no such value; `rollingledger_error_file` for a folder that holds something else.
#' @export
#' @examples
#' briefs <- system.file("briefs", package = "rollingledger")
#' tables <- system.file("extdata", package = "rollingledger")
#' out <- file.path(tempfile(), "channels")
#' dir.create(dirname(out))
#' run_brief_each(file.path(briefs, "leaders-per-week.yml"), each = "channel",
#'                channel = c("web", "app"), out = out, from = tables)
#' list.files(out)
run_brief_each <- function(file, each, ..., out, from = NULL, ledger = NULL, overwrite = FALSE,
                           quiet = FALSE, allow_host = NULL) {
  call <- rlang::current_env()
  one_flag(overwrite, "overwrite", call)
  one_flag(quiet, "quiet", call)
  brief <- read_brief(file, call)
  series <- prepared_series(brief, each, list(...), out, from, ledger, overwrite, call,
                            hosts = check_hosts(allow_host))
  finished_series(series, quiet, call)
}

# What is run, as far as it is known before entries are read.
prepared_series <- function(brief, each, given, out, from, ledger, overwrite, call,
                            terminal = NULL, hosts = NULL) {
  asks <- brief$tree$ask
  if (!rlang::is_string(each) || !each %in% names(asks)) {
    refuse("brief", c(sprintf("{each} must name a value that %s asks for.", basename(brief$file)),
                      i = if (length(asks) > 0) sprintf("It asks for: %s.", listed(names(asks)))),
           call = call)
  }
  own <- given[[each]] %||% if (asks[[each]]$kind == "choice") unlist(asks[[each]]$choices)
  if (is.null(own) && asks[[each]]$kind != "member") {
    refuse("brief", c(sprintf("The values of `%s` must be given.", each),
                      i = "Those of members and choices are known without."), call = call)
  }
  if (anyDuplicated(own)) refuse("brief", sprintf("A value of `%s` is given twice.", each),
                                 call = call)
  check_series_folder(out, overwrite, call)
  # The first value, or any text, stands for all while the rest is checked.
  given[[each]] <- own[1] %||% "x"
  values <- asked_values(brief, given, call, terminal)
  first <- prepared_run(brief, values, from, ledger, call, hosts = hosts)
  if (length(files_named(first$items)) == 0) {
    refuse("brief", c(sprintf("%s writes no file.", basename(brief$file)),
                      i = "Give what it shows a `file`, such as a page."), call = call)
  }
  others <- Filter(Negate(is.null), values[setdiff(names(values), each)])
  list(brief = brief, each = each, own = own, others = others, out = out, from = from,
       ledger = ledger, first = first, hosts = hosts)
}

# The folder of a series holds nothing else.
check_series_folder <- function(out, overwrite, call) {
  if (!rlang::is_string(out) || !nzchar(out))
    refuse("file", "{out} must be the path of one folder.", call = call)
  if (!dir.exists(dirname(out)))
    refuse("file", sprintf("The folder %s does not exist.", dirname(out)), call = call)
  if (!Sys.readlink(sub("/+$", "", out)) %in% c("", NA)) {
    refuse("file", c(sprintf("%s is a link, and a series takes the place of a whole folder.", out),
                     i = "Name the folder itself."), call = call)
  }
  if (!file.exists(out)) return(invisible())
  if (!dir.exists(out)) refuse("file", sprintf("%s is a file, not a folder.", out), call = call)
  if (length(list.files(out, all.files = TRUE, no.. = TRUE)) == 0) return(invisible())
  if (!file.exists(file.path(out, "series.json"))) {
    refuse("file", c(sprintf("The folder %s holds files that are not of an earlier run.", out),
                     i = "Choose a folder of its own."), call = call)
  }
  if (!overwrite) {
    refuse("file", c(sprintf("The folder %s is there from an earlier run.", out),
                     i = "Choose another, or say {overwrite = TRUE}."), call = call)
  }
}

finished_series <- function(series, quiet, call) {
  x <- series$first$ledger %||% brief_ledger(series$first)
  told <- series$brief$tree$ask[[series$each]]
  own <- series$own
  if (is.null(own)) {
    check_members(series$brief, stats::setNames(list(character()), series$each), x, call)
    own <- plain_text(source_members(x, told$of)$text)
    if (anyNA(own)) {
      tell(sprintf("Entries without %s have no page of their own: a brief asks for members.",
                   with_article(told$of)))
    }
    own <- own[!is.na(own)]
  }
  remove_old_leftovers(dirname(series$out))
  beside <- path_beside(series$out)
  if (!dir.create(beside)) {
    refuse("file", sprintf("The folder %s cannot be written to.", dirname(series$out)),
           call = call)
  }
  core_add_leftover(beside)
  on.exit({
    unlink(beside, recursive = TRUE)
    core_forget_leftover(beside)
  })
  folders <- folder_names(own)
  progress <- if (quiet) progress_steps(0, "") else progress_steps(length(own), "Running the brief")
  on.exit(progress$done(), add = TRUE)
  runs <- lapply(seq_along(own), function(i) {
    values <- asked_values(series$brief, c(series$others,
                                           stats::setNames(list(own[i]), series$each)), call)
    made <- prepared_run(series$brief, values, series$from, series$ledger, call,
                         hosts = series$hosts)
    same <- identical(made$record, series$first$record)
    made$ledger <- made$ledger %||% if (same) x
    folder <- file.path(beside, folders[i])
    dir.create(folder)
    run <- finished_run(with_targets(made, folder, FALSE, call), call)
    progress$step()
    list(value = own[i], folder = folders[i],
         files = substring(run$files, nchar(folder) + 2L))
  })
  write_series_index(series, runs, beside, x)
  put_folder(beside, series$out, call)
  invisible(series$out)
}

# Names of folders for values, as safe as names of files are, no two the same whatever the case.
folder_names <- function(values) {
  safe <- gsub("[^\\p{L}\\p{N}._ -]", "-", values, perl = TRUE)
  safe <- trimws(gsub("^[.]+", "-", safe))
  safe[safe == ""] <- "-"
  safe <- substr(safe, 1, 60)
  taken <- c("index.html", "series.json")
  make.unique(c(taken, lower_text(gsub(" +", "-", safe))), sep = "-")[-seq_along(taken)]
}

# index.html and series.json.
write_series_index <- function(series, runs, folder, x) {
  tree <- series$brief$tree
  record <- list(series = 1, brief = list(name = tree$name, file = basename(series$brief$file)),
                 each = series$each, as_of = iso_day(source_facts(x)$as_of),
                 package = as.character(utils::packageVersion("rollingledger")),
                 values = lapply(runs, function(run) run[c("value", "folder", "files")]))
  write_bytes(paste0(jsonlite::toJSON(record, auto_unbox = TRUE, pretty = TRUE), "\n"),
              file.path(folder, "series.json"))
  tags <- htmltools::tags
  asset <- system.file("report", "page.css", package = "rollingledger")
  # Each name within the path on its own, so that "#" and "?" are part of it (RFC 3986).
  link <- function(run, file) {
    parts <- strsplit(paste0(run$folder, "/", file), "/", fixed = TRUE)[[1]]
    tags$a(href = paste(utils::URLencode(enc2utf8(parts), reserved = TRUE, repeated = TRUE),
                        collapse = "/"), file)
  }
  rows <- lapply(runs, function(run) {
    files <- setdiff(run$files, record_name(series$brief))
    tags$tr(tags$th(scope = "row", class = "text", run$value),
            tags$td(class = "text", htmltools::tagList(
              unlist(lapply(files, function(file) list(link(run, file), " ")), recursive = FALSE))))
  })
  heading <- heading_text(series$each)
  page <- tags$html(
    lang = "en",
    tags$head(tags$meta(charset = "utf-8"),
              tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
              tags$title(tree$name),
              tags$style(htmltools::HTML(paste(readLines(asset, encoding = "UTF-8"),
                                               collapse = "\n")))),
    tags$body(
      tags$header(tags$h1(tree$name),
                  tags$p(class = "dates", sprintf("As of %s.", day_text(source_facts(x)$as_of)))),
      tags$main(if (!is.null(tree$description)) tags$p(tree$description),
                tags$div(class = "table", tags$table(
                  tags$caption(class = "unseen", heading),
                  tags$thead(tags$tr(tags$th(scope = "col", class = "text", heading),
                                     tags$th(scope = "col", class = "text", "Files"))),
                  tags$tbody(rows)))),
      tags$footer(tags$p(entries_text(source_facts(x), unit = TRUE)),
                  tags$p(sprintf("Made with Rolling Ledger %s.",
                                 utils::packageVersion("rollingledger"))))))
  write_bytes(paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page), "\n"),
              file.path(folder, "index.html"))
}

# A folder that is ready takes the place of another, in one step where the system can.
put_folder <- function(beside, out, call) {
  for (path in c(list.files(beside, recursive = TRUE, full.names = TRUE), beside)) {
    core_sync_path(path)
  }
  Sys.chmod(beside, if (dir.exists(out)) file.mode(out) else "777", use_umask = !dir.exists(out))
  if (!file.exists(out)) {
    if (core_move_to_free_name(beside, out) == "done") return(invisible())
  } else if (core_exchange_paths(beside, out)) {
    return(invisible())  # what was there is removed with what lies beside
  }
  old <- path_beside(out)
  if (!file.exists(out) || !file.rename(out, old) || !file.rename(beside, out)) {
    if (file.exists(old)) file.rename(old, out)
    refuse("file", sprintf("The folder %s cannot be replaced.", out), call = call)
  }
  unlink(old, recursive = TRUE)
}
