# Random questions, asked of the package and of the slow engine. Arguments: minutes (or a number of
# questions ending in "q"), seed. Prints how many cells of each kind were compared, and fails on a
# difference, on an error that is no refusal, and where a kind was not met.
args <- commandArgs(TRUE)
here <- "tests/oracle"
for (file in c("calendar", "spans", "engine", "verbs", "targets", "questions",
               "compare", "compared", "why")) source(
  file.path(here, paste0(file, ".R")))
suppressPackageStartupMessages(library(rollingledger))
limit <- args[1] %||% "60q"
seed <- as.integer(args[2] %||% "1")
until <- if (grepl("q$", limit)) Inf else Sys.time() + 60 * as.numeric(limit)
most <- if (grepl("q$", limit)) as.numeric(sub("q$", "", limit)) else Inf

ask <- function(q) {
  tryCatch(differs(q),
           error = function(e) paste("error:", conditionMessage(e), "in",
                                     paste(deparse(conditionCall(e))[1], collapse = " ")))
}

# Everything that can be left out of a failing question, one after the other, while it still fails.
smaller <- function(q, problem, seed) {
  fails <- function(q) {
    set.seed(seed)
    !is.null(ask(q))
  }
  tries <- list(
    function(q) within_list(q, append = NULL), function(q) within_list(q, keep = NULL),
    function(q) within_list(q, where = NULL), function(q) within_list(q, given_as_of = NULL),
    function(q) within_list(q, earlier = NULL), function(q) within_list(q, known = NULL),
    function(q) within_list(q, totals = "none"), function(q) within_list(q, partial = "flag"),
    function(q) within_list(q, list_all = FALSE)
  )
  for (change in tries) {
    other <- change(q)
    if (!identical(other, q) && fails(other)) q <- other
  }
  for (part in c("verbs", "measures")) {
    for (i in rev(seq_along(q[[part]]))) {
      if (part == "measures" &&
          (length(q$measures) == 1 ||
           names(q$measures)[i] %in% vapply(q$verbs, function(v) v$m, ""))) next
      other <- q
      other[[part]][i] <- NULL
      if (fails(other)) q <- other
    }
  }
  for (i in seq_along(q$verbs)) {
    if (is.null(q$verbs[[i]]$table)) next
    size <- nrow(q$verbs[[i]]$table)
    while (size > 1) {
      size <- size %/% 2
      at <- 1
      while (at <= nrow(q$verbs[[i]]$table) && nrow(q$verbs[[i]]$table) > size) {
        other <- q
        other$verbs[[i]]$table <- q$verbs[[i]]$table[-seq.int(
          at, min(at + size - 1, nrow(q$verbs[[i]]$table))), , drop = FALSE]
        if (fails(other)) q <- other else at <- at + size
      }
    }
  }
  size <- nrow(q$made$plain)
  while (size > 1) {
    size <- size %/% 2
    for (at in split(seq_len(nrow(q$made$plain)),
                     (seq_len(nrow(q$made$plain)) - 1) %/% max(1, size))) {
      if (length(at) >= nrow(q$made$plain)) next
      other <- q
      at <- intersect(at, seq_len(nrow(other$made$plain)))
      other$made$plain <- other$made$plain[-at, , drop = FALSE]
      other$made$table <- other$made$table[-at, , drop = FALSE]
      if (nrow(other$made$plain) > 0 && fails(other)) {
        q <- other
        break
      }
    }
  }
  q
}

within_list <- function(q, ...) {
  changes <- list(...)
  for (name in names(changes)) q[name] <- changes[name]
  q
}

