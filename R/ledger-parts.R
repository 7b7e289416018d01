# A ledger to which entries were appended holds them beside those it had. What needs all entries at
# a time puts them together; what adds up asks each part.

is_appended <- function(x) !is.null(x$parts)

# A ledger with its parts put together, once: what needs all entries at a time asks for it.
in_one_piece <- function(x) {
  if (!is_appended(x)) return(x)
  handle_object(x$handle, "whole", function() put_together(x))
}

put_together <- function(x) {
  base <- x$parts$base
  added <- x$parts$added
  order <- core_sort_by_day(c(entry_days(base$bases[[1]]), entry_days(added$bases[[1]])),
                            core_threads())
  out <- x
  out$parts <- NULL
  out$columns <- Map(function(known, a, b) {
    if (is_code_column(known))
      return(packed_codes(c(core_codes_back(a), core_codes_back(b)), known$members, order))
    if (known$kind == "day") return(day_column(c(a$data, b$data), order))
    if (known$kind == "exact64" && known$decimals == 0L) {
      bits <- core_put_bits(c(core_bits_back(a), core_bits_back(b)), order$sorter, core_threads())
      return(utils::modifyList(known, list(data = bits)))
    }
    joined <- amount_column(c(core_amounts_back(a), core_amounts_back(b)), order)
    joined$has_missing <- known$has_missing  # the parts are asked the same figures as the whole
    joined
  }, x$columns, base$columns, added$columns[names(x$columns)])
  for (name in names(x$bases)[-1]) {
    out$bases[[name]]$data <- day_column(
      c(base$bases[[name]]$data$data, added$bases[[name]]$data$data), order)
  }
  out$rows <- core_put_codes(c(source_rows(base), source_rows(added)), order$sorter, 4L,
                             core_threads())
  with_new_handle(out)
}

# The parts in which a ledger's entries are held.
ledger_parts <- function(x) if (is_appended(x)) list(x$parts$base, x$parts$added) else list(x)
