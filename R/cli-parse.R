# What was typed, taken apart: options by the table of fields, and what else there is. Nothing here
# reads a file. Options may be repeated only where that has a meaning; a value may begin with a
# dash; after `--` there are no options any more; the beginning of one option stands for it.

# An option: `many` may be repeated, `group` is the heading of help that it stands under, `needed`
# must be given; `help` is a text or a function that gives it.
cli_option <- function(flag, help, value, many = FALSE, default = NULL, needed = FALSE) {
  list(flag = flag, help = help, value = value, many = many, switch = FALSE, default = default,
       needed = needed)
}

cli_switch <- function(flag, help) {
  list(flag = flag, help = help, many = FALSE, switch = TRUE, needed = FALSE)
}

# Options without which a command can do.
not_needed <- function(options) {
  lapply(options, function(one) {
    one$needed <- FALSE
    one
  })
}

option_help <- function(option) {
  if (is.function(option$help)) option$help() else option$help
}

# Options under a heading of help.
in_group <- function(heading, options) {
  lapply(options, function(one) {
    one$group <- one$group %||% heading
    one
  })
}

# list(options, args, typed): the values of options by name (NULL where not given), the other
# arguments, and what was typed in its order, list(flag, value) each.
cli_parse <- function(options, name, args) {
  flags <- vapply(options, function(o) o$flag, "")
  by_flag <- stats::setNames(options, flags)
  values <- lapply(by_flag, function(o) if (o$switch) FALSE else o$default)
  names(values) <- option_name(flags)
  given <- character()
  typed <- list()
  rest <- character()
  i <- 1
  while (i <= length(args)) {
    arg <- args[i]
    if (arg == "--") {
      rest <- c(rest, args[-seq_len(i)])
      break
    }
    if (!startsWith(arg, "-") || arg == "-") {
      rest <- c(rest, arg)
      i <- i + 1
      next
    }
    own <- grepl("=", arg, fixed = TRUE)
    flag <- flag_begun(sub("=.*$", "", arg), flags)
    option <- by_flag[[flag]]
    if (is.null(option)) refuse_flag(flag, flags, name)
    if (flag %in% given && !option$many) {
      refuse_call(sprintf("`%s` is given twice; it %s.", flag,
                          if (option$switch) "is said once" else "takes one value"))
    }
    given <- c(given, flag)
    at <- option_name(flag)
    if (option$switch) {
      if (own) refuse_call(sprintf("`%s` takes no value, so not %s.", flag, shown_arg(arg)))
      values[[at]] <- TRUE
    } else {
      if (!own && i == length(args)) refuse_call(sprintf("`%s` needs a value.", flag))
      value <- if (own) sub("^[^=]*=", "", arg) else args[i + 1]
      if (!own) i <- i + 1
      values[[at]] <- c(if (flag %in% given[-length(given)]) values[[at]], value)
      typed <- c(typed, list(list(flag = flag, value = value)))
    }
    i <- i + 1
  }
  list(options = values, args = rest, typed = typed, given = given)
}

shown_arg <- function(arg) dQuote(shortened_text(arg), FALSE)

refuse_flag <- function(flag, flags, name) {
  said <- if (startsWith(flag, "--")) sprintf("There is no option `%s`.", shortened_text(flag))
          else sprintf("%s is not an option: options begin with two dashes.", shown_arg(flag))
  refuse_call(c(said, i = nearest_flag(flag, flags),
                i = sprintf("See rolling-ledger %s --help. A FILE of that name goes after --.",
                            name)))
}

option_name <- function(flags) gsub("-", "_", sub("^--", "", flags))

nearest_flag <- function(flag, flags) {
  near <- nearest_hint(sub("^-+", "", flag), sub("^--", "", flags))
  if (!is.null(near)) sub("`", "`--", near, fixed = TRUE)
}

# The beginning of one option stands for it.
flag_begun <- function(flag, flags) {
  if (!startsWith(flag, "--") || flag %in% flags) return(flag)
  begun <- flags[startsWith(flags, flag)]
  if (length(begun) == 1) begun else flag
}

# ---- several things in one value ---------------------------------------------

# "a, b" as two; what has a comma in it stands in double quotes or backticks.
split_commas <- function(x) {
  if (is.null(x)) return(NULL)
  unlist(lapply(x, split_one), use.names = FALSE)
}

list_piece <- "(?:\\s*(?:\"(?:[^\"]|\"\")*\"|`[^`]*`)\\s*(?=,|$)|[^,]*)(?:,|$)"

split_one <- function(text) {
  if (!grepl("[,\"`]", text)) return(trimws(text))
  pieces <- regmatches(text, gregexpr(list_piece, text, perl = TRUE))[[1]]
  # The last piece has no comma after it; what matches behind it is nothing.
  if (!endsWith(text, ",")) pieces <- pieces[nzchar(pieces)]
  vapply(trimws(sub(",$", "", pieces)), unquoted, "", USE.NAMES = FALSE)
}

unquoted <- function(text) {
  inner <- substr(text, 2, nchar(text) - 1)
  if (grepl("^\"(?:[^\"]|\"\")*\"$", text, perl = TRUE)) gsub("\"\"", "\"", inner, fixed = TRUE)
  else if (grepl("^`[^`]*`$", text)) inner
  else text
}

# A name before "=": in quotes whatever it is, otherwise without what expressions are made of. The
# == of a comparison is no such sign.
pair_name <- "^\\s*(\"(?:[^\"]|\"\")*\"|`[^`]*`|[^=()<>!\"'`&|+*/]*[^=()<>!\"'`&|+*/\\s])\\s*=(?!=)"

# c("income=total(fare)") as c(income = "total(fare)"). Without `flag` the name may be left out.
named_pairs <- function(x, flag = NULL) {
  if (is.null(x)) return(NULL)
  named <- grepl(pair_name, x, perl = TRUE)
  if (!is.null(flag) && !all(named))
    refuse_call(sprintf("`%s` takes NAME=VALUE, not \"%s\".", flag, x[!named][1]))
  ends <- attr(regexpr(pair_name, x, perl = TRUE), "match.length")
  values <- trimws(ifelse(named, substring(x, ends + 1L), x))
  called <- trimws(sub("\\s*=$", "", substr(x, 1L, ends)))
  stats::setNames(values, ifelse(named, vapply(called, unquoted, ""), ""))
}
