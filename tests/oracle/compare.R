# Asks the package and the engine the same question, and says where they differ.

counts <- new.env()
counted_kind <- function(kind, n = 1) assign(kind, (counts[[kind]] %||% 0) + n, envir = counts)

calendar_of <- function(rules) {
  if (!is.null(rules$table)) {
    table <- rules$table
    table[c("from", "to")] <- lapply(table[c("from", "to")], as.Date, origin = "1970-01-01")
    return(rollingledger::ledger_calendar(week_start = rules$week_start, periods = table))
  }
  if (is.null(rules$pattern))
    return(rollingledger::ledger_calendar(rules$fiscal_start, rules$fiscal_label, rules$week_start))
  weekdays <- c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
  rollingledger::ledger_calendar(rules$fiscal_start, rules$fiscal_label, pattern = rules$pattern,
                                 year_end = paste(
                                   rules$year_end$rule, weekdays[rules$year_end$weekday]))
}

as_date_of <- function(day) if (is.null(day)) NULL else as.Date(day, origin = "1970-01-01")

# The package's ledger, in one piece or appended to.
package_ledger <- function(q, build_whole = FALSE) {
  build <- function(table) suppressMessages(
    rollingledger::ledger(table, on = q$bases, until = "until_on", calendar = calendar_of(q$rules),
                          as_of = as_date_of(q$given_as_of),
                          columns = if (length(q$made$columns) > 0) unlist(q$made$columns)))
  keep <- function(x) {
    if (!is.null(q$made$lookup))
      x <- suppressMessages(rollingledger::add_attributes(x, q$made$lookup, c(account = "id")))
    if (is.null(q$keep)) x else suppressMessages(rollingledger::keep_entries(x, !!q$keep$text))
  }
  table <- q$made$table
  if (is.null(q$append) || build_whole) return(keep(build(table)))
  parts <- split(seq_len(nrow(table)), findInterval(seq_len(nrow(table)) - 1, q$append))
  x <- keep(build(table[parts[[1]], , drop = FALSE]))
  for (at in parts[-1]) x <- suppressMessages(
    rollingledger::append_entries(x, table[at, , drop = FALSE]))
  counted_kind("appended")
  x
}

# list(entries, cal, ...): the engine's.
make_book <- function(q) {
  held <- make_entries(q$made$plain, q$bases, "until_on", q$given_as_of)
  entries <- held$entries
  if (!is.null(q$part)) {
    entries[[q$part]] <- part_by_hand(q$part, day_on(entries, q$on), q$rules)
    counted_kind("calendar parts")
  }
  if (length(q$made$columns) > 0) counted_kind("columns worked out")
  if (isTRUE(q$made$named)) counted_kind("columns named as ours")
  if (!is.null(q$made$lookup)) counted_kind("lookups")
  if (!is.null(q$keep)) entries <- entries[q$keep$test(entries), ]
  used <- nrow(entries)
  if (!is.null(q$known)) {
    entries <- entries[!is.na(entries$.day_entered) & entries$.day_entered <= q$known, ]
    counted_kind("as known on a day")
  }
  first <- day_on(entries, q$on)
  known <- first[!is.na(first) & first <= held$as_of]
  list(entries = entries, as_of = min(held$as_of - (q$earlier %||% 0L), q$known),
       ledger_as_of = held$as_of, aside = held$aside, used = used, on = q$on, by = q$by,
       per = q$per, totals = q$totals,
       first = if (length(known) > 0) min(known), last = if (length(known) > 0) max(known),
       where = if (is.null(q$where)) function(e) rep(TRUE, nrow(e)) else q$where$test)
}

package_statement <- function(q, x) {
  phrases <- vapply(q$spans, phrase_of, "")
  args <- list(x, per = q$per, by = q$by, on = q$on, partial = q$partial, totals = q$totals,
               list_all = q$list_all)
  if (length(phrases) > 1) args$spans <- stats::setNames(phrases, paste("span", seq_along(phrases)))
  else args$span <- phrases
  if (!is.null(q$anchor)) args$anchor <- q$anchor
  if (!is.null(q$earlier)) args$as_of <- as_date_of(q$as_of)
  if (!is.null(q$known)) args$known <- as_date_of(q$known)
  if (!is.null(q$where)) args$where <- q$where$text
  measures <- lapply(q$measures, function(m) m$text)
  suppressMessages(rlang::exec(rollingledger::statement, !!!args, !!!measures))
}

