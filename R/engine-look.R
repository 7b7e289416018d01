# The look at the entries of an engine: how many there are, on which days, which cannot be used and
# why, how exact amounts are. All of it in the engine, as counts by day and by column, and again
# whenever the entries may have changed.

# What is known of a ledger's entries as they are now: list(stamp, version, facts, bases, iso,
# unreadable, odd, days, columns).
engine_look <- function(x) {
  # Within a look what was found so far is what is known.
  if (!is.null(x$looked$now)) return(x$looked$now)
  if (x$engine$depth == 0L && !is.null(x$looked$look)) return(x$looked$look)
  within_engine(x$engine, renew_look(x))
}

renew_look <- function(x, call = NULL) {
  known <- x$looked$look
  if (identical(known$stamp, x$engine$stamp)) return(known)
  if (is_evidence_same(x, known)) {
    known$stamp <- x$engine$stamp
    x$looked$look <- known
    return(known)
  }
  look <- new_look(x, call)
  # What was worked out of other entries is kept no more.
  if (!is.null(known)) rm(list = intersect("cache", ls(x$handle)), envir = x$handle)
  x$looked$columns <- new.env(parent = emptyenv())
  for (what in c("reach", "rows", "members", "groups", "groups_of_some"))
    assign(what, list(), envir = x$looked)
  x$looked$look <- look
  if (is.null(x$parent)) {
    look_at_amounts(x, look, call, others = names_of_types(x, c("text", "flag")))
  }
  x$looked$look$facts$seen <- look_token(x, look)
  x$engine$looked_at <- Sys.time()
  x$looked$look
}

# What is another for other entries, as far as a look tells; where nothing tells, each change of
# the engine counts as one of the entries.
look_token <- function(x, look) {
  columns <- mget(sort(ls(x$looked$columns)), envir = x$looked$columns)
  # Sums of doubles differ in their last digits with the order in which they are added up.
  columns <- lapply(columns, function(column) {
    if (!isTRUE(column$exact)) column$sum_of_sizes <- signif(column$sum_of_sizes %||% 0, 10)
    column
  })
  own <- rlang::hash(list(look$bases, look$reasons, columns))
  if (is.null(x$engine$token)) own else paste(own, look$evidence %||% look$stamp)
}

# Whether what the engine tells of the table's rows says that none came, went or was changed.
is_evidence_same <- function(x, known) {
  if (is.null(known$evidence)) return(FALSE)
  identical(known$evidence, read_evidence(x))
}

read_evidence <- function(x) {
  if (length(x$lookups) > 0) return(NULL)
  known <- x$engine$evidence[[x$relation$from]]
  if (is.null(known)) {
    known <- x$engine$dialect$evidence(x$engine, x$relation)
    if (!is.null(known)) x$engine$evidence[[x$relation$from]] <- known
  }
  known
}

# ---- a look -------------------------------------------------------------------------

new_look <- function(x, call = NULL) {
  check_lookups_of(x)
  if (is.null(x$parent)) return(look_at_engine(x, call))
  parent <- engine_look(x$parent)
  look <- parent
  look$stamp <- x$engine$stamp
  if (identical(x$keeps, x$parent$keeps)) return(look)
  # The same rows as the ledger before, less those that the condition leaves out.
  x$looked$now <- parent
  on.exit(x$looked$now <- NULL)
  for (name in names(x$on)) look$bases[[name]] <- base_with_days(x, name, parent)
  used <- sum(look$bases[[1]]$counts)
  look$facts$counts$kept_out <- parent$facts$counts$kept_out +
    whole_count(parent$facts$counts$used - used)
  look$facts$counts$used <- whole_count(used)
  look$facts$dates <- dates_told(x, look$bases, parent$facts$dates)
  look$facts$kept <- paste(vapply(x$keeps, function(keep) attr(keep, "text"), ""),
                           collapse = " and ")
  look$facts$wheres <- x$keeps
  look$version <- version_text(x, look)
  look$facts$version <- look$version
  look
}

whole_count <- function(n) if (n < 2^31) as.integer(n) else as.double(n)

