# Members and groups of a ledger in an engine, as they are met: what a question sends back tells
# those of its days, and only who needs all of them has the engine list them. Both are numbered in
# the order in which they are met, so that numbers stay the same when others come.

# Numbers from 0 of values of a column; new ones are added to those that are known.
codes_met <- function(x, name, values) {
  members <- x$looked$members[[name]] %||% first_members(x, name)
  codes <- match(values, members$values)
  if (anyNA(codes)) {
    new <- unique(values[is.na(codes)])
    members$values <- with_new_values(members$values, new)
    members$object <- NULL
    codes <- match(values, members$values)
  }
  x$looked$members[[name]] <- members
  codes - 1L
}

with_new_values <- function(values, new) {
  if (is.null(values)) return(new)
  if (is.factor(values)) {
    values[length(values) + seq_along(new)] <- new
    return(values)
  }
  c(values, new)
}

# Levels, and both flags, are members though no entry has them.
first_members <- function(x, name) {
  column <- column_sql(x, name)
  if (column$type == "flag") return(list(values = c(FALSE, TRUE), complete = FALSE))
  if (is.null(column$levels)) return(list(values = NULL, complete = FALSE))
  list(values = factor(column$levels, column$levels, ordered = isTRUE(column$ordered)),
       complete = FALSE)
}

# The members met so far, as of new_members().
members_met <- function(x, name) {
  members <- x$looked$members[[name]] %||% first_members(x, name)
  if (is.null(members$object)) {
    values <- members$values %||% member_sql(x, name)$back(character())
    members$object <- new_members(values, function() source_members(x, name)$counts)
    x$looked$members[[name]] <- members
  }
  members$object
}

source_members.engine_ledger <- function(x, name, call = caller_env()) {
  source_column(x, name, call)
  members <- x$looked$members[[name]]
  if (isTRUE(members$complete)) return(members$object)
  found <- members_counted(x, name)
  # Those met before keep their numbers; the others follow in their order.
  sorted <- found$values[order(found$values, method = "radix")]
  codes_met(x, name, sorted)
  values <- x$looked$members[[name]]$values
  counts <- found$counts[match(values, found$values)]
  counts[is.na(counts)] <- 0
  if (sum(counts) < 2^31) counts <- as.integer(counts)
  x$looked$members[[name]] <- list(values = values, complete = TRUE,
                                   object = new_members(values, function() counts))
  x$looked$members[[name]]$object
}

# Every member with its entries, counted by the engine: list(values, counts).
members_counted <- function(x, name) {
  member <- member_sql(x, name)
  rows <- asked_rows(x, list(v = member$of),
                     list(v = member$out("v"), n = count_out(x)),
                     used_sql(x, names(x$on)[1]), member$joins, group = "v", fold = "rows")
  values <- member$back(rows$v)
  counts <- as.double(rows$n)
  if (anyDuplicated(values) == 0) return(list(values = values, counts = counts))
  # Days of times, and what stands for nothing, may come apart.
  known <- unique(values)
  list(values = known, counts = as.double(tapply(
    counts, factor(match(values, known), seq_along(known)), sum)))
}

# ---- groups --------------------------------------------------------------------------

# Attributes as they are selected and read: list(of, out, back, joins).
members_sent <- function(x, by) {
  each <- lapply(by, function(name) member_sql(x, name))
  names(each) <- sprintf("g%d", seq_along(by))
  list(by = by, of = lapply(each, function(one) one$of),
       out = Map(function(one, alias) one$out(alias), each, names(each)),
       back = lapply(each, function(one) one$back),
       joins = unlist(lapply(each, function(one) one$joins)))
}

# Member numbers from 0 of what was sent, a vector per attribute.
codes_sent <- function(x, sent, rows) {
  codes <- Map(function(alias, back, name) codes_met(x, name, back(rows[[alias]])),
               names(sent$of), sent$back, sent$by)
  stats::setNames(codes, sent$by)
}

