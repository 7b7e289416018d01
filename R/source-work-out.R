describe_verb("work_out", asked_of = "ledger",
  ... = field("measures", "columns by name, such as sales = quantity * price", option = FALSE,
              more = "As bare code or as text; see Worked-out columns in [ledger()].")
)

#' Work columns out of others
#'
#' Adds columns to a ledger that are worked out of those it has, entry by entry: quantity times
#' price, bands of an amount, names made one. `columns =` of [ledger()] does the same when a ledger
#' is built. What is needed once only can stand in a measure or a condition itself:
#' `total(quantity * price, where = quantity * price > 100)`.
#'
#' Calculations with `+`, `-` and `*` are exact as long as the results have at most four decimals; a
#' message says where they are not. Where a part is missing, or divided by zero, the result is
#' missing.
#'
#' @param x A [ledger()].
#' @eval field_params("work_out")
#' @return A `ledger` with more columns. The unit of a calculation follows from those of its parts.
#' @section Functions:
#' \tabular{ll}{
#'   `band(x, 10, 100)` \tab bands of a number, in their order: below 10, 10 to below 100, 100 and
#'     more \cr
#'   `first_letters(x, 3)` \tab the first letters of a text \cr
#'   `text_before(x, "-")`, `text_after(x, "-")` \tab what stands before or after the first mark;
#'     where there is none, all of the text or an empty one \cr
#'   `upper_case(x)`, `lower_case(x)` \tab by Unicode's rules, in every locale alike \cr
#'   `trimmed(x)` \tab without spaces at its ends, and one where there were several \cr
#'   `renamed(x, old = "new", ...)` \tab some members by other names; the rest stay
#' }
#' @section Errors:
#' `rollingledger_error_measure` for what is not understood, `rollingledger_error_column` for a
#' column that does not exist or a name that is taken.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR")) |>
#'   work_out(per_head = fare / passengers, size = band(passengers, 2, 5))
#' statement(fares, by = "size", span = "last month", trips = entries(), income = total(fare))
#'
#' # "Web" and "web " are one channel
#' work_out(fares, way = renamed(lower_case(trimmed(channel)), agent = "agency")) |>
#'   statement(by = "way", span = "last month", income = total(fare))
#' @include question-fields.R
work_out <- function(x, ...) {
  check_ledger_object(x)
  texts <- measure_texts(rlang::enquos(...))
  if (...length() == 0) return(x)
  out <- worked_out(x, texts)
  note_step(out, "work_out", columns = as.list(texts))
}

# The ledger with columns of these texts; each may use those before it.
worked_out <- function(x, texts, call = caller_env()) {
  named <- names(texts) %||% rep("", length(texts))
  for (i in seq_along(texts)) {
    if (!nzchar(named[i])) {
      refuse("column", c(sprintf("The column `%s` has no name.", shortened_text(texts[[i]])),
                         i = sprintf("Write NAME = %s.", texts[[i]])), call = call)
    }
    if (named[i] %in% c(source_column_names(x), source_facts(x)$left_out)) {
      refuse("column", c(sprintf("The ledger has a column `%s` already.", named[i]),
                         i = "Give what is worked out another name."), given = named[i],
             call = call)
    }
    tree <- read_worked_out(texts[[i]], x, call)
    x <- source_with(x, list(step = "work_out", name = named[i], tree = tree), call)
  }
  x
}

# The ledger with all that stands where measures, conditions and attributes take columns and must be
# worked out first: calls, and calendar parts of a date basis. Kept as long as it is used.
ledger_asked <- function(x, texts, by, on, call = caller_env()) {
  expressions <- lapply(texts, function(text) plain_expression(text, "a measure", call))
  need <- columns_needed(expressions, x, by)
  if (length(need$parts) == 0 && length(need$texts) == 0) return(x)
  kept_in(ledger_cache(x), list("asked", need, on), function() with_needed(x, need, on, call),
          function(kept) 1e6)
}

