# A ledger in memory as a source: its columns, and its day cube, filled by the core.

# A cube: the core's object and what is needed to ask it. `slots` are as of measure_slots(); figures that are no sums
# come from lists, made when they are first asked for.
memory_cube <- function(x, on, by, where, slots, basis = NULL) {
  kept <- kept_cube(x, on, by, where, slots, basis)
  if (!is.null(kept)) return(kept)
  joined <- if (is_appended(x) && is.null(basis)) joined_cube(x, on, by, where, slots)
  if (!is.null(joined)) return(joined)
  x <- whole_ledger(x)
  part <- !is.null(basis)
  basis <- basis %||% x$bases[[on]]
  keys <- lapply(by, function(name) ledger_attribute(x, name))
  cube <- new_cube(core_build_cube(cube_request(x, basis, where, slots), keys, core_threads()), x, on, by, where, slots, basis)
  if (!part) keep_cube(cube)
  cube
}

new_cube <- function(pointer, x, on, by, where, slots, basis) {
  list(
    pointer = pointer, slots = slots, keys = vapply(slots, slot_key, ""),
    members = lapply(stats::setNames(nm = by), function(name) ledger_attribute(x, name)$members),
    x = x, on = on, by = by, where = where, basis = basis, lists = new.env(parent = emptyenv())
  )
}

# The cubes of the parts of a ledger as one, or NULL where all entries must be looked at together.
joined_cube <- function(x, on, by, where, slots) {
  if (!all(vapply(by, function(name) is_code_column(ledger_column(x, name)), TRUE))) return(NULL)
  # A ledger's first date basis is its own order; another needs the days up to the as-of day as they are now.
  if (on != names(x$bases)[1]) return(NULL)
  parts <- lapply(ledger_parts(x), function(part) memory_cube(part, on, by, where, slots)$pointer)
  members <- vapply(by, function(name) length(ledger_column(x, name)$members), 0L)
  pointer <- core_joined_cube(parts, as.integer(members), x$used)
  if (!is.null(pointer)) new_cube(pointer, x, on, by, where, slots, x$bases[[on]])
}

# Cubes that a ledger was asked for are kept with it, the last few and only small ones, so that a question asked again, or
# asked once entries are appended, need not look at entries again.
cube_key <- function(on, by, where, slots) rlang::hash(list(on, by, where, lapply(slots, slot_key)))

kept_cube <- function(x, on, by, where, slots, basis) {
  if (is_appended(x) || !is.null(basis)) return(NULL)
  kept <- x$cubes[[cube_key(on, by, where, slots)]]
  if (is.null(kept) || core_cube_is_gone(kept$pointer)) return(NULL)
  cube <- new_cube(kept$pointer, x, on, by, where, slots, x$bases[[on]])
  cube$lists <- kept$lists
  cube
}

keep_cube <- function(cube) {
  most <- getOption("rollingledger.kept_cubes", 4)
  held <- cube$x$cubes
  if (most < 1 || core_cube_facts(cube$pointer)$bytes > 2^26) return(invisible())
  number <- (held$number %||% 0) + 1
  assign("number", number, envir = held)
  assign(cube_key(cube$on, cube$by, cube$where, cube$slots), list(pointer = cube$pointer, lists = cube$lists, number = number), envir = held)
  keys <- setdiff(ls(held), "number")
  numbers <- vapply(keys, function(key) held[[key]]$number, 0)
  rm(list = keys[numbers <= number - most], envir = held)
}

# The cube of the same figures for some of its attributes, put together from its cells where it can be.
coarser_cube <- function(cube, by) {
  if (identical(by, cube$by)) return(cube)
  keys <- lapply(by, function(name) ledger_attribute(cube$x, name))
  pointer <- core_coarser_cube(cube$pointer, match(by, cube$by) - 1L, keys, cube$x$used, core_threads())
  if (is.null(pointer)) return(memory_cube(cube$x, cube$on, by, cube$where, cube$slots))
  cube$pointer <- pointer
  cube["by"] <- list(by)
  cube$members <- lapply(stats::setNames(keys, by), function(key) key$members)
  cube$lists <- new.env(parent = emptyenv())
  cube
}

# `basis` is one of the ledger's date bases, or the like of one.
cube_request <- function(x, basis, where, slots) {
  wheres <- c(list(where), lapply(slots, function(slot) slot$where))
  conditions <- unique(Filter(Negate(is.null), wheres))
  condition_number <- function(tree) if (is.null(tree)) -1L else match(list(tree), conditions) - 1L
  list(
    entries = x$used, first = basis$first, last = basis$last, offsets = basis$offsets,
    days = if (is.null(basis$offsets)) basis$data$data,
    conditions = lapply(conditions, condition_steps, x = x), where = condition_number(where),
    slots = lapply(slots, function(slot) {
      list(what = slot$what, condition = condition_number(slot$where),
           column = if (!is.null(slot$column)) x$columns[[slot$column]])
    })
  )
}