# The look at a ledger as it is in the engine.
look_at_engine <- function(x, call = NULL) {
  # What tells later that nothing changed is a look of its own, taken once something may have.
  again <- !is.null(x$looked$look)
  look <- list(stamp = x$engine$stamp, evidence = if (again) read_evidence(x),
               bases = list(), iso = list(),
               unreadable = list(), odd = list(), columns = list())
  x$looked$now <- look
  on.exit(x$looked$now <- NULL)
  if (again) check_same_kinds(x)
  for (name in unique(c(x$on, x$until))) if (x$columns[[name]]$type == "iso") {
    look$iso[[name]] <- iso_type(x, name)
    x$looked$now <- look
  }
  look$odd <- odd_amounts(x)
  x$looked$now <- look
  for (name in x$until) {
    look$unreadable[[name]] <- days_counted(x, name, NULL, call)$unreadable
  }
  x$looked$now <- look
  first <- first_base(x, look, call)
  look$bases[[names(x$on)[1]]] <- first$base
  look$unreadable[[x$on[[1]]]] <- first$unreadable
  look$as_of <- first$as_of
  x$looked$now <- look
  absent <- list()
  for (name in names(x$on)[-1]) {
    found <- days_counted(x, x$on[[name]], used_sql(x, names(x$on)[1]), call)
    look$unreadable[[x$on[[name]]]] <- found$unreadable
    within <- !is.na(found$day) & found$day <= look$as_of
    look$bases[[name]] <- new_base(found$day[within], found$count[within])
    absent[[name]] <- list(without = sum(found$count[is.na(found$day)]),
                           late = sum(found$count[!is.na(found$day) & found$day > look$as_of]),
                           none = sum(found$count[is.na(found$day) & !found$bad]),
                           bad = sum(found$count[found$bad]))
  }
  look$absent <- absent
  look$reasons <- first$reasons
  look$facts <- facts_in_engine(x, look, first)
  look$version <- look$facts$version
  look
}

# A column of any kind of values may take on others while one does not look.
check_same_kinds <- function(x) {
  described <- x$engine$dialect$describe(x$engine, x$relation)
  now <- if (is.null(x$relation$kinds)) TRUE else identical(x$relation$kinds(), x$kinds_found)
  in_order <- function(table) table[order(table$name, method = "radix"), ]
  if (!identical(unname(as.list(in_order(described))), unname(as.list(in_order(x$described)))) ||
        !now) {
    refuse("source", c(sprintf("The columns of %s, or their types, have changed.",
                               x$label), i = "Make the ledger again."), call = NULL)
  }
  if (!x$engine$dialect$mixes) return(invisible())
  names <- names(x$columns)[!vapply(x$columns, function(column) is.null(column$declared), TRUE)]
  names <- setdiff(names, unlist(lapply(x$lookups, function(lookup) lookup$names)))
  kinds <- x$engine$dialect$kinds(x$engine, x$relation, names, NULL)
  for (i in seq_along(names)) {
    column <- x$columns[[names[i]]]
    fits <- kinds[i] == "blank" || switch(column$type, iso = kinds[i] == "text",
      text = kinds[i] != "none", whole = kinds[i] == "whole",
      double = kinds[i] %in% c("whole", "double") || isTRUE(column$mixed) && kinds[i] == "mixed",
      TRUE)
    if (fits) next
    refuse("source", c(sprintf("The values of the column `%s` of %s have changed their type.",
                               names[i], x$label), i = "Make the ledger again."), call = NULL)
  }
}

no_conditions <- list(pieces = list(), joins = NULL)

# Days as text: days alone, or with times.
iso_type <- function(x, name) {
  lengths <- asked_rows(x, list(v = x$columns[[name]]$value),
                        list(a = "MIN(LENGTH(v))", z = "MAX(LENGTH(v))"), no_conditions,
                        fold = c(a = "min", z = "max"))
  if (is.na(lengths$z) || as.integer(lengths$z) <= 10L) "iso" else "iso timed"
}

# Which columns of amounts hold what is no number, or one without end.
odd_amounts <- function(x) {
  of <- values <- list()
  for (name in names_of_types(x, c("double", "decimal"))) {
    if (isTRUE(x$columns[[name]]$mixed)) next
    v <- sprintf("v%d", length(values))
    odd <- x$engine$dialect$odd(sql(v), x$columns[[name]]$type)
    for (kind in names(odd)) {
      values[[v]] <- x$columns[[name]]$value
      of[[paste0("c", length(of))]] <- structure(
        sql("MAX(CASE WHEN ", odd[[kind]], " THEN 1 ELSE 0 END)"), about = c(name, kind))
    }
  }
  out <- list()
  if (length(of) == 0) return(out)
  found <- asked_rows(x, values, of, no_conditions,
                      fold = stats::setNames(rep("max", length(of)), names(of)))
  for (key in names(of)) {
    about <- attr(of[[key]], "about")
    if (found[[key]] %in% 1) out[[about[1]]][[about[2]]] <- TRUE
  }
  out
}

