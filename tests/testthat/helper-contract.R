# What every source must answer, whatever it is made of: the narrow questions of source-.R, compared
# with a table of the same entries, in which each is looked at.

own <- function(name) get(name, envir = asNamespace("rollingledger"))

# `x` is a ledger of `table`, whose columns are those of random_fares(); the days of `sailed_on` are
# its first date basis, those of `booked_on` its second. Counts what it compared, by kind.
# `keys` are the row numbers by which the source knows the rows of the table.
expect_source_contract <- function(x, table, tries = 6, keys = seq_len(nrow(table))) {
  table$.row <- keys
  counts <- c(cells = 0, rebuilt = 0, lists = 0, entries = 0, control = 0, members = 0, passing = 0)
  contract_facts(x, table)
  counts["members"] <- contract_members(x, table)
  for (try in seq_len(tries)) {
    on <- sample(c("sailed", "booked"), 1)
    by <- list(character(), "route", c("route", "channel"), "account",
               c("account", "until_on"))[[sample(5, 1)]]
    where <- random_contract_condition(x)
    ask <- own("new_ask")(on, by, where$tree, random_slots(x))
    counts <- counts + contract_cells(x, table, ask, where)
    counts["lists"] <- counts[["lists"]] + contract_lists(x, table, ask, where)
    counts["entries"] <- counts[["entries"]] + contract_entries(x, table, on, where)
    counts["control"] <- counts[["control"]] + contract_control(x, table, ask, where)
    counts["passing"] <- counts[["passing"]] + contract_passing(x, table)
  }
  contract_with(x, table)
  invisible(counts)
}

days_on <- function(table, on) as.integer(table[[paste0(on, "_on")]])

contract_facts <- function(x, table) {
  facts <- own("source_facts")(x)
  expect_identical(facts$counts$used, nrow(table))
  expect_identical(facts$counts$read,
                   facts$counts$used + facts$counts$kept_out + facts$counts$aside)
  for (on in c("sailed", "booked")) {
    days <- days_on(table, on)
    days <- days[!is.na(days) & days <= facts$as_of]
    expect_identical(as.integer(facts$dates[[on]][c("first", "last")]), range(days), info = on)
    held <- facts$dates[[on]]$held(days[1] + c(0L, -4000L), days[1] + c(0L, -3999L))
    expect_identical(held, c(TRUE, FALSE), info = on)
  }
  expect_setequal(own("source_column_names")(x), setdiff(names(table), ".row"))
  fare <- own("source_column")(x, "fare")
  if (!all(is.na(table$fare))) expect_identical(fare$has_missing, anyNA(table$fare))
  expect_identical(fare$holds, "amounts")
  expect_identical(own("source_column")(x, "until_on")$holds, "days")
  expect_error(own("source_column")(x, "fair"), "Did you mean `fare`",
               class = "rollingledger_error_column")
  expect_s3_class(own("source_set_aside")(x), "tbl_df")
}

# Members in order, with the entries of each, and found again by their values.
contract_members <- function(x, table) {
  n <- 0
  for (name in c("route", "channel", "account", "until_on", "fare")) {
    members <- own("source_members")(x, name)
    values <- table[[name]]
    expect_identical(anyDuplicated(members$values), 0L)
    expect_setequal(as.character(members$values), as.character(unique(values)))
    expect_identical(order(members$values, method = "radix"), order(members$rank), info = name)
    right <- vapply(members$values, function(member) sum(values %in% member), 0L)
    expect_identical(members$counts, unname(right), info = name)
    found <- own("members_found")(members, values)
    expect_identical(as.character(members$values[found + 1L]), as.character(values), info = name)
    if (!is.numeric(values))
      expect_identical(own("members_found")(members, rep(values[1], 2)[0]), integer())
    n <- n + length(members$values)
  }
  expect_identical(own("members_found")(own("source_members")(x, "route"), c("Nowhere", "NA")),
                   c(-1L, -1L))
  n
}