# list(fun, args): a verb as a call on a statement.
verb_call <- function(v) {
  n <- v[["n"]] %||% 0
  back <- sprintf("%d %s%s back", as.integer(n), v[["unit"]] %||% "", if (n == 1) "" else "s")
  args <- switch(v$verb,
    running = list(since = v$since),
                 rolling = list(over = sprintf("%d %ss", as.integer(v$n), v$unit), stat = v$stat,
                                short = v$short),
    change = list(from = if (!is.null(v$base)) phrase_of(v$base) else if (isTRUE(v$period_before))
      "period before" else back, align = v$align),
    share = list(of = v$of), "per day" = list(days = v$days),
    rank = list(within = v$within, keep = v$keep, rest = v$rest, ties = v$ties, first = v$first,
                missing = v$missing),
    target = list(targets = v$table[setdiff(names(v$table), c("from", "to"))], days = v$days)
  )
  list(fun = paste0("add_", gsub(" ", "_", v$verb)),
       args = c(list(v$m), Filter(Negate(is.null), args), name = v$name))
}

package_verb <- function(v, s) {
  call <- verb_call(v)
  rlang::exec(getExportedValue("rollingledger", call$fun), s, !!!call$args)
}

verb_code <- function(v) {
  call <- verb_call(v)
  args <- vapply(call$args, function(arg) paste(deparse(arg, width.cutoff = 200), collapse = " "),
                 "")
  sprintf("s <- %s(s, %s)", call$fun,
          paste0(ifelse(nzchar(names(args)), paste0(names(args), " = "), ""), args,
                 collapse = ", "))
}

engine_verb <- function(v, q, book, rows) {
  fun <- switch(v$verb, running = running_of, rolling = rolling_of, change = change_of,
                share = share_of, "per day" = per_day_of, rank = rank_of, target = target_of)
  fun(v, q, book, rows)
}

is_near <- function(a, b) {
  both <- !is.na(a) & !is.na(b)
  identical(is.na(a), is.na(b)) && all(abs(a[both] - b[both]) <= 1e-7 + 1e-9 * abs(b[both]))
}

row_keys <- function(q, book, from, to, period, members, whole) {
  label <- if (is.null(q$per)) period else ""
  do.call(paste,
          c(list(from, to, whole, label),
            unname(lapply(members, encodeString, quote = "'", na.encode = TRUE)), sep = "|"))
}

# Keys of both sides' rows; spans are told by their labels.
keys_of_statement <- function(q, book, s) {
  whole <- q$totals %in% c("period", "both") & startsWith(s$period, "(all")
  row_keys(q, book, as_days(s$from), as_days(s$to), s$period, lapply(unclass(s)[q$by], as_text),
           if (is.null(q$per)) FALSE else whole)
}

keys_of_rows <- function(q, book, rows, labels) {
  if (length(rows) == 0) return(character())
  row_keys(q, book, vapply(rows, `[[`, 0L, "from"), vapply(rows, `[[`, 0L, "to"), labels,
           lapply(stats::setNames(nm = q$by),
                  function(name) vapply(rows, function(row) row$members[[name]], "")),
           vapply(rows, `[[`, TRUE, "whole"))
}