# The question as code that can be pasted.
as_code <- function(q) {
  said <- function(x) paste(deparse(x, width.cutoff = 120), collapse = "\n")
  rules <- q$rules
  c(sprintf("table <- %s", said(q$made$table)),
    if (!is.null(rules$table))
      sprintf(
        paste0("periods <- %s\nperiods[1:2] <- lapply(periods[1:2], as.Date, origin = ",
               "\"1970-01-01\")\ncalendar <- ledger_calendar(week_start = %d, periods = periods)"),
        said(rules$table), rules$week_start)
    else sprintf("calendar <- ledger_calendar(%s)",
                 paste(c(rules$fiscal_start, said(rules$fiscal_label),
                         if (is.null(rules$pattern)) rules$week_start,
                         if (!is.null(rules$pattern))
                           sprintf("pattern = %s, year_end = \"%s %s\"", said(rules$pattern),
                                   rules$year_end$rule,
                                   c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday",
                                     "Saturday", "Sunday")[rules$year_end$weekday])),
                       collapse = ", ")),
    sprintf("x <- ledger(table, on = %s, until = \"until_on\", calendar = calendar%s)",
            said(q$bases),
            if (is.null(q$given_as_of)) "" else sprintf(", as_of = \"%s\"", iso(q$given_as_of))),
    if (!is.null(q$append)) sprintf("# appended after rows %s", paste(q$append, collapse = ", ")),
    if (!is.null(q$made$lookup)) c(sprintf("lookup <- %s", said(q$made$lookup)),
                                   "x <- add_attributes(x, lookup, c(account = \"id\"))"),
    if (length(q$made$columns) > 0) sprintf("# columns = %s", said(unlist(q$made$columns))),
    if (!is.null(q$keep)) sprintf("x <- keep_entries(x, %s)", q$keep$text),
    sprintf(
      paste0("s <- statement(x, per = %s, by = %s, %s = %s, on = \"%s\"%s%s%s%s, ",
             "partial = \"%s\", totals = \"%s\", list_all = %s, %s)"), said(q$per), said(q$by),
      if (length(q$spans) > 1) "spans" else "span", said(vapply(q$spans, phrase_of, "")), q$on,
            if (is.null(q$anchor)) "" else ", anchor = \"group\"",
      if (is.null(q$earlier)) "" else sprintf(", as_of = \"%s\"", iso(q$as_of)),
      if (is.null(q$known)) "" else sprintf(", known = \"%s\"", iso(q$known)),
      if (is.null(q$where)) "" else sprintf(", where = %s", q$where$text), q$partial, q$totals,
      q$list_all, paste(names(q$measures), vapply(q$measures, function(m) m$text, ""), sep = " = ",
                        collapse = ", ")),
    counts$steps)
}

options(warn = 1)
asked <- 0
failures <- 0
while (Sys.time() < until && asked < most) {
  this <- seed * 1000000 + asked
  set.seed(this %% .Machine$integer.max)
  q <- random_question()
  problem <- ask(q)
  asked <- asked + 1
  if (is.null(problem)) next
  failures <- failures + 1
  q <- counts$question %||% q
  q <- tryCatch(smaller(q, problem, this %% .Machine$integer.max), error = function(e) q)
  set.seed(this %% .Machine$integer.max)
  cat(sprintf("\nquestion %d of seed %d: %s\n  smallest: %s\n", asked, seed, problem,
              ask(q) %||% "(not the same any more)"))
  cat(as_code(q), sep = "\n")
  if (failures >= as.numeric(Sys.getenv("ORACLE_FAILURES", "5"))) break
}
kinds <- sort(setdiff(ls(counts), c("question", "steps")))
met <- vapply(kinds, function(kind) counts[[kind]], 0)
cat(sprintf("%8.0f  %s\n", met, kinds), sep = "")
wanted <- c(paste("verb", c("running", "rolling", "change", "share", "per day", "rank", "target")),
            paste("totals", c("none", "by", "period", "both")), "rest rows",
            "groups with days of their own", "calendars from a table", "calendars of weeks",
            "appended", "control totals", "columns worked out", "columns named as ours",
            "calendar parts", "lookups", "as known on a day", "spans compared", "members compared",
            "known compared", "why, of a sum",
            "entries behind", "questions answered", "cross tables", "reconciled cells",
            "options changed", "targets found", "rows cut", "rows in another order", "rows joined",
            paste("change", c("to date", "whole", "weekday")),
            paste("measure",
                  c("total", "entries", "average", "distinct", "smallest", "largest", "middle",
                    "balance", "active", "newcomers", "returning", "lapsed", "ratio",
                    "difference")),
            paste("attribute",
                  c("text", "odd text", "numbers as text", "factor", "ordered", "dates", "flags",
                    "whole numbers", "long ids")))
unmet <- setdiff(wanted, kinds)
if (length(unmet) > 0) cat("Kinds that were not met:", paste(unmet, collapse = ", "), "\n")
cat(sprintf("oracle: %d passed, %d failed\n", asked - failures, failures + length(unmet)))
quit(save = "no", status = if (failures + length(unmet) == 0) 0 else 1)
