describe_verb("why_changed", asked_of = "ledger",
  now = field("phrase", "the span whose figure is explained", value = "PHRASE", needed = TRUE,
              more = "A phrase as in [span()]; a name becomes the label: `c(this = \"2026-07\")`."),
  before = field("phrase", "the span that it is held against", default = "1 year back",
                 value = "PHRASE", more = paste(
    "The same, or so many units back from {now}, such as \"1 year back\". Where one of the two is",
    "a period that is not over, as much of the other counts.")),
  by = field("attributes", "attributes and calendar parts among which to look for what stands out",
             value = "COLUMN", many = TRUE, more = paste(
    "Without any, all columns of text with 2 to 10,000 members that are no key. With {volume},",
    "the volume, mix and price are those of the members of all that are named, together.")),
  ... = field("measures", "the one measure, such as 'income=total(fare)'; entries() without any",
              option = "measure", value = "MEASURE", more = paste(
    "A total, a number of entries, a ratio of two such or an average, or a number of different",
    "members. As bare code or as text.")),
  volume = field("attribute", "the amount that is sold, such as passengers or kilos",
                 value = "COLUMN", more = paste(
    "Then the change of a total is told as volume, mix and price; entries() counts entries.")),
  unlike_goods = field("flag", "the volume counts unlike goods, in no common unit",
                       default = FALSE, more = "Volume and mix are then one line, quantity."),
  credit_notes = field("choice", "whether credit notes and other entries without a sale are apart",
                       default = "apart", choices = c("apart", "within"), value = "WORD",
                       more = paste(
    "\"apart\": volume and price are those of entries with a volume and an amount above zero.",
    "\"within\": those of all entries of a member.")),
  keep = field("number", "how many members have a line of their own", default = 5,
               value = "NUMBER"),
  depth = field("number", "how many times to look inside the member that explains most",
                default = 3, value = "NUMBER", more = "0 looks for nothing that stands out."),
  days = field("choice", "whether days are lines of their own",
               choices = c("apart", "beside"), value = "WORD", more = paste(
    "\"apart\": the number of days and their kinds (weekdays, holidays) are lines, and the others",
    "are worked out on days alike. \"beside\": they are told in words, and the other lines make",
    "the whole change. By default apart where the spans differ in their number of days.")),
  seed = field("number", "the seed of the deals that tell what is chance", default = 1,
               value = "NUMBER"),
  shared = list(statement = c("on", "where", "as_of", "known"))
)