# list(tree, test): a condition as the source reads it, and as a function of the table.
random_contract_condition <- function(x) {
  some <- list(
    list(text = NULL, test = function(t) rep(TRUE, nrow(t))),
    list(text = "channel == \"web\"", test = function(t) t$channel %in% "web"),
    list(text = "!(route == \"Oysterby\")",
         test = function(t) !is.na(t$route) & t$route != "Oysterby"),
    list(text = "fare > 10 | is_missing(account)",
         test = function(t) (!is.na(t$fare) & t$fare > 10) | is.na(t$account)),
    list(text = "until_on >= \"2023-06-01\" & has_text(route, \"OY\")",
         test = function(t) !is.na(t$until_on) & t$until_on >= as.Date("2023-06-01") &
         grepl("oy", t$route, ignore.case = TRUE))
  )
  one <- some[[sample(length(some), 1)]]
  one$tree <- own("text_condition")(one$text, x)
  one
}

random_slots <- function(x) {
  web <- own("text_condition")("channel == \"web\"", x)
  list(own("entry_count"), list(what = "sum", column = "fare", where = NULL),
       list(what = "present", column = "fare", where = NULL),
       list(what = "sum", column = "fare", where = web))[c(1, sort(sample(2:4, 2)))]
}

# Random windows of groups: list(group, from, to, before).
random_windows <- function(groups, days, n = 30) {
  from <- sample(seq.int(min(days) - 20L, max(days) + 5L), n, TRUE)
  to <- from + sample(c(0L, 6L, 40L, 400L), n, TRUE)
  list(group = sample(seq_len(groups$count) - 1L, n, TRUE), from = from, to = to,
       before = function() from - 30L)
}

# Which entries of the table a window holds.
window_rows <- function(x, table, on, values, windows, i, where) {
  days <- days_on(table, on)
  held <- !is.na(days) & days <= own("source_facts")(x)$as_of & days >= windows$from[i] &
    days <= windows$to[i] & where$test(table)
  for (name in names(values)) held <- held &
    as.character(table[[name]]) %in% as.character(values[[name]][i])
  held
}

contract_cells <- function(x, table, ask, where) {
  groups <- own("groups_by")(x, ask$by)
  days <- days_on(table, ask$on)
  # What is made of stretches of days comes before cells by day are there.
  if (runif(1) < 0.7) contract_stretches(x, table, ask, where, groups, days[!is.na(days)])
  windows <- random_windows(groups, days[!is.na(days)])
  expect_figures(x, table, ask, where, groups, windows)
  # The same cells as rows, and a cube of those.
  rows <- cells_as_rows(x, ask)
  exact <- own("source_column")(x, "fare")
  of_slot <- function(slot) if (slot$what != "sum") 0L else if (exact$exact) exact$decimals else -1L
  decimals <- vapply(ask$slots, of_slot, 0L)
  rebuilt <- cells_of_rows(rows, groups, decimals)
  if (is.null(rebuilt))
    return(c(cells = length(windows$group), rebuilt = 0, lists = 0, entries = 0, control = 0,
             members = 0, passing = 0))
  for (k in seq_along(ask$slots)) {
    again <- own("core_evaluate")(rebuilt$cube, k - 1L,
                                  own("core_group_numbers")(rebuilt$groups, unname(
                                    own("groups_codes")(groups, windows$group))) |>
                                    (function(g) if (length(ask$by) == 0)
                                      integer(length(windows$group)) else g)(), windows$from,
                                  windows$to, 1L)
    direct <- own("values_in_windows")(x, ask, ask$slots[[k]], windows)
    if (decimals[k] < 0) expect_equal(again, direct, tolerance = 1e-12)
    else expect_identical(again, direct)
  }
  c(cells = length(windows$group), rebuilt = length(rows$day), lists = 0, entries = 0, control = 0,
    members = 0, passing = 0)
}

# The figures of each slot, beside those of a look at each entry.
expect_figures <- function(x, table, ask, where, groups, windows) {
  values <- own("groups_values")(groups, windows$group)
  for (slot in ask$slots) {
    got <- own("values_in_windows")(x, ask, slot, windows)
    right <- vapply(seq_along(windows$group), function(i) {
      held <- window_rows(x, table, ask$on, values, windows, i, where)
      if (!is.null(slot$where)) held <- held & table$channel %in% "web"
      if (slot$what == "count") sum(held) else if (slot$what == "present")
        sum(!is.na(table$fare[held])) else sum(table$fare[held], na.rm = TRUE)
    }, 0)
    expect_equal(got, right, tolerance = 1e-12)
  }
}

