describe_verb("stands_out", asked_of = "ledger",
  per = field("grain", "the grain of the periods that are looked at", default = "week",
              value = "GRAIN", choices = grains),
  by = field("attributes", "attributes whose members are looked at, beside all of them together",
             value = "COLUMN", many = TRUE, more = paste(
    "Several are levels, as with totals: `c(\"route\", \"channel\")` looks at all, at each route,",
    "and at each channel of a route.")),
  ... = field("measures", "measures by name, such as 'income=total(fare)'; entries() without any",
              option = "measure", value = "MEASURE", many = TRUE, more = paste(
    "Totals, counts, ratios of these, averages, and numbers of members. As bare code or as text.")),
  span = field("phrase", "the days whose finished periods are looked at", value = "PHRASE",
               default = "latest finished period", more = paste(
    "A phrase as in [span()]; its unit period is {per}. Periods that are not over are not looked",
    "at.")),
  share_false = field("number", "the share of what is listed that may be due to chance",
                      default = 0.1, value = "NUMBER", more = "Between 0 and 1."),
  closed = field("phrases", "days on which nothing comes in, such as 2026-12-25 or a span",
                 value = "PHRASE", many = TRUE, more = paste(
    "Nothing is expected of them, and past ones are left out of the averages.")),
  shared = list(statement = c("on", "where", "as_of", "known"))
)

#' What stands out
#'
#' Holds each member's finished period, and that of all together, against what would have been
#' expected before it began, in units of its own usual error, and lists what is farther off than
#' chance explains. "Nothing stands out" is an answer.
#'
#' @param x A [ledger()].
#' @eval field_params("stands_out")
#'
#' @section How it is told:
#' What would have been expected of a period is reckoned as in [add_expected()], from the days
#' before it alone, by the way that was least wrong in the periods before it (26 weeks, 12 months,
#' 56 days, 8 quarters, 5 years). A usual error is the root mean square of a member's own errors in
#' up to 52 weeks, 36 months, 91 days, 20 quarters or 10 years before (or 12 times as many periods
#' as are looked at), each in proportion to its size to a power between a half and one that all
#' members share. How often chance is as far off is read from the errors of all members and measures
#' in all these periods, so that a few periods of each give fine shares; a note tells where they do
#' not. Nothing where there never was nothing is farther off than any other.
#'
#' What is listed is chosen so that at most `share_false` of it is due to chance on average (by
#' Benjamini and Hochberg). Where a total stands out, a member below it is listed only where it also
#' stands out beyond the total: more than had all members moved alike.
#'
#' Numbers of different members, newcomers and the like are held against their own past periods.
#' Members with fewer than 12 past periods, each after their first 28 days, are not looked at; those
#' without entries in all of these periods have ended. Notes count both.
#'
#' @return An `unusual`, a tibble with one row per figure that stands out, the highest level first
#'   and then the farthest off: `measure` (text), the attributes (text; "(all)" for totals),
#'   `period` (text), `from`, `to` (Dates), `came`, `expected` (double), `low` and `high` (double:
#'   the range in which 8 of 10 come), `difference`, `times_usual` (double: the difference in usual
#'   errors, infinite where there never was nothing), `since` (Date: first day of the run of periods
#'   that were off to the same side by a usual error or more) and `p` (double: how often chance is
#'   as far off). Printing tells what was looked at. Its attribute `past` holds the past periods of
#'   each line. [figure_unusual()] draws one with its range, [entries_behind()] gives the entries
#'   of one, and [why_changed()] explains it against the period before.
#' @section Errors:
#' `rollingledger_error_measure` for medians, extremes, balances and what is active;
#' `rollingledger_error_span` where no finished period is in the span; `rollingledger_error_choice`
#' for a `share_false` that is not between 0 and 1.
#' @source Benjamini and Hochberg (1995), Controlling the false discovery rate, Journal of the Royal
#'   Statistical Society B 57, 289-300.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' # The week of the storm
#' found <- stands_out(fares, per = "week", by = "route", income = total(fare), trips = entries(),
#'                     span = "2025-01-20/2025-01-26")
#' found
#' entries_behind(found, line = 1)
#' why_changed(found, now = 1)
#'
#' stands_out(fares, per = "month", by = "channel", income = total(fare))
#' @include question-fields.R statement-.R statement-compare.R
stands_out <- with_fields("stands_out", function(x, per, by, ..., span, share_false, closed, on,
                                                 where, as_of, known) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  unusual_figures(x, asked_as("stands_out"), rlang::current_env())
})

# What a record asks for.
unusual_figures <- function(x, asked, call = caller_env()) {
  force(call)
  consistent(x, function() {
    look <- read_look(x, asked, call)
    consistent(plan_ledger(look$plan), function() look_for_unusual(look), look$plan$id)
  })
}