#' Why did it change
#'
#' The change of one figure between any two spans, as lines that add up to it to the cent: days,
#' then volume, mix and price, or the members of the attribute that explains most, or newcomers and
#' lapsed members; which attribute stands out beyond chance; and what it comes to in plain
#' sentences. No cause is named that is not in the figures.
#'
#' @param x A [ledger()]; or what [stands_out()] gave, then `now` is the number of one of its lines,
#'   and `before`, if not given, the period before.
#' @eval field_params("why_changed")
#'
#' @section Lines:
#' \describe{
#'   \item{before, now}{The figure in the two spans. All lines between them add up to the change, as
#'     whole units of the measure's decimals: largest remainders get what is left, the larger amount
#'     first where they are alike.}
#'   \item{number of days, kinds of day}{What the days alone explain: each kind (seven weekdays, and
#'     holidays where the calendar has some) at its mean of both spans. A kind that one span does
#'     not have is taken to bring there what it does in the other. It is not the season.}
#'   \item{members}{Those of one attribute, by the size of their change; a rest last.}
#'   \item{volume, mix, price}{Of entries with a volume and an amount above zero, and of members in
#'     both spans, at midpoints, so that neither span comes first: more or less of all; a shift
#'     between dear and cheap members; each at another price. Volume and mix are one line, quantity,
#'     where `unlike_goods` is TRUE. With `credit_notes = "within"` of all entries of members.}
#'   \item{new, lost}{Members with such entries in one span only.}
#'   \item{credit notes and other}{All other entries.}
#'   \item{rate, mix}{Of a ratio: members at another rate, and a shift between members; new and lost
#'     ones, and those with an amount and no base, apart.}
#'   \item{newcomers, back, lapsed}{Of a number of different members: seen for the first time ever;
#'     seen before, but not in the span before; not seen any more.}
#' }
#' @section What stands out:
#' All members that change alike move no money between them. `moved` is what was moved beyond that;
#' `by_chance` what is moved on average where the days of both spans, scaled to one level, are dealt
#' to them anew within weekdays, 199 times; `p` how often that is as much. An attribute stands out
#' where p is at most 0.05, divided by the number of attributes looked at. Many members move more by
#' chance, so the difference counts. Then the other attributes are looked at within the member that
#' explains most, as long as something stands out and it explains a tenth of the change. What
#' happened on one day is not told from chance: the day is named where it holds more than half.
#' Fewer than 7 days in a span, days in both and totals that are not above zero give no p.
#'
#' @return An `explained_change`, a tibble with one row per line: `line` (text), `part` (text: what
#'   kind of line, such as "before", "days", "member", "rest", "now"), `amount` (double: what is
#'   added), `per_cent` (double: of the figure before; these add up too), `before` and `now`
#'   (double: the figure of the line's entries in each span, where it has some), `beyond_alike`
#'   (double: more than had all members changed alike; adds up to 0) and `standing` (text: "new",
#'   "kept", "lost"). Its attributes are tibbles: `members` (all members of the attribute of the
#'   lines, with what each is of each line), `attributes` (what was looked at: `attribute`,
#'   `members`, `moved`, `by_chance`, `excess`, `p`, `stands_out`), `drivers` (`depth`, `attribute`,
#'   `member`, `before`, `now`, `change`, `beyond_alike`, `day`, `day_share`), `kinds_of_day`; and
#'   `sentences`, text. Printing shows them. [entries_behind()] gives the entries of a line,
#'   [figure_bridge()] draws it.
#' @section Errors:
#' As for [compare_spans()]; `rollingledger_error_measure` for medians, extremes, balances that do
#' not add up, ratios whose base is not above zero, and for several measures;
#' `rollingledger_error_span` where spans overlap, or `now` is the earlier, and members are counted.
#' @source The midpoint is the mean over both orders in which quantity and price can be changed
#'   (Shapley's value of two factors). Largest remainders are Hamilton's method.
#' @export
#' @examples
#' fares <- ledger(demo_fares, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
#' why <- why_changed(fares, now = "2026-07", before = "2025-07", income = total(fare))
#' why
#' attr(why, "sentences")
#' entries_behind(why, line = "Tern Head")
#'
#' # Passengers, fares, and a shift between dear and cheap routes
#' why_changed(fares, "2026-07", "2025-07", income = total(fare), by = c("route", "fare_class"),
#'             volume = "passengers")
#' # A ratio, and how many accounts there were
#' why_changed(fares, "2026-07", fare = total(fare) / total(passengers), by = "route")
#' why_changed(fares, "2026-07", "2025-07", accounts = distinct(account))
#' @include question-fields.R statement-.R statement-compare.R
why_changed <- with_fields("why_changed", function(x, now, before, ..., by, volume, unlike_goods,
                                                   credit_notes, keep, depth, days, seed, on, where,
                                                   as_of, known) {
  check_not_measures(match.call(expand.dots = FALSE))
  asked <- asked_as("why_changed")
  if (inherits(x, "unusual")) {
    told <- why_of_unusual(x, asked, rlang::current_env())
    return(explained_change(told$ledger, told$asked, rlang::current_env()))
  }
  check_ledger_object(x)
  explained_change(x, asked, rlang::current_env())
})

# The explanation that a record asks for.
explained_change <- function(x, asked, call = caller_env()) {
  force(call)
  consistent(x, function() {
    why <- read_why(x, asked, call)
    consistent(plan_ledger(why$plan), function() explain_change(why, call))
  })
}