# Windows made of stretches of days, some empty, some made of other stretches, and the stretches in
# which groups have entries.
contract_stretches <- function(x, table, ask, where, groups, days) {
  local_stretches()
  ends <- sort(unique(c(sample(seq(min(days) - 3L, max(days) + 3L), sample(2:9, 1), TRUE),
                        min(days) - 4L)))
  n <- 12
  from <- sample(length(ends) - 1L, n, TRUE)
  to <- pmax(from - 1L, sample(length(ends) - 1L, n, TRUE))
  windows <- list(group = sample(own("all_groups")(groups), n, TRUE), from = ends[from],
                  to = ends[to + 1L] - 1L)
  ask$stretches <- as.integer(ends)
  if (runif(1) < 0.3) ask$stretches <- as.integer(range(ends) + 1:2)
  expect_figures(x, table, ask, where, groups, windows)
  numbers <- sample(own("all_groups")(groups))
  held <- own("held_periods")(x, ask, numbers, ends[-length(ends)], ends[-1] - 1L)
  grid <- expand.grid(group = numbers, at = seq_len(length(ends) - 1L))
  counts <- own("values_in_windows")(x, ask, own("entry_count"), list(
    group = grid$group, from = ends[grid$at], to = ends[grid$at + 1L] - 1L))
  expect_identical(held$group, grid$group[counts > 0])
  expect_identical(held$period, grid$at[counts > 0])
  expect_identical(held$figures[[1]], counts[counts > 0])
}

# Cells by stretches of days also where there are few.
local_stretches <- function(frame = parent.frame()) {
  force(frame)
  package <- asNamespace("rollingledger")
  for (name in c("most_day_cells", "most_cells_sent")) local({
    name <- name
    before <- get(name, envir = package)
    put <- function(fun) {
      unlockBinding(name, package)
      assign(name, fun, envir = package)
      lockBinding(name, package)
    }
    put(function() 0)
    withr::defer(put(before), frame)
  })
}

# list(cube, groups): cells as another source would send them, exact sums as whole numbers of 64
# bits.
cells_of_rows <- function(rows, groups, decimals) {
  n <- length(rows$day)
  if (n == 0) return(NULL)
  mixed <- sample(n)
  keys <- Map(function(code, members) list(kind = "code32", data = code[mixed],
                                           members = seq_along(members$values)), unname(rows$codes),
              unname(groups$members))
  numbered <- own("core_groups")(keys, n, 1L)
  # Groups without a cell have no number where combinations are many.
  if (own("core_group_facts")(numbered)$groups < groups$count) return(NULL)
  slots <- Map(function(values, places) {
    if (places < 0) values[mixed]
    else unclass(bit64::as.integer64(round(values[mixed] * 10^places)))
  }, rows$slots, decimals)
  slots <- lapply(slots, function(values) {
    attributes(values) <- NULL
    values
  })
  list(cube = own("core_cube_of_cells")(rows$day[mixed], numbered, slots, decimals, min(rows$day),
                                        max(rows$day), 1L), groups = numbered)
}

