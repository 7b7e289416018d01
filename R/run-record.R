# The record that a run leaves beside its files: what was run on what, and what it came to. A later
# run compares itself with it: what has changed since, and why.

record_name <- function(brief) {
  paste0(tools::file_path_sans_ext(basename(brief$file)), ".record.json")
}

# list(record, brief, ...), in plain values that JSON holds.
run_record <- function(made, run) {
  x <- run$ledger
  facts <- source_facts(x)
  list(
    record = 1, brief = list(name = run$name, file = basename(made$brief$file),
                             hash = rlang::hash_file(made$brief$file)),
    values = run$values,
    question = rlang::hash(list(made$statements, made$record[names(made$record) != "file"])),
    package = as.character(utils::packageVersion("rollingledger")),
    run = format(as.POSIXct(Sys.time(), tz = "UTC"), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC"),
    as_of = iso_day(facts$as_of),
    source = files_record(facts$files),
    tables = files_record(tables_read(made$record, made$statements, item_records(made$items))),
    entries = c(facts$counts, list(reasons = reasons_aside(x))),
    days = unlist(unname(Map(record_days, run$statements, names(run$statements))),
                  recursive = FALSE),
    control = unlist(unname(Map(record_control, run$statements, names(run$statements))),
                     recursive = FALSE),
    unusual = unlist(unname(Map(record_unusual, run$statements, names(run$statements))),
                     recursive = FALSE),
    by_day = source_day_checks(x)
  )
}

# How many rows are set aside of every figure, by reason.
reasons_aside <- function(x) {
  counts <- source_facts(x)$reasons
  if (is.null(counts)) {
    aside <- source_set_aside(x)
    counts <- table(aside$reason[aside$kept_out_of == "every figure"])
  }
  as.list(stats::setNames(as.double(counts), names(counts)))
}

# Each file by name, size and hash.
files_record <- function(files) {
  lapply(unique(files), function(file) {
    if (!file.exists(file)) return(list(file = basename(file)))
    list(file = basename(file), bytes = file.size(file), hash = rlang::hash_file(file))
  })
}

# The days that each phrase meant.
record_days <- function(s, name) {
  spans <- statement_info(s)$spans
  lapply(seq_along(spans$from), function(i) {
    list(statement = name, label = spans$label[i], from = iso_day(spans$from[i]),
         to = iso_day(spans$to[i]))
  })
}

record_control <- function(s, name) {
  if (!identical(part_kind(s), "statement") || !is.null(statement_info(s)$anchors)) return(NULL)
  control <- control_totals(s)
  lapply(seq_len(nrow(control)), function(i) {
    list(statement = name, measure = control$measure[i], from = plain_text(control$from[i]),
         to = plain_text(control$to[i]), value = control$statement[i],
         decimals = held_decimals(columns_of(s)[[control$measure[i]]]))
  })
}

# What stood out, as it is told from what stands out later.
record_unusual <- function(s, name) {
  if (!inherits(s, "unusual")) return(NULL)
  by <- statement_info(s)$by
  lapply(seq_len(nrow(s)), function(i) {
    list(statement = name, measure = s$measure[i],
         members = lapply(unclass(s)[by], function(values) values[i]),
         side = if (s$difference[i] < 0) "less" else "more", from = plain_text(s$from[i]),
         to = plain_text(s$to[i]))
  })
}

# Lists of what stands out, each line with whether the record tells it: the same figure, off to the
# same side, in this period or an earlier one of the run that it ends.
with_told_before <- function(statements, record) {
  known <- record$unusual
  Map(function(s, name) {
    if (!inherits(s, "unusual")) return(s)
    now <- record_unusual(s, name)
    told <- vapply(seq_along(now), function(i) {
      any(vapply(known, function(one) {
        same <- identical(lapply(one[c("statement", "measure", "side")], plain_text),
                          lapply(now[[i]][c("statement", "measure", "side")], plain_text)) &&
          identical(unlist(one$members), unlist(now[[i]]$members))
        same && one$from >= plain_text(s$since[i]) && one$from <= now[[i]]$from
      }, TRUE))
    }, TRUE)
    s[["told_before"]] <- told
    s
  }, statements, names(statements))
}

write_record <- function(record, file) {
  text <- jsonlite::toJSON(record, auto_unbox = TRUE, digits = NA, null = "null", pretty = 1)
  write_whole(file, FALSE, function(path) write_bytes(paste0(trimws(text), "\n"), path))
}

read_record <- function(file, call = caller_env()) {
  if (!rlang::is_string(file) || !file.exists(file)) {
    refuse("brief", sprintf("There is no record %s.", plain_text(file)[1]), call = call)
  }
  record <- tryCatch(jsonlite::fromJSON(file, simplifyVector = FALSE), error = function(e) NULL)
  if (!is.list(record) || !identical(as.numeric(record$record), 1) || is.null(record$by_day)) {
    refuse("brief", c(sprintf("The file %s is not the record of a run.", basename(file)),
                      i = "A run leaves one beside its files: NAME.record.json."), call = call)
  }
  record
}

# ---- what has changed --------------------------------------------------------

# list(question, source, entries, figures): lines of text each, and `different`, whether anything
# that had been told is not so any more.
changes_since <- function(record, now) {
  question <- question_changes(record, now)
  unfinished <- day_unfinished(record)
  entries <- entry_changes(record$by_day, now$by_day, unfinished)
  figures <- figure_changes(record, now, if (entries$grew) unfinished)
  hashes <- function(files) {
    unlist(lapply(files, function(one) stats::setNames(list(one$hash %||% ""), one$file)))
  }
  tables <- table_changes(hashes(record$tables), hashes(now$tables))
  source <- if (identical(hashes(record$source), hashes(now$source)))
    "The source is the same, byte by byte."
  aside <- aside_changes(record$entries, now$entries)
  different <- length(question) > 0 || length(tables) > 0 || entries$different ||
    figures$different || length(aside) > 0
  structure(list(since = record$run, question = question, source = c(source, tables),
                 entries = c(entries$says, aside), figures = figures$says, different = different),
            class = "run_changes")
}

# More rows that no figure counts than before: a feed that changed its writing must not pass for a
# quiet day.
aside_changes <- function(before, now) {
  reasons <- unlist(now$reasons)
  known <- unlist(before$reasons)
  told <- function(more, all, reason) {
    sprintf("Rows set aside: %s more than before%s, %s in all.", number_text(more),
            if (nzchar(reason)) paste0(" for ", reason) else "", number_text(all))
  }
  if (is.null(known) && as.numeric(before["aside"][[1]] %||% 0) > 0) {
    more <- as.numeric(now["aside"][[1]]) - as.numeric(before["aside"][[1]])
    return(if (more > 0) told(more, as.numeric(now["aside"][[1]]), ""))
  }
  unlist(lapply(names(reasons), function(reason) {
    more <- reasons[[reason]] - if (reason %in% names(known)) as.numeric(known[[reason]]) else 0
    if (more > 0) told(more, reasons[[reason]], reason)
  }))
}

# Lookups, targets and other tables beside the entries: hashes by file.
table_changes <- function(before, now) {
  both <- intersect(names(before), names(now))
  changed <- c(both[before[both] != now[both]], setdiff(names(now), both),
               setdiff(names(before), both))
  if (length(changed) > 0) sprintf("Changed tables beside the entries: %s.", listed(changed))
}

question_changes <- function(record, now) {
  values <- union(names(record$values), names(now$values))
  text <- function(value) if (is.null(value)) "nothing" else listed(unlist(value), 20)
  changed <- values[!vapply(values, function(name) {
    identical(text(record$values[[name]]), text(now$values[[name]]))
  }, TRUE)]
  c(if (record$brief$name != now$brief$name)
      sprintf("The record is of another brief: %s.", record$brief$name),
    if (length(changed) > 0)
      sprintf("Changed question: %s was %s and is %s.", changed,
              vapply(record$values[changed], text, ""), vapply(now$values[changed], text, "")),
    if (length(changed) == 0 && !identical(record$question, now$question))
      "Changed question: the brief asks something else than it did.",
    if (!identical(record$package, now$package))
      sprintf("Rolling Ledger was %s and is %s.", record$package, now$package))
}

# The newest day of a record, where that was not over when it was made; more entries of it are new
# ones, not late ones.
day_unfinished <- function(record) {
  run <- core_iso_days(substr(record$run %||% "", 1, 10))
  newest <- max(days_of_checks(record$by_day)$day)
  if (!is.na(run) && run <= newest) newest
}

# Entries of days that are new, and of days that had been told: late, gone or changed.
entry_changes <- function(before, now, unfinished = NULL) {
  kinds <- function(by_day) unlist(by_day$kinds)
  moved <- union(setdiff(names(kinds(before)), names(kinds(now))),
                 setdiff(names(kinds(now)), names(kinds(before))))
  both <- intersect(names(kinds(before)), names(kinds(now)))
  otherwise <- both[kinds(before)[both] != kinds(now)[both]]
  comparable <- length(moved) == 0 && length(otherwise) == 0 && identical(before$of, now$of) &&
    identical(before$in_order, now$in_order)
  a <- days_of_checks(before)
  b <- days_of_checks(now)
  newest <- max(a$day)
  told <- sort(union(a$day, b$day[b$day <= newest]))
  at <- function(days, column, absent) {
    values <- column[match(told, days)]
    replace(values, is.na(values), absent)
  }
  counts <- list(at(a$day, a$count, 0), at(b$day, b$count, 0))
  grown <- which(counts[[2]] > counts[[1]])
  grew <- length(unfinished) > 0 && newest %in% told[grown]
  more <- if (grew) grown[told[grown] != newest] else grown
  fewer <- which(counts[[2]] < counts[[1]])
  checks <- list(at(a$day, a$check, ""), at(b$day, b$check, ""))
  changed <- if (comparable) which(counts[[1]] == counts[[2]] & counts[[1]] > 0 &
                                     checks[[1]] != checks[[2]])
  fresh <- b$day > newest
  line <- function(word, days, n) if (length(days) > 0)
    sprintf("%s: %s on %s.", word, count_text(n, "entry", "entries"), some_days(told[days]))
  says <- c(
    if (any(fresh) && sum(b$count[fresh]) > 0)
      sprintf("New entries: %s after %s.", number_text(sum(b$count[fresh])), day_text(newest)),
    if (grew) sprintf("New entries: %s on %s, which was not over.",
                      number_text(sum((counts[[2]] - counts[[1]])[told == newest])),
                      day_text(newest)),
    line("Late entries", more, sum(counts[[2]][more] - counts[[1]][more])),
    line("Entries gone", fewer, sum(counts[[1]][fewer] - counts[[2]][fewer])),
    if (length(changed) > 0)
      sprintf("Changed entries: some of the %s on %s.",
              count_text(sum(counts[[1]][changed]), "entry", "entries"), some_days(told[changed])),
    if (length(moved) > 0) sprintf("Columns came or went: %s.", listed(moved)),
    if (length(otherwise) > 0)
      sprintf("Columns are read as another kind than before: %s.", listed(otherwise)),
    if (!comparable) "Values of entries were not compared; counts by day were."
  )
  list(says = if (length(says) == 0) "Entries: none is new, late, gone or changed." else says,
       different = length(c(more, fewer, changed, moved, otherwise)) > 0, grew = grew)
}

days_of_checks <- function(by_day) {
  count <- as.numeric(unlist(by_day$count))
  list(day = core_iso_days(by_day$from) + seq_along(count) - 1L, count = count,
       check = as.character(unlist(by_day$check)))
}

some_days <- function(days) listed(vapply(days, day_text, ""), most = 5)

# Control totals beside what they were, by statement and measure, and over which days they are now:
# list(says, different), different where they moved over the same days.
figure_changes <- function(record, now, grown = NULL) {
  alike <- function(one, controls) {
    Filter(function(other) {
      identical(other[c("statement", "measure")], one[c("statement", "measure")])
    }, controls)
  }
  different <- FALSE
  says <- lapply(now$control, function(one) {
    same <- alike(one, record$control)
    days <- function(part) days_text(core_iso_days(part$from), core_iso_days(part$to))
    here <- Filter(function(other) identical(days(other), days(one)), same)
    value <- function(part) number_text(as.numeric(part$value), part$decimals)
    name <- sprintf("%s of %s", one$measure, one$statement)
    if (length(here) > 0) {
      before <- here[[1]]
      if (isTRUE(all.equal(as.numeric(before$value), as.numeric(one$value), tolerance = 1e-12)))
        return(sprintf("%s, %s: %s, as before.", name, days(one), value(one)))
      if (is.null(grown) || core_iso_days(one$to) < grown) different <<- TRUE
      return(sprintf("%s, %s: %s, was %s.", name, days(one), value(one), value(before)))
    }
    if (length(same) > 0)
      return(sprintf("%s: %s for %s; the record has %s for %s.", name, value(one), days(one),
                     value(same[[1]]), days(same[[1]])))
    sprintf("%s: %s for %s, which the record does not have.", name, value(one), days(one))
  })
  gone <- Filter(function(one) length(alike(one, now$control)) == 0, record$control)
  lost <- vapply(gone, function(one) {
    sprintf("%s of %s: the record has it, this run does not.", one$measure, one$statement)
  }, "")
  list(says = c(unlist(says), lost), different = different)
}

#' @export
format.run_changes <- function(x, ...) {
  c(sprintf("Since the run of %s:", x$since),
    paste0("  ", c(x$question, x$source, x$entries, x$figures)))
}

#' @export
print.run_changes <- function(x, ...) {
  show_lines(format(x))
  invisible(x)
}