# What was asked, read: list(asked, plan, way, m, decimals, power, among, spans, days, keep, depth,
# seed, ...). Spans are 1, now, and 2, before, as the days of both are numbered.
read_why <- function(x, asked, call) {
  asked$before <- asked$before %||% fields_of("why_changed")$before$default
  asked$seed <- asked$seed %||% 1  # what was dealt can be dealt again from the record
  fields <- names(fields_of("why_changed"))
  asked <- asked[order(match(names(asked), replace(fields, fields == "...", "measures")))]
  given <- filled_fields("why_changed", asked[setdiff(names(asked), "measures")], call = call)
  for (name in c("keep", "depth", "seed")) check_whole_number(given[[name]], name, call)
  measures <- one_measure(asked$measures, call)
  spans <- spans_alike(x, asked, call)
  among <- why_attributes(x, given$by, measures, given$volume, call)
  own <- asked[intersect(names(asked), c("on", "where", "as_of", "known"))]
  if (!is.null(given$volume))
    measures <- c(measures, volume_measure(given$volume, measures, call))
  plan <- plan_of(x, c(own, list(by = as.vector(among), spans = phrase_records(spans$phrases),
                                 measures = measures)), call)
  if (length(plan$spans$from) != 2) {
    refuse("span", "{now} and {before} must both lie in the ledger's days.", call = call)
  }
  met <- currencies_together(plan, NULL)
  if (!is.null(met)) {
    refuse_currencies(met, c(i = sprintf("Keep one (%s).", sprintf(
      "{where = %s == %s}", name_text(met$name), quoted_text(met$of[1])))), call)
  }
  plan$id <- rlang::hash(list("why", asked, plan$as_of))
  plan["stretches"] <- list(NULL)
  plan$notes <- c(spans$note, if (length(attr(among, "keys")) > 0) sprintf(
    "Not looked at: %s, with a member of its own for nearly each of the first entries.",
    listed(gsub("_", " ", attr(among, "keys")))), plan$notes)
  m <- names(plan$measures)[1]
  tree <- plan$measures[[m]]
  decimals <- tree_decimals(tree)
  why <- list(asked = asked, plan = plan, m = m, tree = tree, way = way_of_change(tree, call),
              decimals = decimals, power = 10^decimals, among = plan$by,
              named = length(given$by) > 0, keep = given$keep, depth = given$depth,
              seed = given$seed, unlike_goods = given$unlike_goods,
              credit_notes = given$credit_notes,
              volume = if (!is.null(given$volume)) plan$measures[[2]])
  if (!is.null(why$volume)) check_volume(why, call)
  why$days <- lapply(1:2, function(i) seq(plan$spans$from[i], plan$spans$to[i]))
  why$apart <- length(intersect(why$days[[1]], why$days[[2]])) == 0
  why$kinds <- kinds_of_days(why$days, plan$calendar)
  days <- given$days %||% if (diff(lengths(why$days)) == 0) "beside" else "apart"
  # Of entries by month it is not known on which days they were.
  why$months <- isTRUE(source_facts(plan_ledger(plan))$dates[[plan$on]]$months)
  why$days_apart <- why$way == "sum" && days == "apart" && !why$months
  if (why$way == "distinct") check_before_now(why, call)
  why
}

check_whole_number <- function(value, name, call) {
  if (!is.numeric(value) || length(value) != 1 || is.na(value) || value < 0 ||
      value != round(value) || value > 1e9) {
    refuse("choice", sprintf("{%s} must be a whole number, 0 or more.", name), arg = name,
           call = call)
  }
}

one_measure <- function(measures, call) {
  measures <- measures %||% c(entries = "entries()")
  if (length(measures) == 1) return(measures)
  refuse_measure(c(sprintf("One measure is explained at a time, not %s: %s.",
                           number_text(length(measures)), listed(names(measures))),
                   i = "A ratio is one: fare = total(fare) / total(passengers)."), call = call)
}