# Entries by the day of a column, read here: list(day, count, bad, text, unreadable).
days_counted <- function(x, name, used = NULL, call = NULL, flags = list()) {
  dialect <- x$engine$dialect
  column <- x$columns[[name]]
  type <- date_type(x, name)
  day <- dialect$day(column$value, type, x$time_zone)
  if (type == "iso timed") {
    # What follows the day must be a time; other texts are read whole, and are no dates.
    tail <- sql("SUBSTR(", column$value, ", 11, 6)")
    day <- sql("CASE WHEN LENGTH(", column$value, ") <= 10 OR ", dialect$clock(tail), " THEN ",
               day, " ELSE ", column$value, " END")
  }
  used <- used %||% no_conditions
  rows <- asked_rows(x, c(list(d = day), flags),
                     c(list(d = dialect$day_out("d", type)), stats::setNames(nm = names(flags)),
                       list(n = count_out(x))),
                     used, group = c("d", names(flags)), limit = most_days + 1,
                     fold = c(n = "sum"))
  if (length(rows$n) > most_days) {
    refuse("date", sprintf("The date basis `%s` has more than %s different days, so it is not one.",
                           name, number_text(most_days)), column = name, call = call)
  }
  days <- dialect$day_back(rows$d)
  text <- if (is.character(rows$d)) enc2utf8(rows$d)
          else replace(as.character(rows$d), rows$d %in% -2147483647, "infinity")
  absent <- is.na(rows$d) | text %in% "" | is_missing_mark(text, x$missing)
  bad <- is.na(days) & !absent
  if (all(is.na(days)) && any(bad)) refuse_engine_days(name, text[bad], call)
  c(list(day = days, count = as.double(rows$n), bad = bad, text = text,
         unreadable = if (startsWith(type, "iso")) unique(text[is.na(days) & !is.na(rows$d)])),
    rows[names(flags)])
}

most_days <- 1e6

refuse_engine_days <- function(name, text, call) {
  refuse("date", c(
    sprintf("The date basis `%s` is not a date: its texts look like \"%s\".", name, text[1]),
    i = paste("A database compares days as text only where they are written 2026-09-17.",
              "Turn them into dates there, by a {query} or a view.")), column = name, call = call)
}

# The first date basis, which says which entries are used: list(base, unreadable, reasons, as_of,
# read, used).
first_base <- function(x, look, call) {
  name <- x$on[[1]]
  flags <- unusable_flags(x, look)
  found <- days_counted(x, name, NULL, call, flags)
  none <- logical(length(found$day))
  ends <- if (is.null(found[["u"]])) none else found[["u"]] %in% 1
  amounts <- if (is.null(found[["f"]])) none else found[["f"]] %in% 1
  unusable <- ends | amounts
  good <- !is.na(found$day) & !unusable
  as_of <- x$as_of_given %||% default_as_of(function(today) {
    newest <- found$day[good & found$day <= today]
    if (length(newest) > 0) max(newest) else NA
  })
  used <- good & found$day <= as_of
  late <- good & found$day > as_of
  dated <- !is.na(found$day)
  counts <- list(no_date = sum(found$count[!dated & !found$bad]),
                 unreadable = sum(found$count[found$bad | dated & ends]),
                 amount = sum(found$count[dated & amounts & !ends]),
                 late = sum(found$count[late]))
  reasons <- stats::setNames(unlist(counts), unlist(aside_reasons[names(counts)]))
  reasons <- reasons[reasons > 0]
  if (length(found$day) == 0)
    refuse("source", sprintf("There are no rows in %s.", x$label), call = call)
  if (!any(used)) refuse_no_entries(sum(found$count), x$label, reasons, call)
  list(base = new_base(found$day[used], found$count[used]), unreadable = found$unreadable,
       reasons = reasons, as_of = as.integer(as_of), read = sum(found$count),
       used = sum(found$count[used]))
}

# Flags of rows whose amounts (f), or ends (u), cannot be used.
unusable_flags <- function(x, look) {
  names <- unique(c(names(Filter(function(odd) isTRUE(odd$infinite), look$odd)),
                    mixed_columns(x)))
  flag <- function(good) sql("CASE WHEN ", sql_all(good), " THEN 0 ELSE 1 END")
  ends <- Filter(Negate(is.null), lapply(x$until, usable_end, x = x))
  c(if (length(names) > 0) list(f = flag(lapply(names, function(name) usable_amount(x, name)))),
    if (length(ends) > 0) list(u = flag(ends)))
}

# An end that is there and cannot be read keeps its entry out; one that is missing does not.
usable_end <- function(x, name) {
  texts <- unreadable_not_missing(engine_look(x)$unreadable[[name]], x)
  if (length(texts) > 0) not_among(x, name, texts)
}

