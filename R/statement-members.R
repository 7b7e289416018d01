describe_verb("compare_members", asked_of = "ledger",
  member = field("attribute", "attribute whose members are listed as new, kept or lost",
                 value = "COLUMN", option = "members", needed = TRUE),
  now = field("phrase", "the span in which members are new or kept", value = "PHRASE",
              option = "span", needed = TRUE, more = "A phrase as in [span()]."),
  before = field("phrase", "the span that it is compared with", value = "PHRASE",
                 option = "against", needed = TRUE, more = "The same."),
  shared = list(statement = c("by", "...", "on", "where", "as_of", "scale"))
)

#' New, kept and lost members between two spans
#'
#' Every member of an attribute that was seen in one of two spans: new (only in the later), kept (in
#' both) or lost (only in the earlier), with its figures in both. A list, not only a count; the
#' counts stand below it.
#'
#' @param x A [ledger()].
#' @eval field_params("compare_members")
#'
#' @return A `cross_table`, a tibble with one row per group and member: the attributes, `standing`
#'   (text: "new", "kept" or "lost"), and the four columns of each measure as in [compare_spans()]:
#'   `income_a` (now), `income_b` (before), `income_difference`, `income_pct`. New members come
#'   first, then kept, then lost; within each, the largest first. Entries without a member are left
#'   out.
#' @section Errors:
#' As for [compare_spans()]; `rollingledger_error_choice` where `member` is not one attribute.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"))
#' moved <- compare_members(fares, "account", now = "2026", before = "2025", income = total(fare))
#' moved
#' table(moved$standing)
#' @include question-fields.R statement-.R statement-compare.R
compare_members <- with_fields("compare_members", function(x, member, now, before, by, ..., on,
                                                           where, as_of, scale) {
  check_not_measures(match.call(expand.dots = FALSE))
  check_ledger_object(x)
  compared_members(x, asked_as("compare_members"), rlang::current_env())
})

# The comparison of members that a record asks for.
compared_members <- function(x, asked, call = caller_env()) {
  force(call)
  member <- asked$member
  if (!rlang::is_string(member)) {
    refuse("choice", "{member} must name one attribute, such as \"account\".", arg = "member",
           call = call)
  }
  there <- source_column_names(x)
  member <- attributes_meant(member, there)
  asked$by <- attributes_meant(asked$by, there)
  if (member %in% asked$by) {
    refuse("choice", sprintf("`%s` cannot be in {by} and be the member that is compared.", member),
           arg = "by", call = call)
  }
  spans <- utils::modifyList(asked, list(a = asked$now, b = asked$before, by = c(asked$by, member)))
  consistent(x, function() compare_seen_members(x, asked, spans, member, call))
}

compare_seen_members <- function(x, asked, spans, member, call) {
  table <- compared_spans(x, spans, call)
  plan <- attr(table, "plan")
  x <- plan_ledger(plan)
  table <- table[!is.na(table[[member]]), ]
  groups <- group_numbers(x, plan$by, unclass(table)[plan$by], nrow(table))
  seen <- lapply(1:2, function(i) {
    group_entries(x, plan_ask(plan), groups, plan$spans$from[i], plan$spans$to[i]) > 0
  })
  # A figure that is carried forward, or of what is open, may be of members seen in neither.
  either <- seen[[1]] | seen[[2]]
  table <- table[either, ]
  seen <- lapply(seen, function(one) one[either])
  standing <- ifelse(seen[[1]], ifelse(seen[[2]], "kept", "new"), "lost")
  figure <- names(attr(table, "columns"))[1]
  size <- ifelse(standing == "lost", table[[sub("_a$", "_b", figure)]], table[[figure]])
  at <- order(match(standing, c("new", "kept", "lost")), figures_to_order(-size, plan, 1),
              na.last = TRUE)
  out <- table[at, ]
  attributes <- unclass(out)[plan$by]
  columns <- unclass(out)[names(attr(table, "columns"))]
  told <- free_name("standing", c(names(attributes), names(columns)))
  out <- new_table(c(attributes, stats::setNames(list(standing[at]), told), columns),
                            nrow = nrow(out), class = "cross_table")
  for (name in c("plan", "columns", "subject", "days_across")) attr(out, name) <- attr(table, name)
  counts <- vapply(c("new", "kept", "lost"), function(word) sum(standing == word), 0L)
  said <- listed(sprintf("%s %s", number_text(counts), names(counts)))
  attr(out, "notes") <- c(sprintf("%s: %s", member, said), attr(table, "notes"))
  with_show(out, new_question(source_facts(x)$given, NULL), "compare_members", asked)
}