# What is explained in which way: "sum", "ratio", "distinct", or "level" of what stands on a day.
way_of_change <- function(tree, call) {
  if (is_additive(tree)) return("sum")
  if (!is.null(ratio_parts(tree))) return("ratio")
  if (tree$node == "measure" && tree$fun == "distinct") return("distinct")
  if (is_level(tree) && is_part(tree)) return("level")
  text <- attr(tree, "text")
  funs <- unique(leaf_functions(tree))
  odd <- setdiff(funs, c("total", "entries", "average", "distinct"))
  says <- if (any(odd %in% c("newcomers", "returning", "lapsed")))
            "Ask for distinct(): its lines are newcomers, back and lapsed."
          else if (any(odd == "balance"))
            "A balance of members adds up where each has its own: balance(x, each = member)."
          else if (length(odd) > 0)
            "Medians and extremes of members do not add up to that of all; ask for average()."
          else "It must be a total, a count, a ratio of two of them, or one number of members."
  refuse_measure(c(sprintf("The change of `%s` cannot be told by lines that add up.", text),
                   i = says), call = call)
}

# A ratio as list(top, bottom, factor), the first two being trees whose figures add up; or NULL. An
# average is that of the sum and of the entries with an amount.
ratio_parts <- function(tree) {
  if (tree$node == "measure" && tree$fun == "average") {
    top <- utils::modifyList(tree, list(fun = "total"))
    return(list(top = top, bottom = list(node = "present", of = tree), factor = 1))
  }
  if (tree$node != "arithmetic") return(NULL)
  if (tree$op == "/" && all(vapply(tree$args, is_additive, TRUE)))
    return(list(top = tree$args[[1]], bottom = tree$args[[2]], factor = 1))
  if (tree$op != "*") return(NULL)
  number <- vapply(tree$args, function(arg) arg$node == "number", TRUE)
  if (sum(number) != 1) return(NULL)
  parts <- ratio_parts(tree$args[[which(!number)]])
  if (is.null(parts)) return(NULL)
  parts$factor <- parts$factor * tree$args[[which(number)]]$value
  parts
}

# ---- what is looked at -------------------------------------------------------

# The attributes among which something may stand out: those asked for, or all of text that have some
# members, and not one for each entry.
why_attributes <- function(x, by, measures, volume, call) {
  if (length(by) > 0) {
    by <- attributes_meant(by, source_column_names(x))
    if (anyDuplicated(by)) {
      refuse("choice", sprintf("{by} names `%s` twice.", by[anyDuplicated(by)]), arg = "by",
             call = call)
    }
    return(by)
  }
  entries <- entries_used(x)
  dates <- vapply(source_facts(x)$dates, function(date) date$column, "")
  asked <- unlist(lapply(measures, function(text) all.names(text_expression(text))))
  names <- setdiff(source_column_names(x), c(dates, asked, volume, row_columns))
  names <- names[vapply(names, function(name) {
    column <- source_column(x, name)
    column$holds %in% c("text", "levels", "ordered", "flags") && !isTRUE(column$is_blank)
  }, TRUE)]
  keys <- keys_of_many(x, names, entries)
  names <- setdiff(names, keys)
  names <- names[vapply(names, function(name) {
    members <- source_members(x, name)
    count <- length(members$values)
    count >= 2 && count <= min(10000, max(2, entries / 2)) && !are_amounts(members$text)
  }, TRUE)]
  structure(names, keys = keys)
}

# Columns of a large ledger whose first entries have nearly all a member of their own: their
# members are not listed to be counted, which is said.
keys_of_many <- function(x, names, entries, some = 5000L) {
  if (entries < 1e6 || length(names) == 0) return(NULL)
  on <- names(source_facts(x)$dates)[1]
  first <- source_facts(x)$dates[[on]]
  found <- source_entries(x, on, first$first, first$last, NULL, names, limit = some)
  if (length(found$row) < some) return(NULL)
  names[vapply(names, function(name) length(unique(found$values[[name]])) > 0.95 * some, TRUE)]
}

# Whether most of some text are numbers: amounts or counts, and no codes of as many digits each.
are_amounts <- function(text) {
  text <- trimws(text[!is_missing_mark(text, missing_marks)])
  numbers <- text[grepl("^[-+]?[0-9][0-9., ]*$", text)]
  if (length(numbers) * 2 <= length(text) || length(numbers) == 0) return(FALSE)
  digits <- nchar(numbers)
  are_codes <- all(grepl("^[0-9]+$", numbers)) && min(digits) > 1 &&
    (all(digits == digits[1]) || any(startsWith(numbers, "0")))
  !are_codes
}