# What was asked, read: list(asked, plan, per, share, expecting, periods, choosing, tested, label),
# with the periods that are looked at after those that tell what is usual.
read_look <- function(x, asked, call) {
  fields <- names(fields_of("stands_out"))
  asked <- asked[order(match(names(asked), replace(fields, fields == "...", "measures")))]
  given <- filled_fields("stands_out", asked[setdiff(names(asked), "measures")], call = call)
  share <- given$share_false
  if (!is.numeric(share) || length(share) != 1 || is.na(share) || share <= 0 || share >= 1) {
    refuse("choice", "{share_false} must be a number between 0 and 1, such as 0.1.",
           arg = "share_false", call = call)
  }
  own <- asked[intersect(names(asked), c("by", "on", "where", "as_of", "known", "measures"))]
  plan <- plan_of(x, own, call)
  check_grain_of_months(given$per, plan$on, source_facts(plan_ledger(plan)), call)
  for (name in names(plan$measures)) check_can_look(plan$measures[[name]], given$per, call)
  taken <- intersect(plan$by, unusual_columns)
  if (length(taken) > 0) {
    refuse("column", c(
      sprintf("The name `%s` is taken: it stands for a column of the list.", taken[1]),
      i = sprintf("Work it out under another name: work_out(x, own_%s = trimmed(%s)).", taken[1],
                  taken[1])), call = call)
  }
  if (length(plan$by) > 0) check_totals(utils::modifyList(plan, list(totals = "by")), call)
  if (isTRUE(source_facts(plan_ledger(plan))$dates[[plan$on]]$months)) {
    refuse("choice", "Of entries by month it is not known on which days they were.", call = call)
  }
  plan$per <- given$per
  plan["stretches"] <- list(NULL)
  plan$id <- rlang::hash(list("unusual", asked, plan$as_of))
  look <- list(asked = asked, plan = plan, per = given$per, share = share,
               expecting = new_expecting(plan, given$closed, call))
  look <- c(look, periods_to_look_at(plan, given$span, call))
  groups <- groups_by(plan_ledger(plan), plan$by)$count
  if (as.double(groups) * length(look$periods$from) > most_figures_looked_at) {
    refuse("choice", c(sprintf("%s times %s are too many to be looked at.", count_text(
      groups, "group"), count_text(length(look$periods$from), given$per)),
      i = "Take fewer attributes in {by}, or a coarser {per}."), arg = "by", call = call)
  }
  look
}

# More would take many gigabytes.
most_figures_looked_at <- 5e7

# Columns of the list beside the attributes.
unusual_columns <- c("measure", "period", "from", "to", "came", "expected", "low", "high",
                     "difference", "times_usual", "since", "p", "told_before")

check_can_look <- function(tree, per, call) {
  if (!is.null(way_of_looking(tree))) return(invisible())
  refuse_measure(c(sprintf("`%s` cannot be held against what is expected.", attr(tree, "text")),
                   i = "It must be a total, a count, a ratio of these, or a number of members."),
                 call = call)
}

# "sum", "ratio", or "members" of what does not add up over days; NULL for anything else.
way_of_looking <- function(tree) {
  if (is_additive(tree)) return("sum")
  if (!is.null(ratio_parts(tree))) return("ratio")
  if (tree$node == "measure" && tree$fun %in% c("distinct", "newcomers", "returning", "lapsed"))
    "members"
}

# How many periods tell what is usual, and by how many the way is chosen; the periods of a year.
periods_back <- list(day = c(91, 56, 364), week = c(52, 26, 52), month = c(36, 12, 12),
                   quarter = c(20, 8, 4), year = c(10, 5, 1))

look_back <- function(per) periods_back[[sub("^fiscal ", "", per)]]

# list(periods, choosing, tested): whole periods in order, those that only choose ways, and the last
# ones, which are looked at.
periods_to_look_at <- function(plan, span, call) {
  refuse_none <- function(...) refuse("span", c(...), call = call)
  phrases <- phrases_in_grain(phrase_of_grain(span, plan$per, call), plan$per, plan$calendar, call)
  days <- resolve_phrases(phrases, plan$calendar, plan$as_of, plan$first, call)
  if (length(days$from) != 1) refuse_none("{span} must be one stretch of days.")
  from <- max(days$from, plan$first, na.rm = TRUE)
  to <- min(days$to, plan$as_of)
  if (from > to)
    refuse_empty_span(days$label, days$from, days$to, plan, call)
  all <- periods_between(plan$first, plan$as_of, plan$per, plan$calendar, call)
  tested <- which(all$complete & all$from >= from & all$to <= to)
  if (length(tested) == 0) {
    refuse_none(sprintf("No finished %s lies in %s (%s).", plan$per, days_text(from, to),
                        days$label),
                i = sprintf("The newest that is over: span = \"latest finished %s\".", plan$per))
  }
  back <- look_back(plan$per)
  past <- which(all$complete & all$to < all$from[tested[1]])
  # So many that one of the figures looked at can be told from chance.
  usual <- max(back[1], 12L * length(tested))
  past <- utils::tail(past, usual + back[2])
  at <- c(past, tested)
  list(periods = lapply(all[c("label", "from", "to")], function(column) column[at]),
       choosing = max(0L, length(past) - usual), tested = length(tested), label = days$label)
}