contract_lists <- function(x, table, ask, where) {
  groups <- own("groups_by")(x, ask$by)
  days <- days_on(table, ask$on)
  windows <- random_windows(groups, days[!is.na(days)], 12)
  values <- own("groups_values")(groups, windows$group)
  there <- !is.na(days) & days <= own("source_facts")(x)$as_of
  slow <- function(what, i) {
    held <- window_rows(x, table, ask$on, values, windows, i, where)
    fares <- table$fare[held & !is.na(table$fare)]
    seen <- unique(table$account[held & !is.na(table$account)])
    switch(what,
      distinct = length(seen),
           newcomers = length(setdiff(seen, table$account[there & days < windows$from[i]])),
      smallest = if (length(fares) == 0) NA else min(fares),
           largest = if (length(fares) == 0) NA else max(fares),
      middle = if (length(fares) == 0) NA else stats::median(fares),
      latest = {
        windows$from[i] <- -700000L
        known <- which(window_rows(x, table, ask$on, values, windows, i, where) &
                       !is.na(table$fare))
        if (length(known) == 0) NA else table$fare[known[order(days[known], known)]][length(known)]
      })
  }
  for (what in c("distinct", "newcomers", "smallest", "largest", "middle", "latest")) {
    slot <- list(what = what, column = if (what %in% c("distinct", "newcomers")) "account"
                                       else "fare", where = NULL)
    got <- own("values_in_windows")(x, ask, slot, windows)
    expect_equal(got, vapply(seq_along(windows$group), function(i) as.double(slow(what, i)), 0),
                 info = what)
  }
  length(windows$group) * 6
}

contract_entries <- function(x, table, on, where) {
  days <- days_on(table, on)
  from <- sample(days[!is.na(days)], 1) - 30L
  found <- own("source_entries")(x, on, from, from + 90L, where$tree,
                                 c("fare", "account", "until_on"))
  held <- which(!is.na(days) & days <= own("source_facts")(x)$as_of & days >= from &
                days <= from + 90L & where$test(table))
  held <- held[order(days[held], held)]
  expect_identical(as.double(found$row), as.double(table$.row[held]))
  expect_identical(as.integer(found$day), days[held])
  expect_equal(found$values$fare, table$fare[held])
  expect_identical(found$values$account, table$account[held])
  expect_identical(found$values$until_on, table$until_on[held])
  length(held)
}

contract_control <- function(x, table, ask, where) {
  days <- days_on(table, ask$on)
  ends <- sort(sample(days[!is.na(days)], 2, TRUE))
  slots <- ask$slots[vapply(ask$slots, function(slot) slot$what != "present" && is.null(slot$where),
                            TRUE)]
  got <- own("source_control")(x, ask$on, ask$where, slots, ends[1], ends[2])
  held <- !is.na(days) & days >= ends[1] & days <= ends[2] & days <= own("source_facts")(x)$as_of &
    where$test(table)
  right <- vapply(slots, function(slot) if (slot$what == "count") sum(held)
                                        else sum(table$fare[held], na.rm = TRUE), 0)
  expect_equal(got, right, tolerance = 1e-12)
  length(slots)
}

# Members of another table pass by the same rules.
contract_passing <- function(x, table) {
  routes <- unique(c(as.character(table$route), "Elsewhere"))
  got <- own("source_passing")(x, list(route = routes),
                               own(
                                 "text_condition")("route == \"Oysterby\" | is_missing(route)", x))
  expect_identical(got, which(is.na(routes) | routes == "Oysterby"))
  length(routes)
}

# What a step gives is a source again.
contract_with <- function(x, table) {
  web <- table$channel == "web"
  if (!any(web)) return(invisible())
  kept <- own("source_with")(x,
                             list(step = "keep",
                                  where = own("text_condition")("channel == \"web\"", x)))
  facts <- own("source_facts")(kept)
  expect_identical(facts$counts$used, sum(web))
  expect_identical(facts$counts$kept_out, own("source_facts")(x)$counts$kept_out + sum(!web))
  found <- own("source_entries")(kept, "sailed", -700000L, 2000000L, NULL, "channel")
  expect_setequal(as.double(found$row),
                  as.double(table$.row[web & as.integer(table$sailed_on) <= facts$as_of]))
}

# Cells as rows: list(day, codes, slots), a row per day and group that has entries. What a
# source elsewhere would send.
cells_as_rows <- function(x, ask) {
  groups <- groups_by(x, ask$by)
  basis <- source_facts(x)$dates[[ask$on]]
  days <- seq.int(basis$first, basis$last)
  held <- held_periods(x, ask, all_groups(groups), days, days)
  list(day = days[held$period], codes = groups_codes(groups, held$group),
       slots = unname(held$figures))
}
environment(cells_as_rows) <- asNamespace("rollingledger")
