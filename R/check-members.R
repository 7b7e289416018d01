# Rows, amounts and members for the first look: what stands there twice, ends, and members alike.

# Entries that are equal in every column, or in those of the key.
repeated_entries <- function(x, facts, columns, key) {
  basis <- names(facts$dates)[1]
  names <- if (is.null(key)) columns else key
  # Which rows they are can be told only where rows have an order.
  found <- tryCatch(source_entries(x, basis, columns = names, repeated = TRUE),
                    rollingledger_error_order = function(e) NULL)
  if (is.null(found)) return(structure(tibble::tibble(), extra = NA_real_))
  told <- number_rows(unname(found$values), length(found$row))
  times <- tabulate(told$number)
  twice <- which(times > 1)
  again <- which(told$number %in% twice)
  rows <- source_facts(x)$told_rows(found$row[again])
  by_group <- split(rows, told$number[again])
  shown <- vapply(by_group, function(rows) listed(row_text(sort(rows)), most = 4), "")
  first <- told$first[twice]
  held <- if (!is.null(key)) lapply(found$values, function(values) values[first])
  out <- tibble::as_tibble(c(held, list(rows = unname(shown), count = as.double(times[twice]))))
  attr(out, "extra") <- sum(times[twice] - 1)
  out
}

amounts_checked <- function(x, facts, known) {
  basis <- facts$dates[[1]]
  figures <- function(name) {
    members <- source_members(x, name)
    values <- as.double(members$values)
    there <- !is.na(values)
    slot <- list(what = "sum", column = name, where = NULL)
    total <- source_control(x, names(facts$dates)[1], NULL, list(slot), basis$first,
                            min(basis$last, facts$as_of))
    list(column = name, smallest = min(values[there]), largest = max(values[there]), total = total,
         negative = sum(members$counts[there & values < 0]),
         zero = sum(members$counts[there & values == 0]), decimals = known[[name]]$decimals)
  }
  amounts <- Filter(function(name) !known[[name]]$is_blank, names_that_hold(known, "amounts"))
  rows <- lapply(amounts, figures)
  column <- function(what) vapply(rows, function(row) as.double(row[[what]]), 0)
  tibble::tibble(column = amounts, smallest = column("smallest"), largest = column("largest"),
                 total = column("total"), negative = column("negative"), zero = column("zero"),
                 decimals = column("decimals"))
}

# Members of text columns that are one once case, spaces and accents are overlooked.
members_alike <- function(x, known) {
  entries <- entries_used(x)
  # Where nearly every entry has a member of its own, members are no names.
  text <- Filter(function(name) length(source_members(x, name)$values) * 2 <= entries + 20,
                 names_that_hold(known, c("text", "levels")))
  found <- lapply(text, function(name) {
    members <- source_members(x, name)
    same <- groups_alike(members)
    written <- names(same)
    entries <- vapply(same, function(at) as.double(sum(members$counts[at])), 0, USE.NAMES = FALSE)
    list(column = rep(name, length(same)), members = written, entries = entries)
  })
  out <- one_table(found, list(column = character(), members = character(), entries = numeric()))
  out[order(-out$entries), ]
}

# Members that differ by case, accents or spaces alone: their numbers, the one with the most entries
# first, by how a group is written.
groups_alike <- function(members) {
  there <- which(!is.na(members$text))
  plain <- plain_letters(members$text[there])
  same <- split(there, match(plain, unique(plain)))
  same <- lapply(same[lengths(same) > 1], function(at) at[order(-members$counts[at])])
  stats::setNames(same, vapply(same, function(at) {
    listed(dQuote(with_spaces_seen(members$text[at]), FALSE), most = 4)
  }, ""))
}

# Texts that differ by spaces, with those that could not be seen: "\u2423" for one at an end or
# beside another, the number of others.
with_spaces_seen <- function(texts) {
  squeezed <- gsub("[[:space:]\u00a0\u2009\u202f]+", "", texts, perl = TRUE)
  if (!anyDuplicated(lower_text(squeezed)) || length(unique(squeezed)) == length(texts))
    return(texts)
  seen <- gsub("^ | $|(?<= ) | (?= )", "\u2423", texts, perl = TRUE)
  for (odd in c("\t", "\u00a0", "\u2009", "\u202f")) {
    seen <- gsub(odd, sprintf("<U+%04X>", utf8ToInt(odd)), seen, fixed = TRUE)
  }
  seen
}

# Members that read as totals, and are entries: what they come to is not that of other entries.
members_called_totals <- function(x, known) {
  found <- lapply(names_that_hold(known, c("text", "levels")), function(name) {
    members <- source_members(x, name)
    at <- which(!is.na(members$text) & is_total_word(members$text))
    list(column = rep(name, length(at)), member = members$text[at],
         entries = as.double(members$counts[at]))
  })
  one_table(found, list(column = character(), member = character(), entries = numeric()))
}

# Parts with the same columns, lists of vectors, as one table; `none` are the columns of none.
one_table <- function(parts, none) {
  tibble::as_tibble(lapply(stats::setNames(nm = names(none)), function(name) {
    c(none[[name]], unlist(lapply(parts, function(part) part[[name]])))
  }))
}

# Columns that tell currencies, where there are several: list(column, members) each.
currencies_beside <- function(x, columns) {
  found <- lapply(columns, function(name) {
    members <- currencies_told(x, name)
    if (length(members) > 1) list(column = name, members = members)
  })
  Filter(Negate(is.null), found)
}