# A basis with the entries of some days only.
part_of_basis <- function(basis, from, to) {
  from <- max(from, basis$first)
  to <- min(to, basis$last)
  if (from > to) to <- from <- min(max(from, basis$first), basis$last)
  if (!is.null(basis$offsets)) basis$offsets <- basis$offsets[seq.int(from - basis$first + 1L, to - basis$first + 2L)]
  basis$first <- from
  basis$last <- to
  basis
}

# Positions of the entries of some days that pass a condition.
chosen_entries <- function(x, basis, from, to, where) {
  if (from > basis$last || to < basis$first) return(integer())
  core_chosen_entries(cube_request(x, part_of_basis(basis, from, to), where, list(entry_count)))
}

# Figures of one slot over windows (group numbers from 0, first and last days).
cube_figures <- function(cube, slot, windows) {
  if (slot$what == "open") return(open_figures(cube, slot, windows))
  if (!slot$what %in% sum_figures) return(list_figures(cube, slot, windows))
  at <- match(slot_key(slot), cube$keys)
  core_evaluate(cube$pointer, at - 1L, windows$group, windows$from, windows$to, core_threads())
}

# Group numbers from 0 of rows given by their attribute values, -1 where there is no such group.
cube_groups <- function(cube, values) {
  codes <- Map(function(column, members) {
    # Beside totals all kinds of members are text.
    if (is.factor(members) || is.character(column))
      match(plain_text(column), plain_text(members)) - 1L
    else match(column, members) - 1L
  }, values, cube$members)
  core_group_numbers(cube$pointer, unname(codes))
}

# Attribute values of groups.
cube_group_values <- function(cube, groups) {
  codes <- core_group_members(cube$pointer, groups, length(cube$members))
  Map(function(members, code) members[code + 1L], cube$members, codes)
}

# A condition as steps for the core, operands first. What can be settled on the members of an
# attribute is settled there, so that no text is compared per entry.
condition_steps <- function(tree, x) {
  sub <- function(a) condition_steps(a, x)
  switch(tree$node,
    constant = list(list(op = "constant", table = if (tree$answer) 2L else 0L)),
    both = c(sub(tree$a), sub(tree$b), list(list(op = "&"))),
    either = c(sub(tree$a), sub(tree$b), list(list(op = "|"))),
    negate = c(sub(tree$a), list(list(op = "!"))),
    list(leaf_step(tree, ledger_column(x, tree$column), x))
  )
}

leaf_step <- function(tree, column, x) {
  # Large whole numbers are the same where their digits are.
  if (is_large(column) && (tree$node == "among" || isTRUE(tree$op %in% c("==", "!="))))
    column <- ledger_attribute(x, tree$column)
  if (is_code_column(column)) return(list(op = "table", column = column, table = member_answers(tree, column$members)))
  switch(tree$node,
    missing = list(op = "missing", column = column),
    # What a column without a single value was compared with may be text.
    among = list(op = "one_of", column = column,
                 values = sort(suppressWarnings(as.double(tree$values)))),
    compare = list(op = tree$op, column = column, values = suppressWarnings(as.double(tree$value)))
  )
}

# 2 true, 1 unknown, 0 false, for each member.
member_answers <- function(tree, members) {
  absent <- is.na(members)
  text <- if (is.factor(members)) as.character(members) else members
  # Days and times held as text compare as far as the value says: a day with the days.
  part <- function(value) if (is.null(tree$letters)) text else substr(text, 1, nchar(value))
  answers <- switch(tree$node,
    missing = absent,
    among = if (is.null(tree$letters)) text %in% tree$values
            else Reduce(`|`, lapply(tree$values, function(value) part(value) == value),
                        logical(length(text))),
    holds = holds_text(text, tree$text),
    compare = switch(tree$op,
      "==" = part(tree$value) == tree$value,
      "!=" = part(tree$value) != tree$value,
      ordered_answers(tree$op, if (is.null(tree$letters)) members else part(tree$value), tree$value)
    )
  )
  out <- ifelse(answers, 2L, 0L)
  if (tree$node != "missing") out[absent] <- 1L
  as.integer(out)
}

# Whether texts hold a piece of text, whatever the case of its letters: by Unicode's simple case
# folding (the Unicode Standard, CaseFolding.txt, status C and S), the same in every locale.
holds_text <- function(text, piece) {
  if (!nzchar(piece)) return(!is.na(text))
  grepl(paste0("(*UTF)\\Q", gsub("\\E", "\\E\\\\E\\Q", enc2utf8(piece), fixed = TRUE), "\\E"),
        enc2utf8(text), ignore.case = TRUE, perl = TRUE)
}

# Earlier or later in the order of the members: by level for ordered factors, by bytes for text.
ordered_answers <- function(op, members, value) {
  order <- if (is.ordered(members)) levels(members)
  if (is.factor(members)) members <- as.character(members)
  both <- c(members, value)
  place <- match(both, order %||% sort(unique(both), method = "radix"))
  compare <- match.fun(op)
  compare(place[seq_along(members)], place[length(both)])
}
