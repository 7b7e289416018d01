#' New, kept and lost members between two spans
#'
#' Every member of an attribute that was seen in one of two spans: new (only in the later), kept (in both) or lost (only in
#' the earlier), with its figures in both. A list, not only a count; the counts stand below it.
#'
#' @param x A [ledger()].
#' @param member Text of length one: the attribute whose members are compared, such as "account".
#' @param now,before Text of length one: phrases as in [span()]; a name becomes the label.
#' @param by,...,on,where,as_of As in [statement()]. With `by`, members are compared within each group.
#'
#' @return A `cross_table`, a tibble with one row per group and member: the attributes, `standing` (text: "new", "kept" or
#'   "lost"), and the four columns of each measure as in [compare_spans()]: `income_a` (now), `income_b` (before),
#'   `income_difference`, `income_pct`. New members come first, then kept, then lost; within each, the largest first. Entries
#'   without a member are left out.
#' @section Errors:
#' As for [compare_spans()]; `rollingledger_error_choice` where `member` is not one attribute.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' moved <- compare_members(fares, "account", now = "2026", before = "2025", income = total(fare))
#' moved
#' table(moved$standing)
compare_members <- function(x, member, now, before, by = NULL, ..., on = NULL, where = NULL, as_of = NULL) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  if (!rlang::is_string(member)) refuse("choice", "`member` must name one attribute, such as \"account\".", arg = "member")
  if (member %in% by) refuse("choice", sprintf("`%s` cannot be in `by` and be the member that is compared.", member), arg = "by")
  table <- compare_spans(x, now, before, by = c(by, member), ..., on = on, where = !!rlang::enquo(where), as_of = as_of)
  plan <- attr(table, "plan")
  table <- table[!is.na(table[[member]]), ]
  seen <- lapply(1:2, function(i) {
    groups <- cube_groups(plan_cube(plan), unclass(table)[plan$by])
    group_entries(plan_cube(plan), groups, plan$spans$from[i], plan$spans$to[i]) > 0
  })
  standing <- ifelse(seen[[1]], ifelse(seen[[2]], "kept", "new"), "lost")
  figure <- names(attr(table, "columns"))[1]
  size <- ifelse(standing == "lost", table[[sub("_a$", "_b", figure)]], table[[figure]])
  at <- order(match(standing, c("new", "kept", "lost")), -size, na.last = TRUE)
  out <- table[at, ]
  attributes <- unclass(out)[plan$by]
  columns <- unclass(out)[names(attr(table, "columns"))]
  out <- tibble::new_tibble(c(attributes,
                              stats::setNames(list(standing[at]),
                                              free_name("standing",
                                                        c(names(attributes),
                                                          names(columns)))), columns), nrow = nrow(out), class = "cross_table")
  for (name in c("plan", "columns", "subject")) attr(out, name) <- attr(table, name)
  counts <- vapply(c("new", "kept", "lost"), function(word) sum(standing == word), 0L)
  attr(out, "notes") <- c(sprintf("%s: %s", plan$by[length(plan$by)], listed(sprintf("%s %s", number_text(counts), names(counts)))), attr(table, "notes"))
  out
}
