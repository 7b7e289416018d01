# A row of a statement as a question of its own: its days as a phrase, its group as a condition.

# A condition on members, as text.
members_condition <- function(column, members, missing = FALSE) {
  name <- name_text(column)
  held <- if (length(members) == 1) sprintf("%s == %s", name, value_text(members))
          else if (length(members) > 1)
            sprintf("%s %%in%% c(%s)", name,
                    paste(vapply(members, value_text, ""), collapse = ", "))
  if (!missing) return(held)
  absent <- sprintf("is_missing(%s)", name)
  if (is.null(held)) absent else paste(held, "|", absent)
}

# What an explanation of a figure needs: list(span, where, figure), its days as a phrase, its group
# as a condition and its measure; NULL where a row is no group of its own.
figure_that_changed <- function(s, row, figure) {
  plan <- statement_info(s)
  column <- columns_of(s)[[figure]]
  rest <- if (is.null(plan$rest)) FALSE
          else plain_text(s[[plan$rest$attribute]])[row] %in% plan$rest$label
  if (rest || !is.null(plan$anchors)) return(NULL)
  own <- Filter(function(name) !plain_text(s[[name]])[row] %in% total_members(plan), plan$by)
  where <- vapply(own, function(name) {
    member <- s[[name]][row]
    if (is.na(member)) members_condition(name, character(), TRUE)
    else if (is.logical(member)) paste0(if (!member) "!", name_text(name))
    else if (is.numeric(member) && !is_day_column(member))
      sprintf("%s == %s", name_text(name), digits_text(member))
    else members_condition(name, plain_text(member))
  }, "")
  from <- day_numbers(s$from[row])
  to <- day_numbers(s$to[row])
  days <- tryCatch(resolve_phrase(s$period[row], "", plan$calendar, plan$as_of, plan$first),
                   rollingledger_error = function(e) NULL)
  same <- length(days$to) == 1 && identical(c(max(days$from, plan$first), min(days$to,
                                                                             plan$as_of)),
                                            c(from, to))
  list(span = if (same) s$period[row] else paste(iso_day(from), iso_day(to), sep = "/"),
       where = if (length(where) > 0)
         paste(ifelse(grepl(" | ", where, fixed = TRUE), sprintf("(%s)", where), where),
               collapse = " & "),
       figure = column$measure %||% figure)
}