# The calendar parts that were worked out for a question.
source_parts <- function(x) x$worked_parts

# Those that a condition speaks of.
parts_needed <- function(text, x) columns_needed(list(text_expression(text)), x, NULL)$parts

with_needed <- function(x, need, on, call = caller_env()) {
  for (part in need$parts) {
    x <- source_with(x, list(step = "part", part = part, on = on), call)
    x$worked_parts <- union(x$worked_parts, part)
  }
  for (text in need$texts) {
    x <- source_with(x, list(step = "work_out", name = own_name(text),
                             tree = read_worked_out(text, x, call)), call)
  }
  x
}

# ---- in memory -------------------------------------------------------------------

# A ledger in memory with one more column.
with_worked_out <- function(x, name, tree, call = caller_env()) {
  out <- with_column(x, name, tree)
  say_of_calculation(name, out$columns[[name]])
  out$steps <- c(x$steps, list(list(name = name, tree = tree)))
  out
}

say_of_calculation <- function(name, column) {
  shown <- calculation_name(name)
  if (isTRUE(column$endless > 0)) {
    tell(sprintf("`%s` is too large for any number in %s, where it is missing.", shown,
                 count_text(column$endless, "entry", "entries")), "rollingledger_message_rounded")
  }
  if (isTRUE(column$lost > 0)) {
    tell(sprintf("`%s` has more than 15 digits in %s, where it is rounded to them.", shown,
                 count_text(column$lost, "entry", "entries")), "rollingledger_message_rounded")
  } else if (column$kind == "real") {
    tell(sprintf("`%s` has more than four decimals, so its sums are rounded in the last digits.",
                 shown), "rollingledger_message_rounded")
  }
}

with_column <- function(x, name, tree) {
  x <- in_one_piece(x)
  standing <- core_sort_by_day(integer(x$used), core_threads())
  x$columns[[name]] <- worked_out_values(tree, x, standing)
  unit <- worked_out_unit(tree, x$units)
  if (!is.null(unit) && !name %in% names(x$units)) x$units[[name]] <- unit
  with_new_handle(x)
}

worked_out_values <- function(tree, x, standing) {
  if (tree$node == "column") return(ledger_attribute(x, tree$column))
  if (tree$holds == "amounts") return(calculated_column(calculated(tree, x), standing))
  if (tree$fun == "band") return(band_column(tree, x, standing))
  text <- worked_out_text(tree, x)
  members <- unique(text$members)
  members <- c(members[!is.na(members)], if (anyNA(members)) NA)
  packed_codes(match(text$members, members)[text$codes + 1L] - 1L, members, standing)
}

# Text worked out member by member: list(codes, members).
worked_out_text <- function(tree, x) {
  if (tree$node == "column") {
    column <- ledger_attribute(x, tree$column)
    return(list(codes = core_codes_back(column), members = plain_text(column$members)))
  }
  if (tree$fun == "band") {
    standing <- core_sort_by_day(integer(x$used), core_threads())
    column <- band_column(tree, x, standing)
    return(list(codes = core_codes_back(column), members = plain_text(column$members)))
  }
  of <- worked_out_text(tree$of, x)
  of$members <- text_by_function(tree$fun, enc2utf8(of$members), tree$with)
  of
}

text_by_function <- function(fun, text, with) {
  absent <- is.na(text)
  out <- switch(fun,
    first_letters = substr(text, 1, with[[1]]),
    text_before = vapply(strsplit(text, with[[1]], fixed = TRUE),
                         function(parts) if (length(parts) > 0) parts[1] else "", ""),
    text_after = after_mark(text, with[[1]]),
    upper_case = upper_text(text),
    lower_case = lower_text(text),
    trimmed = gsub("\\s+", " ", gsub("^[\\s\u00a0]+|[\\s\u00a0]+$", "", text, perl = TRUE),
                   perl = TRUE),
    renamed = {
      at <- match(text, enc2utf8(names(with)))
      ifelse(is.na(at), text, enc2utf8(as.character(unlist(with)))[at])
    }
  )
  out[absent] <- NA
  out
}

