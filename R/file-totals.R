# Lines of totals among the rows of a file. A line is a total by its words and by its amounts, which
# are the sums of rows above it; by its words alone it is an entry, as a supplier may be called so.

total_stems <- paste0("(grand |sub|sub-)?(totals?|sum|sums|summe|gesamt|gesamtsumme|endsumme|",
                      "zwischensumme|total g[^ ]{1,2}n[^ ]{1,2}ral|sous-total|totaal|",
                      "subtotaal|totale|subtotale|suma|soma|somme|razem)")
total_words <- paste0("^[[:space:]]*", total_stems, "(?![[:alnum:]\\xc3-\\xdf])[ :.-]*")

# Letters of the words alone are looked at, so that texts need not be taken for letters first.
is_total_word <- function(text) {
  grepl(total_words, text, ignore.case = TRUE, perl = TRUE, useBytes = TRUE)
}

# Takes the lines of totals out of what was read of one file, and tells them.
without_totals <- function(read, ask) {
  texts <- Filter(is.character, as.list(read$table))
  called <- lapply(texts, function(values) {
    members <- members_of_text(values)
    total <- members[is_total_word(members)]
    if (length(total) > 0) which(values %in% total)
  })
  candidates <- sort(unique(unlist(called)))
  if (length(candidates) == 0 || length(candidates) > 5000) return(read)
  totals <- candidates[are_sums(read$table, candidates, called, ask)]
  if (length(totals) == 0 || length(totals) == nrow(read$table)) return(read)
  n <- nrow(read$table)
  lines <- lines_of_rows(read$numbering, n)
  cells <- lapply(read$table[totals, , drop = FALSE], plain_text)
  value <- vapply(seq_along(totals), function(i) {
    fields <- vapply(cells, function(column) column[i], "")
    shortened_text(paste(fields[!is.na(fields) & nzchar(fields)], collapse = " | "), 80L)
  }, "")
  read$apart <- rbind(read$apart, data.frame(line = lines[totals], reason = "total line",
                                             value = value))
  read$table <- without_members(read$table)[-totals, , drop = FALSE]
  row.names(read$table) <- NULL
  read$numbering$at <- lines[-totals]
  as_text <- read$as_text
  read$as_text <- function(name) as_text(name)[-totals]
  read
}

# Which of some rows hold the sums of rows above them: of all, of those since the last total, or of
# those of the member that they name or share.
are_sums <- function(table, candidates, called, ask) {
  columns <- names(table)[!is_named_like(names(table), words_of_codes)]
  amounts <- Filter(Negate(is.null), Map(amounts_for_sums, table[columns], columns,
                                         MoreArgs = list(ask = ask, odd = length(candidates))))
  texts <- names(called)
  last <- 0L
  totals <- integer()
  vapply(candidates, function(i) {
    above <- setdiff(seq_len(i - 1L), totals)
    own <- texts[vapply(called, function(rows) i %in% rows, TRUE)]
    rest <- trimws(sub(total_words, "", trimws(table[[own[1]]][i]), ignore.case = TRUE,
                       perl = TRUE))
    shares <- Filter(function(name) !is.na(table[[name]][i]) && nzchar(table[[name]][i]),
                     setdiff(texts, own))
    of_member <- lapply(texts, function(name) above[table[[name]][above] %in% rest])
    of_shared <- lapply(shares, function(name) above[table[[name]][above] %in% table[[name]][i]])
    groups <- c(list(above, above[above > last]), of_member, of_shared)
    # One row above proves something only of a line that names it, or says that it is a part.
    named <- any(lengths(of_member) > 0) || grepl("^(sub|sous|zwischen)", table[[own[1]]][i],
                                                  ignore.case = TRUE)
    groups <- Filter(function(rows) length(rows) >= if (named) 1L else 2L, groups)
    own_figures <- vapply(amounts, function(values) values[i], 0)
    held <- which(!is.na(own_figures) & own_figures != 0)
    is_sum <- length(held) > 0 && any(vapply(groups, function(rows) {
      sums <- vapply(amounts[held], function(values) sum(values[rows], na.rm = TRUE), 0)
      same <- abs(sums - own_figures[held]) <= 1e-6 + 1e-9 * abs(sums)
      # A quantity of one is the sum of many things: the largest figure decides.
      same[which.max(abs(own_figures[held]))] && mean(same) >= 0.5
    }, TRUE))
    if (is_sum) {
      totals <<- c(totals, i)
      last <<- i
    }
    is_sum
  }, TRUE)
}

# A column as amounts, where it is one but for a few odd texts; or NULL.
amounts_for_sums <- function(values, name, ask, odd) {
  if (is.numeric(values) && !is.object(values)) return(as.double(values))
  if (!is.character(values)) return(NULL)
  read <- numbers_of_one_file(values, name, stated_writing(ask, name), ask$missing)
  if (is.null(read$problem) && any(!is.na(read$numbers)) && length(read$bad) <= odd) read$numbers
}
