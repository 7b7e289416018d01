# Completion in a shell: `rolling-ledger complete WORD...` prints what could stand in the place of
# the last word, a line each; nothing where a file name could. It is made from the same tables as
# the options, and from the columns and members of the file that the words name.

# The last of `words` is the one that is typed now, which may be empty.
cli_complete <- function(words) {
  if (length(words) > 0 && words[1] == "--") words <- words[-1]
  found <- tryCatch(completions(words), error = function(e) character())
  if (length(found) > 0) writeLines(found)
  0L
}

completions <- function(words) {
  n <- length(words)
  if (n <= 1) return(beginning_with(c(shown_commands(), "--help", "--version"), words))
  command <- cli_commands[[words[1]]]
  if (is.null(command)) return(character())
  now <- words[n]
  before <- words[n - 1]
  if (words[1] == "help") return(beginning_with(c(names(cli_topics), shown_commands()), now))
  options <- command$options()
  flags <- vapply(options, function(o) o$flag, "")
  at <- match(before, flags)
  if (n > 2 && !is.na(at) && !options[[at]]$switch) {
    return(value_completions(options[[at]], now, words[seq_len(n - 2)[-1]], options))
  }
  if (startsWith(now, "-")) return(beginning_with(c(flags, "--help"), now))
  if (words[1] == "spans") return(beginning_with(span_example_phrases(), now))
  character()
}

beginning_with <- function(choices, text) {
  if (length(text) == 0) return(choices)
  choices[startsWith(choices, text)]
}

# What the value of an option could be; `typed` are the words before it.
value_completions <- function(option, now, typed, options) {
  flag <- option$flag
  if (!is.null(option$choices)) return(beginning_with(option$choices, now))
  if (flag == "--format") return(beginning_with(stream_formats, now))
  if (flag == "--figure") return(beginning_with(names(figure_kinds()), now))
  if (identical(option$kind, "phrase") || identical(option$kind, "phrases"))
    return(beginning_with(span_example_phrases(), now))
  if (identical(option$kind, "measure")) return(beginning_with(measures_typed(typed), now))
  if (identical(option$kind, "column") && flag != "--column")
    return(beginning_with(measures_typed(typed), now))
  files <- files_typed(typed, options)
  if (length(files) == 0) return(character())
  if (flag == "--of") return(told_completions(now, files))
  if (flag == "--where") return(condition_completions(now, files))
  if (flag == "--measure") return(measure_completions(now, files))
  if (flag %in% c("--on", "--until", "--by", "--amount", "--code", "--key", "--member", "--panels",
                  "--sheet-per", "--lookup", "--unit", "--column", "--share-of", "--within"))
    return(list_completions(now, file_columns(files)))
  character()
}

# Words that are no options and no values of options: the files.
files_typed <- function(typed, options) {
  if (length(typed) == 0) return(character())
  flags <- vapply(Filter(function(o) !o$switch, options), function(o) o$flag, "")
  is_value <- c(FALSE, typed[-length(typed)] %in% flags)
  files <- typed[!startsWith(typed, "-") & !is_value]
  files[file.exists(files)]
}

# Names of the measures that were typed.
measures_typed <- function(typed) {
  at <- which(typed == "--measure") + 1
  found <- names(named_pairs(typed[at[at <= length(typed)]]))
  if (length(found) == 0) "entries" else found[nzchar(found)]
}

# The first lines of a file tell its columns.
file_columns <- function(files) {
  file <- files[1]
  ending <- lower_text(tools::file_ext(sub("[.]gz$", "", file)))
  if (ending %in% c("csv", "tsv", "txt")) {
    con <- gzfile(file, "rb")
    on.exit(close(con))
    head <- readLines(con, n = 200, warn = FALSE)
    file <- tempfile(fileext = ".csv")
    on.exit(unlink(file), add = TRUE)
    writeLines(head, file, useBytes = TRUE)
  }
  suppressMessages(names(table_of_files(file)))
}

table_of_files <- function(files) {
  given <- lapply(fields_of("ledger"), function(one) one$default)
  read_table_files(files, file_ask_of(given, NULL), NULL)$table
}

members_of_files <- function(files, name) {
  values <- suppressMessages(table_of_files(files))[[name]]
  utils::head(sort(unique(plain_text(values)), na.last = NA, method = "radix"), 200)
}

# "a,b" and what could follow the last comma.
list_completions <- function(now, columns) {
  before <- sub("[^,=]*$", "", now)
  last <- substring(now, nchar(before) + 1)
  paste0(before, beginning_with(columns, last), recycle0 = TRUE)
}

# "route=O": members; before the sign, what tells rows.
told_completions <- function(now, files) {
  if (!grepl("=", now, fixed = TRUE))
    return(paste0(beginning_with(c("period", file_columns(files)), now), "=", recycle0 = TRUE))
  name <- sub("=.*$", "", now)
  if (name == "period") return(character())
  paste0(name, "=", beginning_with(members_of_files(files, name), sub("^[^=]*=", "", now)),
         recycle0 = TRUE)
}

# "route == \"O": members; before the sign, columns.
condition_completions <- function(now, files) {
  parts <- regmatches(now, regexec("^(.*?)([^ &|()]+) *(==|!=) *[\"']?([^\"']*)$", now,
                                   perl = TRUE))[[1]]
  if (length(parts) == 0) {
    before <- sub("[^ &|(]*$", "", now)
    return(paste0(before, beginning_with(file_columns(files), substring(now, nchar(before) + 1)),
                  recycle0 = TRUE))
  }
  members <- beginning_with(members_of_files(files, parts[3]), parts[5])
  paste0(parts[2], parts[3], " ", parts[4], " ", quoted_text(members), recycle0 = TRUE)
}

# "income=total(f": columns; before the bracket, functions.
measure_completions <- function(now, files) {
  inner <- sub("[^(,/*+ -]*$", "", now)
  if (grepl("[(,] *$", inner)) {
    last <- substring(now, nchar(inner) + 1)
    return(paste0(inner, beginning_with(file_columns(files), last), ")", recycle0 = TRUE))
  }
  before <- sub("[^=]*$", "", now)
  paste0(before, beginning_with(paste0(names(measure_functions), "("),
                                substring(now, nchar(before) + 1)), recycle0 = TRUE)
}