unreadable_not_missing <- function(texts, x) {
  if (length(texts) == 0) return(character())
  texts[!is_missing_mark(texts, x$missing) & nzchar(texts)]
}

# Days that hold entries, in order, with how many each: list(first, last, days, counts).
new_base <- function(day, count) {
  if (length(day) == 0) return(list(first = Inf, last = -Inf, days = integer(), counts = numeric()))
  days <- sort(unique(day))
  counts <- as.double(tapply(count, factor(day, days), sum))
  list(first = days[1], last = days[length(days)], days = days, counts = counts)
}

# The days of a ledger that a condition made smaller.
base_with_days <- function(x, name, parent) {
  used <- used_sql(x, name)
  day <- day_sql(x, x$on[[name]])
  rows <- asked_rows(x, list(d = day$value),
                     list(d = x$engine$dialect$day_out("d", day$type),
                          n = count_out(x)), used, day$joins, group = "d", fold = c(n = "sum"))
  days <- x$engine$dialect$day_back(rows$d)
  good <- !is.na(days) & days <= parent$as_of
  new_base(days[good], as.double(rows$n[good]))
}

# ---- facts --------------------------------------------------------------------------

facts_in_engine <- function(x, look, first) {
  aside <- sum(first$reasons)
  counts <- list(read = whole_count(first$read), used = whole_count(first$used), kept_out = 0L,
                 aside = whole_count(first$read - first$used))
  stopifnot(first$read == first$used + aside)
  dates <- dates_told(x, look$bases, NULL, look$absent, look)
  out <- list(label = x$label, version = NULL, as_of = look$as_of, calendar = x$calendar,
              units = x$units, counts = counts, dates = dates, left_out = x$left_out,
              until = x$until, kept = NULL, files = NULL,
              later = sum(first$reasons[names(first$reasons) == aside_reasons$late]),
              reasons = first$reasons,
              has_aside = aside > 0 || any(vapply(dates, function(base) base$apart > 0, TRUE)),
              rows_are = x$row_key$word %||% "row", says = says_of_engine(x, look),
              given = NULL, columns_read = names(x$columns), wheres = list())
  look$facts <- out
  out$version <- version_text(x, look)
  out
}

dates_told <- function(x, bases, before, absent = NULL, look = NULL) {
  lapply(stats::setNames(nm = names(x$on)), function(name) {
    apart <- if (!is.null(before)) before[[name]]$apart
             else as.integer(sum(unlist(absent[[name]][c("without", "late")])))
    type <- if (is.null(before)) date_type(x, x$on[[name]])
    list(column = x$on[[name]], first = bases[[name]]$first, last = bases[[name]]$last,
         apart = apart, months = FALSE,
         hours = if (is.null(before)) type %in% c("moment", "instant", "iso timed")
                 else before[[name]]$hours)
  })
}

# What tells these entries from others, or from the same later.
version_text <- function(x, look) {
  base <- look$bases[[1]]
  at <- x$engine$dialect$moment(x$engine)
  paste0(sprintf("%s, %s to %s", count_text(look$facts$counts$used, "entry", "entries"),
                 iso_day(base$first), iso_day(base$last)),
         if (!is.null(at)) sprintf(", before transaction %s", at))
}

says_of_engine <- function(x, look) {
  cells <- if (is_of_cells(x)) sprintf("sums of days, entries counted by `%s`",
                                       x$counts[["entries"]])
  once <- if (isTRUE(x$engine$looks_once))
    sprintf("looked at once, on %s at %s", day_text(as.integer(Sys.Date())),
            format(Sys.time(), "%H:%M"))
  c(days_said(x), cells, x$engine$dialect$says(x, look), once)
}

days_said <- function(x) {
  timed <- Filter(function(name) date_type(x, name) %in% c("instant", "iso timed"),
                  unique(c(x$on, x$until)))
  vapply(timed, function(name) {
    if (date_type(x, name) == "instant") sprintf("%s: days in %s", name, x$time_zone)
    else sprintf("%s: date-times on the day as written", name)
  }, "", USE.NAMES = FALSE)
}

say_aside_in_engine <- function(x) {
  reasons <- engine_look(x)$reasons
  if (length(reasons) == 0) return(invisible())
  inform(sprintf("%s of %s set aside: %s. See `set_aside()`.", number_text(sum(reasons)),
                 count_text(source_facts(x)$counts$read, "entry", "entries"),
                 reasons_text(reasons)),
         class = c("rollingledger_message_aside", "rollingledger_message"))
}