by_name <- function(by) rlang::hash(as.character(by))

# The groups met so far: list(pointer, codes, sizes, complete).
groups_met <- function(x, by) {
  known <- x$looked$groups[[by_name(by)]]
  if (is.null(known)) {
    known <- list(codes = stats::setNames(lapply(by, function(name) integer()), by),
                  complete = FALSE)
  }
  # What finer groups are of has been met as well.
  for (finer in x$looked$groups) {
    if (all(by %in% names(finer$codes)) && !identical(names(finer$codes), as.character(by))) {
      known <- with_groups(x, known, finer$codes[by])
    }
  }
  with_groups(x, known, NULL)
}

# Groups with those of some rows of member numbers, numbered anew where there are new ones.
with_groups <- function(x, known, codes) {
  by <- names(known$codes)
  sizes <- vapply(by, function(name) {
    max(1L, length(x$looked$members[[name]]$values))
  }, 0L)
  fits <- !is.null(known$pointer) && identical(sizes, known$sizes)
  if (!is.null(codes) && length(codes[[by[1]]]) > 0) {
    if (!fits) known$pointer <- core_groups_listed(unname(known$codes), sizes)
    fits <- TRUE
    new <- which(core_group_numbers(known$pointer, unname(codes[by])) < 0L)
    if (length(new) > 0) {
      known$codes <- Map(function(a, b) c(a, b[new]), known$codes, codes[by])
      fits <- FALSE
    }
  }
  if (!fits) {
    known$pointer <- core_groups_listed(unname(known$codes), sizes)
    # Each combination once.
    numbers <- core_group_members(known$pointer,
                                  seq_len(core_group_facts(known$pointer)$groups) - 1L)
    known$codes <- stats::setNames(numbers, by)
  }
  known$sizes <- sizes
  x$looked$groups[[by_name(by)]] <- known
  known
}

# Notes the groups of rows that were sent.
meet_groups <- function(x, by, codes) {
  if (length(by) > 0) with_groups(x, groups_met(x, by), codes)
}

source_groups.engine_ledger <- function(x, by, complete = TRUE, within = NULL) {
  if (!is.null(within)) {
    # The rows that are needed anyway, so that their groups are met before they are listed.
    rows <- rows_known(x, within$ask, within$from, within$to)
    meet_groups(x, by, rows$codes)
  }
  if (length(by) == 0) return(new_groups(core_groups(list(), 0, 1L), by, list(), met = 0L))
  known <- groups_met(x, by)
  if (complete && !known$complete) {
    members <- lapply(by, function(name) source_members(x, name))
    counts <- vapply(members, function(one) length(one$values), 0L)
    codes <- if (prod(as.double(counts)) <= most_by_arithmetic) {
      rev(unname(expand.grid(lapply(rev(counts), function(n) seq_len(n) - 1L))))
    } else groups_that_occur(x, by)
    codes <- stats::setNames(lapply(codes, as.integer), by)
    known <- with_groups(x, groups_met(x, by), codes)
    known$complete <- TRUE
    x$looked$groups[[by_name(by)]] <- known
  }
  new_groups(known$pointer, by, lapply(by, function(name) members_met(x, name)),
             met = core_group_facts(known$pointer)$groups)
}

# So many combinations are listed though not all of them occur.
most_by_arithmetic <- 200000

groups_that_occur <- function(x, by) {
  sent <- members_sent(x, by)
  rows <- asked_rows(x, sent$of, sent$out, used_sql(x, names(x$on)[1]), sent$joins,
                     group = names(sent$of), fold = "rows")
  codes_sent(x, sent, rows)
}

# Groups as of the core, of rows whose member numbers are known.
groups_of_rows <- function(x, by, codes, n) {
  if (length(by) == 0) return(core_groups(list(), n, 1L))
  known <- with_groups(x, groups_met(x, by), codes[by])
  core_groups_of_numbers(known$pointer, core_group_numbers(known$pointer, unname(codes[by])))
}
