describe_verb("keep_entries", asked_of = "ledger",
  condition = field("condition", "a condition on single entries, as bare code or text",
                    option = FALSE, needed = TRUE, more = "As for `where` in [statement()].")
)

#' Keep some of a ledger's entries
#'
#' A condition on single entries, before any summing. The new ledger knows nothing of the others:
#' its first day and the first entries of members are those of the entries kept. The as-of day
#' stays. `where =` in [statement()] limits one statement instead.
#'
#' @param x A [ledger()].
#' @eval field_params("keep_entries")
#' @return A `ledger`; printing it shows the condition and how many entries passed, and were kept
#' out.
#' @section Errors:
#' `rollingledger_error_measure` or `rollingledger_error_column` for a condition that is not
#' understood; `rollingledger_error_source` where no entry passes.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' keep_entries(fares, channel == "web" & fare > 0)
#' @include question-fields.R
keep_entries <- function(x, condition) {
  check_ledger_object(x)
  keep_entries_where(x, rlang::enquo(condition))
}

keep_entries_where <- function(x, quo, call = caller_env()) {
  text <- condition_text(quo, call)
  if (is.null(text)) return(x)
  # What is worked out for the condition is there for that long.
  asked <- ledger_asked(x, list(text), NULL, names(source_facts(x)$dates)[1], call)
  where <- text_condition(text, asked, call)
  out <- source_with(asked, list(step = "keep", where = where), call)
  extra <- setdiff(source_column_names(asked), source_column_names(x))
  if (length(extra) > 0) {
    out <- source_with(out, list(step = "without", columns = extra), call)
    out$worked_parts <- setdiff(out$worked_parts, extra)
  }
  note_step(out, "keep_entries", condition = text)
}

# A ledger in memory with the entries that pass a condition.
with_kept <- function(x, step, call = caller_env()) {
  x <- in_one_piece(x)
  where <- step$where
  out <- keep_passing(x, where)
  if (out$used == 0) {
    refuse("source",
           c(sprintf("No entry passes %s.", attr(where, "text")),
             i = sprintf("The ledger has %s.", count_text(x$used, "entry", "entries"))),
           call = call)
  }
  said <- c(attr(x$kept$where, "text"), attr(where, "text"))
  out$kept <- list(where = structure(list(), text = paste(said, collapse = " and ")),
                   of = x$kept$of %||% x$used)
  out$steps <- c(x$steps, list(list(where = where)))
  check_entry_counts(out)
}

# The ledger of the entries that pass a condition; one without entries is only part of a ledger.
keep_passing <- function(x, where) {
  chosen <- core_chosen_entries(cube_request(x, x$bases[[1]], where, list(entry_count)))
  out <- x
  out$used <- length(chosen)
  if (length(chosen) == 0) return(out)
  order <- core_sort_by_day(entry_days(x$bases[[1]])[chosen], core_threads())
  out$bases[[1]][c("first", "last", "offsets")] <- list(
    order$first, order$first + length(order$offsets) - 2L, order$offsets)
  for (name in names(x$bases)[-1]) {
    out$bases[[name]]$data <- day_column(x$bases[[name]]$data$data[chosen], order)
    out$bases[[name]] <- basis_within(out$bases[[name]], x$as_of)
  }
  out$rows <- source_rows(x)[chosen]
  out$columns <- lapply(x$columns, some_of_column, chosen = chosen, order = order)
  with_new_handle(out)
}

some_of_column <- function(column, chosen, order) {
  if (is_code_column(column)) {
    codes <- core_codes_back(column)[chosen]
    held <- sort(unique(codes))
    # Levels, and TRUE and FALSE, are members though no entry has them; a missing one is not.
    if (is.factor(column$members) || is.logical(column$members))
      held <- sort(union(held, which(!is.na(column$members)) - 1L))
    return(packed_codes(match(codes, held) - 1L, column$members[held + 1L], order))
  }
  if (column$kind == "day") return(day_column(column$data[chosen], order))
  if (column$kind == "exact64" && column$decimals == 0L) {
    bits <- core_put_bits(column$data[chosen], order$sorter, core_threads())
    return(utils::modifyList(column, list(data = bits, sum_of_sizes = core_sum_of_sizes(bits))))
  }
  amount_column(core_amounts_back(column)[chosen], order)
}