# NULL where both agree, or what differs. `refused` kinds are counted.
differs <- function(q) {
  assign("steps", character(), envir = counts)
  book <- make_book(q)
  x <- tryCatch(package_ledger(q), rollingledger_error = function(e) e)
  if (inherits(x, "error")) {
    if (nrow(book$entries) == 0 || inherits(x, "rollingledger_error_source"))
      return(counted_none("refused: no entries"))
    return(paste("ledger refused:", conditionMessage(x)))
  }
  if (is.null(book$first)) return(counted_none("refused: no day on the basis"))
  if (x$as_of != book$ledger_as_of || x$used != book$used)
    return(sprintf("ledger: as of %d, %d used; should be %d, %d", x$as_of, x$used,
                   book$ledger_as_of, book$used))
  counts_of <- rollingledger:::entry_counts(x)
  if (counts_of$aside != book$aside || counts_of$read != counts_of$used + counts_of$kept_out +
      counts_of$aside) return("read is not used + kept out + set aside")
  if (book$as_of < book$first) return(counted_none("refused: no day on the basis"))
  book$cal <- make_calendar(q$rules, book$first - 3000L, book$as_of + 900L)
  if (is.null(q$spans)) {
    # Most questions are of spans that hold entries.
    asked <- q
    for (try in seq_len(pick(c(1, 4)))) {
      q <- with_spans(asked, book$cal, book$as_of, book$first)
      if (!is.null(shown_spans_of(q, book))) break
    }
  }
  assign("question", q, envir = counts)
  rows <- rows_of(q, book)
  s <- tryCatch(package_statement(q, x), rollingledger_error = function(e) e)
  if (inherits(s, "error")) {
    if (is.null(rows)) return(counted_none("refused: span"))
    if (grepl("have the label|leaves the years|ends before it starts|whole .* cannot go back",
              conditionMessage(s))) return(counted_none("refused: phrase"))
    return(paste("statement refused:", conditionMessage(s)))
  }
  if (is.null(rows)) return("statement: should be refused")
  problem <- rows_differ(q, book, s, rows)
  if (!is.null(problem)) return(problem)
  labels <- s$period
  columns <- lapply(q$measures, function(m) vapply(rows, function(row) value_of(m, book, row), 0))
  for (name in names(columns)) if (!is_near(s[[name]], columns[[name]]))
    return(cells_differ(name, q$measures[[name]]$text, s, s[[name]], columns[[name]]))
  for (name in names(columns)) counted_kind(paste("measure", q$measures[[name]]$fun), length(rows))
  counted_kind(paste("totals", q$totals), length(rows))
  if (!is.null(q$rules$table)) counted_kind("calendars from a table", length(rows))
  if (!is.null(q$rules$pattern)) counted_kind("calendars of weeks", length(rows))
  if (!is.null(q$anchor)) counted_kind("groups with days of their own", length(rows))
  counted_kind(paste("attribute", if ("route" %in% q$by) q$made$kind else "none"), length(rows))
  if (maybe(0.4)) {
    problem <- compared_differ(q, book, x)
    if (!is.null(problem)) return(problem)
    assign("steps", character(), envir = counts)
  }
  problem <- whole_checks(q, book, x, s, rows)
  if (!is.null(problem)) return(problem)
  verbs_differ(q, book, x, s, rows, labels, columns)
}

counted_none <- function(kind) {
  counted_kind(kind)
  NULL
}

rows_differ <- function(q, book, s, rows) {
  if (nrow(s) != length(rows)) return(sprintf("%d rows, should be %d", nrow(s), length(rows)))
  if (nrow(s) == 0) return(NULL)
  of <- function(name, type) vapply(rows, `[[`, type, name)
  if (!identical(as_days(s$from), of("from", 0L)) || !identical(as_days(s$to), of("to", 0L)))
    return("days of rows differ")
  if (!identical(s$complete, of("complete", TRUE))) return("complete differs")
  if (!is.null(q$per) &&
      !identical(sub("^[(]all.*", "(all)", s$period),
                 vapply(rows, function(row) as.character(row$period), "")))
                   return("labels of periods differ")
  for (name in q$by) if (!identical(as_text(s[[name]]),
                                    unname(vapply(rows, function(row) row$members[[name]], ""))))
                                      return(sprintf("members of %s differ", name))
  NULL
}

cells_differ <- function(name, what, s, got, right) {
  bad <- which(is.na(got) != is.na(right) |
               (!is.na(got) & !is.na(right) & abs(got - right) > 1e-7 + 1e-9 * abs(right)))[1]
  sprintf("%s (%s), row %d (%s): %s, should be %s", name, what, bad,
          paste(vapply(as.list(s[bad, seq_len(4 + 0)]), format, ""), collapse = " "),
          format(got[bad], digits = 15), format(right[bad], digits = 15))
}