# The volume as a measure, under a name that is free.
volume_measure <- function(volume, measures, call) {
  if (!rlang::is_string(volume)) {
    refuse("choice", "{volume} must name one column of amounts, such as \"passengers\".",
           arg = "volume", call = call)
  }
  stats::setNames(volume_text(volume), free_name("volume", names(measures)))
}

volume_text <- function(volume) {
  if (volume == "entries()") volume else sprintf("total(%s)", name_text(volume))
}

# Volume and price are told of entries that have both.
check_volume <- function(why, call) {
  volume <- why$volume
  if (volume$node != "measure" || !volume$fun %in% c("total", "entries")) {
    refuse("choice", "{volume} must be one column of amounts, or entries().", arg = "volume",
           call = call)
  }
  if (why$tree$node != "measure" || why$tree$fun != "total") {
    refuse("choice", c("Volume, mix and price go with a total of one column.",
                       i = sprintf("`%s` is %s.", why$m, attr(why$tree, "text"))),
           arg = "volume", call = call)
  }
  if (length(why$among) == 0) {
    refuse("choice", c("Volume, mix and price are those of members, and there are none here.",
                       i = "Name an attribute in {by}."), arg = "by", call = call)
  }
}

check_before_now <- function(why, call) {
  spans <- why$plan$spans
  if (spans$to[2] < spans$from[1]) return(invisible())
  refuse("span", c(
    sprintf("Members come and go from one span to a later one: now is %s, before %s.",
            days_text(spans$from[1], spans$to[1]), days_text(spans$from[2], spans$to[2])),
    i = "Say for {before} a span that ends before {now} begins."), call = call)
}

# ---- spans -------------------------------------------------------------------

# The two spans as named phrases, list(phrases, note): as much of the one counts as has come of the
# other, where that is a period that is not over.
spans_alike <- function(x, asked, call) {
  facts <- source_facts(x)
  on <- check_basis(asked[["on"]], facts, call)
  known <- if (!is.null(asked$known)) one_day(asked$known, "known", call)
  as_of <- statement_as_of(asked$as_of, facts, call, known)
  asked$before <- span_before(asked$now, asked$before, facts$calendar)
  resolve <- function(phrase, arg) single_span(phrase, arg, facts, on, as_of, call)
  spans <- Map(resolve, list(asked$now, asked$before), c("now", "before"))
  phrases <- c(asked$now[[1]], asked$before[[1]])
  names(phrases) <- c(spans[[1]]$label, spans[[2]]$label)
  if (names(phrases)[1] == names(phrases)[2]) names(phrases) <- c("now", "before")
  note <- NULL
  for (i in 1:2) {
    to <- same_part(spans[[i]], spans[[3 - i]], as_of)
    if (is.null(to)) next
    whole <- spans[[3 - i]]
    phrases[[3 - i]] <- paste0(iso_day(whole$from), "/", iso_day(to))
    note <- sprintf("%s counts %s, as much of it as has come of %s.", names(phrases)[3 - i],
                    days_text(whole$from, to), names(phrases)[i])
  }
  list(phrases = phrases, note = note)
}

# "1 year back" is the span now, so much earlier.
span_before <- function(now, before, calendar) {
  if (!rlang::is_string(before) || !rlang::is_string(now)) return(before)
  back <- read_phrase(paste("this day,", before), calendar)
  alone <- read_phrase(before, calendar)
  if (is.null(alone$problem) || !is.null(back$problem)) return(before)
  stats::setNames(paste0(now[[1]], ", ", before[[1]]), names(before))
}

# ---- days --------------------------------------------------------------------

# Kinds of day of the two spans, as a table.
days_by_kind <- function(why) {
  counts <- lapply(why$kinds, tabulate, nbins = 8L)
  at <- which(counts[[1]] + counts[[2]] > 0)
  new_table(list(kind = kind_names()[at], before = as.double(counts[[2]][at]),
                 now = as.double(counts[[1]][at])), nrow = length(at))
}
