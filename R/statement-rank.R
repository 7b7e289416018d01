describe_verb("add_rank", asked_of = "statement", flag = "rank",
  m = field("measure", "measure to rank by", value = "MEASURE", needed = TRUE,
            more = "The name of one of the statement's measures, bare or as text."),
  within = field("choices", "what is ranked together: period, span or attributes", many = TRUE,
                 default = "period", choices = function(plan) c("period", "span", plan$by),
                 value = "WORD", more = paste(
    "\"period\": the groups of each period, by the row's own figure. \"span\": the groups by their",
    "figure over the whole span, the same rank in every period. Or names of attributes: the groups",
    "of each period and member of them, `c(\"route\", \"channel\")`.")),
  keep = field("number", "ranks to keep, 1 to so many; all without it", value = "NUMBER",
               more = paste(
    "With members on equal ranks there may be more of them; a note says so. Not on a statement",
    "that holds a rest already: what it left out would be in no row.")),
  rest = field("text", "label of one row per period for all others", value = "TEXT",
               with = "keep"),
  ties = field("choice", "how equal figures rank", default = "share",
               choices = c("share", "dense", "order"), value = "WORD", more = paste(
    "\"share\": the same rank, and the next one after as many as they are (1, 1, 3). \"dense\":",
    "the same rank, and the next one follows (1, 1, 2). \"order\": in the order of the rows (1, 2,",
    "3).")),
  first = field("choice", "which figure ranks first", default = "largest",
                choices = c("largest", "smallest"), value = "WORD"),
  missing = field("choice", "where a member that is missing ranks", default = "last",
                  choices = c("last", "ranked"), value = "WORD", option = "missing-rank",
                  more = paste(
    "\"last\": after all members, whatever its figure, which a note says. \"ranked\": by its",
    "figure, as any member.")),
  name = field("text", "name of the new column, by default the measure's followed by `_rank`",
               value = "NAME")
)

#' Add a rank, and keep the leaders
#'
#' Ranks the groups by a measure, the largest first: within each period (a period's own days: a
#' month with its year), or within the whole span, or within the members of an attribute. With
#' `keep`, only the leaders stay, in order of rank within each period; with `rest`, one row per
#' period stands for all others, worked out from their entries in every column of figures. Ranked
#' are the rows that the statement has: take rows away afterwards, not before.
#'
#' @param s A [statement()] with attributes in `by`.
#' @eval field_params("add_rank")
#'
#' @return The statement with one more column of doubles, the rank; missing for a missing figure, a
#'   total or the rest. A note says how many members appear where the leaders change.
#' @section Errors:
#' `rollingledger_error_measure` for a measure that the statement does not have, amounts of several
#' currencies in one rest, or a name that is taken; `rollingledger_error_choice` where there is
#' nothing to rank, or `keep`, `rest`, `within` or `ties` do not fit.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' statement(fares, per = "month", by = "route", span = "latest 3 months", income = total(fare)) |>
#'   add_rank(income, keep = 3, rest = "All other routes")
#' statement(fares, per = "quarter", by = "route", span = "2026", riders = distinct(account)) |>
#'   add_rank(riders, within = "span")
#' @include question-fields.R statement-kinds.R statement-steps.R
add_rank <- with_fields("add_rank", function(s, m, within, keep, rest, ties, first, missing,
                                             name) {
  take_verb_step("add_rank")
})

register_verb("add_rank", add = function(s, plan, args, call) {
  check_ranking(plan, args$within, args$keep, args$rest, call)
  if (!is.null(args$rest)) check_currencies_apart(
    plan, names(plan$measures), intersect(args$within, plan$by), function(name) sprintf(
      "Rank within it ({within = \"%s\"}), or leave {rest} out.", name), call)
  name <- new_column_name(s, args$name %||% paste0(args$m, "_rank"), call)
  rows <- current_rows(s, call)
  ranks <- ranks_of_rows(plan, args$m, rows, args)
  column <- list(kind = "rank", measure = args$m, decimals = 0L, unit = NULL,
                 within = args$within, keep = args$keep)
  # Where it would have been ahead of a member, it is told.
  lost <- any(vapply(rows$values[setdiff(plan$by, args$within)], anyNA, TRUE))
  if (lost && args$missing == "last" &&
      !identical(ranks, ranks_of_rows(plan, args$m, rows, replace(args, "missing", "ranked"))))
    column$notes <- sprintf("%s: %s is ranked last, whatever its figure", name, member_text(NA))
  s <- add_column(s, name, ranks, column)
  if (is.null(args$keep)) return(s)
  keep_leaders(s, name, rows, args$keep, args$rest)
})

# A rank is no figure of what is left over.
no_values <- function(plan, column, rows) rep(NA_real_, rows_count(rows))

register_kind("rank", values = no_values)