# What must hold of every statement whatever was asked.
whole_checks <- function(q, book, x, s, rows) {
  control <- tryCatch(rollingledger::control_totals(s), rollingledger_error = function(e) NULL)
  if (!is.null(control) && nrow(control) > 0) {
    if (!q$list_all && any(abs(control$difference) > 1e-6)) return("control totals differ")
    counted_kind("control totals", nrow(control))
  }
  if (length(rows) > 0 && maybe(0.3)) {
    problem <- entries_differ(q, book, s, rows)
    if (!is.null(problem)) return(problem)
  }
  if (nrow(s) > 0 && maybe(0.3)) {
    problem <- crossed_differ(q, s)
    if (!is.null(problem)) return(problem)
  }
  if (nrow(s) > 0 && maybe(0.3)) {
    problem <- reconciled_differ(q, book, s, rows)
    if (!is.null(problem)) return(problem)
  }
  if (maybe(0.3)) options_differ(s)
}

entries_differ <- function(q, book, s, rows) {
  i <- pick(seq_along(rows))
  for (name in names(q$measures)) {
    m <- q$measures[[name]]
    if (!m$fun %in% c("total", "entries", "lapsed", "active")) next
    behind <- tryCatch(rollingledger::entries_behind(s, figure = !!name, row = i),
                       rollingledger_error = function(e) e)
    if (inherits(behind, "error"))
      return(paste("entries behind refused:", conditionMessage(behind)))
    right <- value_of(m, book, rows[[i]])
    got <- switch(m$fun, total = sum(behind[[m$column]]), lapsed = if (is.na(right))
      NA_real_ else length(unique(behind[[m$column]])), nrow(behind))
    if (!is_near(as.double(got), as.double(right)))
      return(sprintf("entries behind %s (%s), row %d: %s, should be %s", name, m$text, i, got,
                     right))
    counted_kind("entries behind")
  }
}

# Every cell of a cross table is that of the statement's row with the same members.
crossed_differ <- function(q, s) {
  across <- pick(c(if (is.null(q$per)) "span" else "period", q$by))
  whole <- across %in% c("span", "period")
  down <- c(if (!whole) c("period", "from", "to", "complete"), setdiff(q$by, across))
  told <- function(table, columns) member_keys(lapply(unclass(table)[columns], as_cell),
                                               nrow(table))
  # Spans of groups with days of their own stand side by side by their label.
  heads <- if (!whole) told(s, across)
           else told(s, if (is.null(q$anchor)) c("period", "from", "to") else "period")
  for (way in c("groups", "figures")) {
    table <- rollingledger::cross_table(s, across, down = way)
    down_here <- intersect(down, names(table))
    columns <- names(attr(table, "columns"))
    figures <- names(q$measures)
    if (anyDuplicated(names(table))) return("cross table has two columns of one name")
    n <- if (way == "groups") length(columns) / length(figures) else length(columns)
    if (n != length(unique(heads))) return("cross table has too many or too few columns")
    mine <- told(s, down_here)
    rows <- told(table, down_here)
    # Columns stand in the order in which their heads are met, or in that of members.
    order <- if (whole) unique(heads) else unique(heads)[order(match(
      unique(as_text(s[[across]])), crossed_order(s[[across]], q, across)))]
    for (h in seq_along(order)) for (f in seq_along(figures)) {
      got <- if (way == "groups") table[[columns[(h - 1) * length(figures) + f]]]
             else table[[columns[h]]][table[[attr(table, "line")]] == figures[f]]
      key <- if (way == "groups") rows else rows[table[[attr(table, "line")]] == figures[f]]
      own <- heads == order[h]
      right <- s[[figures[f]]][own][match(key, mine[own])]
      if (anyDuplicated(mine[own])) next
      if (!is_near(got, right))
        return(sprintf("cross table across %s (%s): %s of %s differs", across, way, figures[f],
                       order[h]))
    }
    counted_kind("cross tables", length(order) * length(figures))
  }
}

as_cell <- function(values) if (is.logical(values)) as.character(values) else values

# The order in which members stand across: that of the source, totals last.
crossed_order <- function(values, q, across) {
  source <- q$made$plain[[across]]
  order <- if (identical(across, q$part)) part_members(across, q$rules)
           else if (is.factor(source)) levels(source)
           else member_order(source)
  order <- c(order[!is.na(order)], NA)
  if (q$totals %in% c("by", "both")) unique(c(order, "(all)")) else order
}

