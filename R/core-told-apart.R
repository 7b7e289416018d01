# Things are told apart by what they are, never by their text put together: "a, b" and "c" are not
# "a" and "b, c".

# Numbers of rows that hold the same values in all columns, in order of appearance: list(number,
# first, count).
number_rows <- function(columns, n) {
  whole <- function(column) {
    if (is.integer(column) || is.logical(column)) column else match(column, unique(column))
  }
  core_told_apart(lapply(columns, whole), n)
}

# Labels of the members of several columns, row by row: no two combinations have the same.
labels_told_apart <- function(columns, n) {
  told <- number_rows(unname(columns), n)
  text <- do.call(paste,
                  c(unname(lapply(columns, function(column) member_text(column[told$first]))),
                    sep = ", "))
  again <- duplicated(text)
  while (any(again)) {
    text[again] <- paste0(text[again], "'")
    again <- duplicated(text)
  }
  text[told$number]
}