check_ranking <- function(plan, within, keep, rest, call = caller_env()) {
  refuse_ranking <- function(arg, ...) refuse("choice", c(...), arg = arg, call = call)
  if (is.null(plan$by))
    refuse_ranking("by", "There is nothing to rank: the statement has no attributes.",
                   i = "Name them in {by}, such as by = \"route\".")
  ranked <- setdiff(plan$by, within)
  if (length(within) > 1 && !all(within %in% plan$by))
    refuse_ranking("within", "{within} must be \"period\", \"span\" or names of attributes.",
                   i = "Attributes are taken within each period as it is.")
  if (length(ranked) == 0)
    refuse_ranking("within", sprintf("{within} = \"%s\" leaves nothing to rank.", listed(within)),
                   i = "The statement needs another attribute in {by}.")
  if (!is.null(keep) &&
      (!is.numeric(keep) || length(keep) != 1 || is.na(keep) || keep < 1 || keep != round(keep))) {
    refuse_ranking("keep", "{keep} must be a whole number from 1, such as 3.")
  }
  if (!is.null(keep) && !is.null(plan$rest)) {
    refuse_ranking("keep",
                   sprintf(
                     paste0("The statement already holds a rest (\"%s\"): what a second ranking ",
                            "left out would be in no row."), plan$rest$label),
                   i = "Rank and keep once, or leave {keep} out for the ranks alone.")
  }
  if (is.null(rest)) return(invisible())
  if (is.null(keep))
    refuse_ranking("rest", "{rest} stands for what {keep} leaves over; say how many to keep.")
  if (!rlang::is_string(rest) || !nzchar(rest))
    refuse_ranking("rest", "{rest} must be one text, such as \"All other routes\".")
  if (length(ranked) > 1) {
    refuse_ranking("rest",
                   sprintf("{rest} needs one attribute that is ranked, and there are %s.",
                           listed(ranked)),
                   i = sprintf("Rank within one of them, such as within = \"%s\".", plan$by[1]))
  }
  if (plan$anchor == "group")
    refuse_ranking("rest",
                   "Groups with days of their own ({anchor = \"group\"}) have no rest in common.")
  if (rest %in% c(total_text, plan_members(plan, ranked)$text)) {
    refuse_ranking("rest", sprintf("`%s` has a member called \"%s\".", ranked, rest),
                   i = "Give the rest another name.")
  }
}

# Ranks of ordinary rows among those they are ranked with.
ranks_of_rows <- function(plan, m, rows, args) {
  within <- args$within
  n <- rows_count(rows)
  ranked <- which(rows$level == length(plan$by) & rows$set == 0L)
  if (length(ranked) == 0) return(rep(NA_real_, n))
  every <- length(ranked) == n
  some <- if (every) rows else rows_select(rows, ranked)
  whole <- identical(within, "span")
  if (whole) {
    days <- row_spans(plan, some)
    windows <- new_windows(some$group, days$from, days$to)
    values <- window_values(plan$measures[[m]], plan_ledger(plan), plan_ask(plan), windows)
  } else {
    values <- measure_values(plan, m, rows)
    if (!every) values <- values[ranked]
  }
  among <- if (whole && !is.null(plan$per) &&
               is.null(plan$anchors)) core_distinct_days(windows$from)$at * 2L - some$overall
           else periods_told_apart(plan, some)
  if (all(within %in% plan$by))
    among <- number_rows(c(list(among), unname(some$values[within])), length(ranked))$number
  members <- some$values[setdiff(plan$by, within)]
  if (whole) {
    # Rows of one group are ranked once.
    told <- number_rows(list(among, some$group), length(ranked))
    values <- values[told$first]
    among <- among[told$first]
    members <- lapply(members, function(own) own[told$first])
  }
  if (args$first == "largest") values <- -values
  values <- figures_to_order(values, plan, m)
  if (args$missing == "last") values <- missing_after(values, members)
  ranks <- ranks_within(values, among, args$ties)
  if (whole) ranks <- ranks[told$number]
  if (every) return(ranks)
  out <- rep(NA_real_, n)
  out[ranked] <- ranks
  out
}

# Figures in which members that are missing follow all others, in order among themselves.
missing_after <- function(values, members) {
  can <- vapply(members, function(own) is.factor(own) || anyNA(own), TRUE)
  lost <- Reduce(`|`, lapply(members[can], function(own) is.na(plain_text(own))),
                 logical(length(values)))
  if (!any(lost)) return(values)
  place <- places_of_figures(values)
  place + ifelse(lost, max(place, 0, na.rm = TRUE), 0)
}

# Figures by which rows are ranked or sorted: exact amounts are as they are, of others those that
# are alike are the same.
figures_to_order <- function(values, plan, m) {
  tree <- plan$measures[[m]]
  if (!is.null(tree) && is_decimal(tree)) values else places_of_figures(values)
}

# Numbers that tell the periods, or spans, of rows apart: by their days, since two parts of a period
# have one label. Totals over periods stand apart. Spans, and periods of groups with days of their
# own, are told by their labels.
periods_told_apart <- function(plan, rows) {
  n <- length(rows$to)
  if (is.null(plan$per) || !is.null(plan$anchors))
    return(number_rows(list(rows$period), n)$number)
  core_distinct_days(rows$from)$at * 2L - rows$overall
}