part_members <- function(part, rules) {
  days <- part_by_hand(part, 0:400, rules)
  if (is.factor(days)) levels(days) else as_text(sort(unique(days)))
}

# Another table with some amounts changed, left out, added or missing.
reconciled_differ <- function(q, book, s, rows) {
  name <- names(q$measures)[1]
  total <- vapply(rows, function(row) row$whole ||
                  any(vapply(row$members, is_total, TRUE, book = book)), TRUE)
  label <- s$period[!total]
  if (sum(!total) == 0 ||
      anyDuplicated(
        keys <- do.call(paste,
                        c(list(label),
                          lapply(unclass(s)[q$by],
                                 function(v) encodeString(as_text(v[!total]), quote = "'"))))) > 0)
                                   return(NULL)
  if (any(vapply(q$by, function(n) "(all)" %in% as_text(book$entries[[n]]), TRUE))) return(NULL)
  here <- s[[name]][!total]
  there <- data.frame(period = label, amount = here)
  for (n in q$by) there[[n]] <- as_text(s[[n]][!total])
  change <- pick(c("same", "one off", "tiny", "gone", "missing"), length(here), TRUE,
                 c(6, 1, 1, 1, 1))
  there$amount <- here + ifelse(change == "one off", 1, ifelse(change == "tiny", 3e-7, 0))
  there$amount[change == "missing"] <- NA
  there <- there[change != "gone", , drop = FALSE]
  if (nrow(there) == 0) return(NULL)
  r <- rollingledger::reconcile(s, there, by = c("period", q$by), figure = !!name, value = "amount")
  expected <- ifelse(change == "gone", ifelse(is.na(here) | here == 0, "matched", "only here"),
                     ifelse(change == "missing", ifelse(is.na(here), "matched", "different"),
                            ifelse(is.na(here) | change == "same", "matched", "different")))
  got <- table(factor(r$result, c("matched", "different", "only here", "only there")))
  right <- table(factor(expected, c("matched", "different", "only here", "only there")))
  if (!identical(as.integer(got), as.integer(right)))
    return(sprintf("reconciled %s, should be %s", paste(got, collapse = " "),
                   paste(right, collapse = " ")))
  counted_kind("reconciled cells", length(here))
  NULL
}

# R's options must not reach what is printed or written.
options_differ <- function(s) {
  file <- tempfile(fileext = ".csv")
  on.exit(unlink(file))
  ask <- function() {
    rollingledger::write_statement(s, file, overwrite = TRUE)
    c(format(s, width = 120), readLines(file))
  }
  plain <- ask()
  old <- options(scipen = pick(c(-10, 0, 10)), digits = pick(3:16), OutDec = ",")
  odd <- tryCatch(ask(), finally = options(old))
  counted_kind("options changed")
  if (!identical(plain, odd)) return("options of R reach what is printed or written")
  read <- utils::read.csv(file, check.names = FALSE)
  for (name in names(attr(s, "columns"))) if (!is_near(as.double(read[[name]]), s[[name]]))
    return(sprintf("the file written holds other figures in %s", name))
  NULL
}

