# Tables that are handed out: tibbles with a class of their own. The command, which goes no further
# with them, does without the package, which takes as long to load as a statement to work out.
new_table <- function(columns, nrow, class = NULL) {
  if (!isTRUE(getOption("rollingledger.plain_tables")))
    return(tibble::new_tibble(columns, nrow = nrow, class = class))
  structure(columns, class = c(class, "tbl_df", "tbl", "data.frame"),
            row.names = .set_row_names(nrow))
}

# Some values of several files, file by file: what `read` gives for each, with `at`, their places,
# and `file`, its name.
by_file <- function(values, of_file, read) {
  places <- split(seq_along(of_file$at), factor(of_file$at, seq_along(of_file$names)))
  lapply(seq_along(of_file$names), function(i) {
    at <- places[[i]]
    out <- read(values[at], of_file$names[i])
    if (is.null(out)) NULL else c(out, list(at = at, file = of_file$names[i]))
  })
}

# What was said of each file's reading: once where it is the same of all, else with their names.
said_of_files <- function(parts) {
  says <- lapply(parts, function(part) part$says)
  if (length(unique(says)) == 1) return(says[[1]])
  unlist(lapply(unique(says[lengths(says) > 0]), function(said) {
    files <- vapply(parts[vapply(says, identical, TRUE, said)], function(part) part$file, "")
    sprintf("%s (%s)", said, listed(files, most = 3))
  }))
}