# Rank of each value in its group, the least first.
ranks_within <- function(values, group, ties) {
  core_ranks(order(group, values), values, group, ties)
}

# Only rows up to a rank, with a row for the rest of each period where asked for; totals stay.
keep_leaders <- function(s, name, rows, keep, rest) {
  plan <- attr(s, "plan")
  column <- attr(s, "columns")[[name]]
  ordinary <- rows$level == length(plan$by) & rows$set == 0L
  stays <- !ordinary | !is.na(s[[name]]) & s[[name]] <= keep
  ranked <- setdiff(plan$by, column$within)
  attr(s, "columns")[[name]]$notes <- c(
    column$notes, leader_notes(s, name, rows, stays & ordinary, keep, ranked))
  if (is.null(rest)) {
    s <- s[stays, ]
    return(s[rows_in_order(s, plan, s[[name]], within = parents_of(plan, column)), ])
  }
  parents <- parents_of(plan, column)
  place <- number_rows(c(list(periods_told_apart(plan, rows)), unname(rows$values[parents])),
                           nrow(s))$number
  left <- which(!stays)
  dropped <- left[!duplicated(place[left])]
  leads <- which(stays & ordinary)
  kept <- unname(split(plain_text(rows$values[[ranked]][leads]),
                       factor(place[leads], levels = place[dropped])))
  # Sets of the same members, in whatever order, are one.
  members <- unique(unlist(kept))
  sets <- vapply(kept, function(own) rlang::hash(sort(match(own, members))), "")
  of_dropped <- function(columns) lapply(columns, function(column) column[dropped])
  plan$rest <- list(
    label = rest, attribute = ranked, parents = parents,
    kept = kept[!duplicated(sets)], sets = match(sets, unique(sets)),
    rows = rest_rows(of_dropped(rows[c("period", "from", "to")]), of_dropped(rows$values[parents]))
  )
  plan$id <- rlang::hash(list(plan$id, plan$rest))
  last <- numeric(max(place, 0))
  last[place[ordinary]] <- which(ordinary)
  last <- last[place[dropped]]
  with_rest(s, plan, stays, dropped, last, name)
}

# The attributes within whose members ranks are.
parents_of <- function(plan, column) intersect(plan$by, column$within)

# Puts the rows of the rest after the leaders they go with, whose last row is given, and these in
# order of their ranks.
with_rest <- function(s, plan, stays, dropped, last, name) {
  attribute <- plan$rest$attribute
  columns <- attr(s, "columns")
  levels <- if (is.factor(s[[attribute]])) s[[attribute]] else character()
  members <- labelled_members(levels, plan$rest$label)
  at <- c(which(stays), dropped)
  is_rest <- rep(c(FALSE, TRUE), c(sum(stays), length(dropped)))
  sorted <- order(c(which(stays), last + 0.5))
  out <- s[at[sorted], ]
  text <- plain_text(out[[attribute]])
  out[[attribute]] <- if (!is.factor(members)) text
                      else factor(text, levels = levels(members), ordered = is.ordered(members))
  is_rest <- is_rest[sorted]
  sorted <- rows_in_order(out, plan, replace(out[[name]], is_rest, NA), rest = is_rest,
                          within = parents_of(plan, columns[[name]]))
  out <- out[sorted, ]
  is_rest <- is_rest[sorted]
  out[[attribute]][is_rest] <- plan$rest$label
  attr(out, "plan") <- plan
  rows <- current_rows(out)
  some <- rows_select(rows, which(is_rest))
  for (name in intersect(names(columns), names(out))) {
    out[[name]][is_rest] <- column_values(columns[[name]], plan, some)
  }
  now <- unclass(out)
  keep_rows(plan, now[c("period", "from", "to", plan$by)],
            now[intersect(names(plan$measures), names(now))], rows)
  out
}

# More members than were kept appear where the leaders change, and where some share a rank.
leader_notes <- function(s, name, rows, leads, keep, ranked) {
  leads <- which(leads)
  rows <- rows_select(rows[c("period", "from", "to", "overall", "values")], leads)
  shown <- rows$values[ranked]
  appear <- number_rows(unname(shown), length(leads))$count
  plan <- attr(s, "plan")
  what <- if (length(ranked) == 1) plural_text(ranked) else "groups"
  place <- number_rows(c(list(periods_told_apart(plan, rows)),
                       unname(rows$values[setdiff(plan$by, ranked)])), length(leads))$number
  together <- tabulate(place)
  is_kept <- sprintf("%s %s kept", number_text(keep), if (keep == 1) "is" else "are")
  # Where one place shows all that appear, ties alone explain that there are more than are kept.
  c(if (appear > max(keep, together))
      sprintf("%s: %s %s appear though %s: the leaders change", name, number_text(appear), what,
              is_kept),
    if (any(together > keep)) sprintf("%s: more than %s where some share a rank", name, is_kept))
}