after_mark <- function(text, mark) {
  at <- regexpr(mark, text, fixed = TRUE)
  ifelse(at > 0, substring(text, at + nchar(mark)), "")
}

band_labels <- function(edges) {
  said <- digits_text(edges)
  n <- length(edges)
  c(paste("below", said[1]), if (n > 1) paste(said[-n], "to below", said[-1]),
    paste(said[n], "and more"))
}

# Bands as ordered members: "below 10", "10 to below 100", "100 and more".
band_column <- function(tree, x, standing) {
  edges <- unlist(tree$with)
  value <- calculated(tree$of, x)
  labels <- band_labels(edges)
  code_column(findInterval(calculated_value(value), edges), factor(labels, labels, ordered = TRUE),
              standing)
}

# Calculations. Each value is exact as long as it can be: a whole number times a power of ten. Where
# one scale does for all values of a column they are list(whole, decimals); else decimals are those
# of each, and `real` holds what whole numbers do not, as list(whole, decimals, real).
calculated <- function(tree, x) {
  if (tree$node == "number") return(whole_of_values(tree$value))
  if (tree$node == "column") {
    column <- ledger_column(x, tree$column)
    values <- core_amounts_back(column)
    if (column$kind == "real") return(exact_of_each(values))
    return(one_scale(round(values * 10^column$decimals), column$decimals) %||%
             exact_of_each(values))
  }
  args <- lapply(tree$args, calculated, x = x)
  if (length(args) == 1) {
    if (tree$op == "+") return(args[[1]])
    args <- list(list(whole = 0, decimals = 0L), args[[1]])
  }
  calculated_pair(tree$op, args[[1]], args[[2]])
}

# Whole numbers up to here have 15 digits, which doubles give back.
largest_whole <- 1e15
most_exact_decimals <- 15L

one_scale <- function(whole, decimals) {
  if (decimals <= most_exact_decimals && !any(abs(whole) >= largest_whole, na.rm = TRUE))
    list(whole = whole, decimals = decimals)
}

whole_of_values <- function(value) {
  text <- digits_text(value)
  decimals <- nchar(sub("^[^.]*[.]?", "", text))
  one_scale(round(value * 10^decimals), as.integer(decimals)) %||% exact_of_each(value)
}

# Each value by as few decimals as it has.
exact_of_each <- function(values) {
  whole <- rep(NA_real_, length(values))
  decimals <- integer(length(values))
  left <- which(is.finite(values))
  for (d in 0:9) {
    if (length(left) == 0) break
    scaled <- round(values[left] * 10^d)
    holds <- abs(scaled) < largest_whole & scaled / 10^d == values[left]
    at <- left[holds]
    whole[at] <- scaled[holds]
    decimals[at] <- d
    left <- left[!holds]
  }
  real <- replace(values, !is.na(whole), NA)
  list(whole = whole, decimals = decimals, real = real,
       lost = sum(abs(values[left]) >= largest_whole / 1e4))
}

# Values as doubles: those that are not exact are rounded to 15 digits, as they are compared,
# grouped and banded.
calculated_value <- function(one) {
  if (is.null(one$real)) return(one$whole / 10^one$decimals)
  ifelse(is.na(one$whole), core_rounded_to_15(one$real), one$whole / 10^one$decimals)
}

unrounded_value <- function(one) {
  if (is.null(one$real)) return(one$whole / 10^one$decimals)
  ifelse(is.na(one$whole), one$real, one$whole / 10^one$decimals)
}

