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
#'     all of the text, or nothing, where there is none \cr
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
  with_told(out, "work_out", columns = as.list(texts))
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

with_needed <- function(x, need, on, call = caller_env()) {
  for (part in need$parts) {
    x <- source_with(x, list(step = "part", part = part, on = on), call)
    x$worked_parts <- union(x$worked_parts, part)
  }
  for (text in need$texts) {
    x <- source_with(x, list(step = "work_out", name = text,
                             tree = read_worked_out(text, x, call)), call)
  }
  x
}

# ---- in memory -------------------------------------------------------------------

# A ledger in memory with one more column.
with_worked_out <- function(x, name, tree, call = caller_env()) {
  out <- with_column(x, name, tree)
  if (out$columns[[name]]$kind == "real") {
    tell(sprintf("`%s` has more than four decimals, so its sums are rounded in the last digits.",
                 name), "rollingledger_message_rounded")
  }
  out$steps <- c(x$steps, list(list(name = name, tree = tree)))
  out
}

with_column <- function(x, name, tree) {
  x <- in_one_piece(x)
  standing <- core_sort_by_day(integer(x$used), core_threads())
  x$columns[[name]] <- worked_out_values(tree, x, standing)
  unit <- worked_out_unit(tree, x$units)
  if (!is.null(unit)) x$units[[name]] <- unit
  renewed(x)
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

# Calculations on whole numbers of the smallest decimal, in doubles, as long as these hold them
# exactly: list(whole, decimals); list(real) beyond that.
calculated <- function(tree, x) {
  if (tree$node == "number") return(whole_of_values(tree$value))
  if (tree$node == "column") {
    column <- ledger_column(x, tree$column)
    values <- core_amounts_back(column)
    if (column$kind == "real") return(list(real = values))
    return(exact_or_real(round(values * 10^column$decimals), column$decimals, values))
  }
  args <- lapply(tree$args, calculated, x = x)
  if (length(args) == 1) {
    if (tree$op == "+") return(args[[1]])
    args <- list(list(whole = 0, decimals = 0L), args[[1]])
  }
  calculated_pair(tree$op, args[[1]], args[[2]])
}

largest_whole <- 2^53

exact_or_real <- function(whole, decimals, values) {
  if (any(abs(whole) >= largest_whole, na.rm = TRUE)) list(real = values)
  else list(whole = whole, decimals = decimals)
}

whole_of_values <- function(value) {
  text <- digits_text(value)
  decimals <- nchar(sub("^[^.]*[.]?", "", text))
  exact_or_real(round(value * 10^decimals), as.integer(decimals), value)
}

calculated_value <- function(one) if (is.null(one$real)) one$whole / 10^one$decimals else one$real

calculated_pair <- function(op, a, b) {
  values <- function() {
    switch(op, "+" = calculated_value(a) + calculated_value(b),
           "-" = calculated_value(a) - calculated_value(b),
           "*" = calculated_value(a) * calculated_value(b),
           "/" = ratio(calculated_value(a), calculated_value(b)))
  }
  if (!is.null(a$real) || !is.null(b$real) || op == "/") return(list(real = values()))
  if (op == "*") return(exact_or_real(a$whole * b$whole, a$decimals + b$decimals, values()))
  decimals <- max(a$decimals, b$decimals)
  left <- a$whole * 10^(decimals - a$decimals)
  right <- b$whole * 10^(decimals - b$decimals)
  if (any(abs(left) >= largest_whole, abs(right) >= largest_whole, na.rm = TRUE))
    return(list(real = values()))
  exact_or_real(if (op == "+") left + right else left - right, decimals, values())
}

# As a column of amounts, exact where four decimals hold it.
calculated_column <- function(one, standing) {
  amount_column(calculated_value(one), standing)
}

with_columns <- function(x, names) {
  x$columns <- x$columns[names]
  x["units"] <- list(x$units[names(x$units) %in% c(names, ledger_column_names(x))])
  renewed(x)
}

# ---- calendar parts ---------------------------------------------------------------

# A ledger in memory with what its days are, as a column.
with_part <- function(x, part, on, call = caller_env()) {
  x <- in_one_piece(x)
  standing <- core_sort_by_day(integer(x$used), core_threads())
  x$columns[[part]] <- if (part == "hour") hour_column(x, on, standing, call)
                       else part_column(x, part, on, standing, call)
  renewed(x)
}

hour_column <- function(x, on, standing, call) {
  hours <- x$columns[[hidden_hours(on)]]
  if (is.null(hours)) refuse_hour(x$bases[[on]]$column, call)
  amount_column(as.double(hours$members[core_codes_back(hours) + 1L]), standing)
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