verbs_differ <- function(q, book, x, s, rows, labels, columns) {
  done <- list()
  taken <- list()
  moved <- FALSE
  assign("steps", character(), envir = counts)
  said <- function(code) assign("steps", c(counts$steps, code), envir = counts)
  for (v in q$verbs) {
    if (length(rows) > 1 && maybe(0.4)) {
      at <- moved_rows(length(rows))
      s <- if (length(at$parts) == 1) s[at$parts[[1]], ]
           else rbind(s[at$parts[[1]], ], s[at$parts[[2]], ])
      own <- unlist(at$parts)
      said(sprintf("s <- %s",
                   paste0(if (length(at$parts) > 1) "rbind(",
                          paste(vapply(at$parts,
                                       function(part) sprintf(
                                         "s[%s, ]", paste(
                                           deparse(part, width.cutoff = 200), collapse = "")), ""),
                                collapse = ", "), if (length(at$parts) > 1) ")")))
      rows <- rows[own]
      labels <- labels[own]
      columns <- lapply(columns, `[`, own)
      counted_kind(at$kind)
      moved <- TRUE
    }
    if (length(rows) == 0) break
    for (i in seq_along(rows)) if (is.null(q$per)) rows[[i]]$period <- labels[i]
    said(verb_code(v))
    after <- tryCatch(suppressMessages(package_verb(v, s)), rollingledger_error = function(e) e)
    if (inherits(after, "error")) {
      if (grepl(
        paste0("lapsed\\(\\) compares|has no total over days|can be in it no more|cannot go ",
               "back|leaves the years"), conditionMessage(after))) {
        counted_kind(paste("refused:", v$verb))
        next
      }
      return(sprintf("%s refused: %s", v$verb, conditionMessage(after)))
    }
    added <- engine_verb(v, q, book, rows)
    done <- c(done, list(v))
    columns <- c(columns, added)
    if (v$verb == "rank" && !is.null(v$keep)) {
      kept <- keep_of(v, q, book, rows, added[[1]])
      columns <- lapply(columns, `[`, kept$from)
      fresh <- which(is.na(kept$from))
      rows <- kept$rows
      if (length(fresh) > 0) {
        again <- lapply(q$measures,
                        function(m) vapply(rows[fresh], function(row) value_of(m, book, row), 0))
        for (w in Filter(function(w) !w$verb %in% c("rank", "target"), done)) again <- c(
          again, engine_verb(w, q, book, rows[fresh]))
        for (name in names(again)) columns[[name]][fresh] <- again[[name]]
        counted_kind("rest rows", length(fresh))
      }
      labels <- vapply(rows, function(row) as.character(row$period), "")
      if (nrow(after) == 0 && length(rows) == 0) return(NULL)
      order <- match(keys_of_statement(q, book, after),
                     keys_of_rows(q, book, rows, if (is.null(q$per)) labels else ""))
      if (nrow(after) != length(rows) || anyNA(order))
        return(sprintf("rank keeps %d rows, should keep %d", nrow(after), length(rows)))
      rows <- rows[order]
      labels <- labels[order]
      columns <- lapply(columns, `[`, order)
    }
    s <- after
    for (name in names(columns)) {
      if (!name %in% names(s)) return(sprintf("%s has no column %s", v$verb, name))
      if (!is_near(s[[name]], columns[[name]]))
        return(cells_differ(name, paste(v$verb, q$measures[[v$m]]$text), s, s[[name]],
                            columns[[name]]))
    }
    counted_kind(paste("verb", v$verb), length(rows))
    taken <- c(taken, list(v))
    if (v$verb == "change") counted_kind(paste("change", v$align), length(rows))
    if (v$verb == "target") counted_kind("targets found", sum(!is.na(added[[1]])))
  }
  if (!moved) answer_differs(s, x, taken)
}

# The question behind a statement, by way of JSON, is answered by the very same statement. Tables
# given by hand have one name here, so there may be one of them.
answer_differs <- function(s, x, taken) {
  tables <- lapply(Filter(function(v) v$verb == "target", taken),
                   function(v) v$table[setdiff(names(v$table), c("from", "to"))])
  if (length(tables) > 1) return(NULL)
  q <- rollingledger::question(s)
  read <- jsonlite::fromJSON(jsonlite::toJSON(q, auto_unbox = TRUE, digits = NA),
                             simplifyVector = maybe(0.5))
  counted_kind("questions answered")
  again <- suppressMessages(
    rollingledger::answer(read, x, tables = stats::setNames(tables, rep("table", length(tables)))))
  if (!identical(again, s)) return("the question is answered otherwise")
  if (!identical(rollingledger::question(again), q)) "the question of the answer is another one"
}

# Rows cut, in another order, or joined from two parts: list(parts, kind).
moved_rows <- function(n) {
  kind <- pick(c("rows cut", "rows in another order", "rows joined"))
  at <- switch(kind, "rows cut" = sort(pick(seq_len(n), pick(seq_len(n)))),
               "rows in another order" = pick(seq_len(n), n), pick(seq_len(n), pick(2:n)))
  if (kind != "rows joined" || length(at) < 2) return(list(parts = list(at), kind = kind))
  half <- pick(seq_len(length(at) - 1))
  list(parts = list(at[seq_len(half)], at[-seq_len(half)]), kind = kind)
}