calculated_pair <- function(op, a, b) {
  plain <- is.null(a$real) && is.null(b$real) && length(a$decimals) == 1 && length(b$decimals) == 1
  if (plain && op != "/") {
    exact <- exact_pair(op, a, b)
    exact <- one_scale(exact$whole, exact$decimals)
    if (!is.null(exact)) return(exact)
  }
  real <- switch(op, "+" = unrounded_value(a) + unrounded_value(b),
                 "-" = unrounded_value(a) - unrounded_value(b),
                 "*" = unrounded_value(a) * unrounded_value(b),
                 "/" = ratio(unrounded_value(a), unrounded_value(b)))
  if (op == "/") return(exact_of_each(real))
  exact <- exact_pair(op, a, b)
  holds <- which(!is.na(exact$whole) & exact$decimals <= most_exact_decimals &
                   abs(exact$whole) < largest_whole)
  whole <- replace(rep(NA_real_, length(real)), holds, exact$whole[holds])
  decimals <- replace(integer(length(real)), holds, rep_len(exact$decimals, length(real))[holds])
  # Where whole numbers were in use and do not hold the result, digits are lost.
  lost <- is.na(whole) & !is.na(real) & !is.na(exact$whole)
  list(whole = whole, decimals = decimals, real = replace(real, holds, NA),
       lost = sum(lost) + sum(a$lost, b$lost))
}

exact_pair <- function(op, a, b) {
  if (op == "*") return(list(whole = a$whole * b$whole, decimals = a$decimals + b$decimals))
  decimals <- pmax(a$decimals, b$decimals)
  left <- a$whole * 10^(decimals - a$decimals)
  right <- b$whole * 10^(decimals - b$decimals)
  too_large <- abs(left) >= largest_whole | abs(right) >= largest_whole
  whole <- if (op == "+") left + right else left - right
  whole[which(too_large)] <- Inf
  list(whole = whole, decimals = decimals)
}

# As a column of amounts, exact where four decimals hold it. What is too large for any number is
# missing; it is said, as is what lost digits.
calculated_column <- function(one, standing) {
  values <- calculated_value(one)
  endless <- is.infinite(values)
  if (any(endless)) values[endless] <- NA
  column <- amount_column(values, standing)
  column$lost <- sum(one$lost)
  column$endless <- sum(endless)
  column
}

with_columns <- function(x, names) {
  x$columns <- x$columns[names]
  x["units"] <- list(x$units[names(x$units) %in% c(names, ledger_column_names(x))])
  with_new_handle(x)
}

# ---- calendar parts ---------------------------------------------------------------

# A ledger in memory with what its days are, as a column.
with_part <- function(x, part, on, call = caller_env()) {
  x <- in_one_piece(x)
  standing <- core_sort_by_day(integer(x$used), core_threads())
  x$columns[[part]] <- if (part == "hour") hour_column(x, on, standing, call)
                       else part_column(x, part, on, standing, call)
  with_new_handle(x)
}

hour_column <- function(x, on, standing, call) {
  times <- x$columns[[hidden_times(on)]]
  if (is.null(times)) refuse_hour(x$bases[[on]]$column, call)
  hours <- times$members %/% 3600L
  amount_column(as.double(hours[core_codes_back(times) + 1L]), standing)
}

refuse_hour <- function(column, call) {
  refuse("column", c(sprintf("`hour` needs times, and `%s` holds days alone.", column),
                     i = "Hours are those of the date basis of the statement."), call = call)
}

# Each day's value is worked out once, and then given to its entries.
part_column <- function(x, part, on, standing, call) {
  basis <- x$bases[[on]]
  days <- if (is.null(basis$offsets)) basis$data$data else entry_days(basis)
  # A day after the as-of day may lie outside a table of periods, and is in no figure.
  days[!is.na(days) & days > x$as_of] <- NA
  there <- range(days, na.rm = TRUE)
  if (!all(is.finite(there))) there <- rep(x$as_of, 2)
  values <- calendar_parts[[part]]$of_days(seq.int(there[1], there[2]), x$calendar)
  at <- days - as.integer(there[1]) + 1L
  if (!is.factor(values)) return(amount_column(values[at], standing))
  code_column((as.integer(values) - 1L)[at], factor(levels(values), levels(values),
                                                    ordered = TRUE), standing)
}
