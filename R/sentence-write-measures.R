# Measures and names in the words of sentences; NULL where they have none.

# list(name, text, words, given) each.
written_measures <- function(measures, by, w) {
  if (length(measures) == 0) return(list())
  values <- named_values(measures)
  texts <- unname(values)
  given <- names(values) %||% rep("", length(texts))
  exprs <- lapply(texts, function(text) tryCatch(text_expression(text), error = function(e) NULL))
  short <- measure_names_said(exprs, rep("", length(exprs)), c(row_columns, by))
  lapply(seq_along(texts), function(i) {
    words <- if (w$style != "strict") measure_said(exprs[[i]], w$names)
    if (w$style == "each" && !is.null(words) && !measure_reads(words, texts[i], w)) words <- NULL
    list(name = given[i], text = texts[i], words = words %||% code_said(texts[i]),
         given = given[i] != short[i])
  })
}

measure_reads <- function(words, text, w) {
  read <- read_sentence(words, w$names)
  length(read$tree) == 1 && read$tree[[1]]$section == "measure" &&
    is.null(read$tree[[1]]$args$name) && identical(text_of_said(read$tree[[1]]$args$measure), text)
}

# Code between backticks, one more of them than stand together in it.
code_said <- function(text) {
  runs <- regmatches(text, gregexpr("`+", text))[[1]]
  ticks <- strrep("`", max(0L, nchar(runs)) + 1L)
  if (startsWith(text, "`") || endsWith(text, "`")) text <- paste0(" ", text, " ")
  paste0(ticks, text, ticks)
}

# A measure in words; NULL where it has none.
measure_said <- function(expr, names) {
  if (is.symbol(expr)) return(word_said(as.character(expr)))
  if (!is.call(expr)) return(NULL)
  fun <- called_name(expr)
  between <- names$words[["between measures"]]
  if (fun %in% names(between) && length(expr) == 3) {
    sides <- lapply(as.list(expr)[-1], function(side) {
      if (rlang::is_call(side, names(between))) NULL else measure_said(side, names)
    })
    if (any(lengths(sides) == 0)) return(NULL)
    if (fun == "/") sides[[2]] <- one_said(expr[[3]], names) %||% sides[[2]]
    return(paste(sides[[1]], between[[fun]][1], sides[[2]]))
  }
  if (!fun %in% names(measure_functions)) return(NULL)
  args <- as.list(expr)[-1]
  named <- names(args) %||% rep("", length(args))
  where <- args$where
  args <- args[named != "where"]
  said <- call_said(fun, args, names)
  if (is.null(said) || is.null(where)) return(said)
  words <- where_said(where, names)
  if (length(words) != 1) return(NULL)
  sprintf("%s (%s)", said, words)
}

# "passenger" in "fare per passenger".
one_said <- function(expr, names) {
  if (rlang::is_call(expr, "entries", n = 0)) return("entry")
  if (!rlang::is_call(expr, "total", n = 1) || !is.symbol(expr[[2]])) return(NULL)
  name <- as.character(expr[[2]])
  words <- name_said(name, names)
  one <- singular_text(words)
  own <- unique(names$index$name[names$index$key == one])
  alone <- identical(names$style, "alone")
  if (startsWith(words, "\"") || !alone && !identical(own, name)) words else one
}

call_said <- function(fun, args, names) {
  named <- base::names(args) %||% rep("", length(args))
  if (length(setdiff(named, c("", "each"))) > 0) return(NULL)
  column <- if (any(named == "")) args[named == ""][[1]]
  if (!is.null(column) && !is.symbol(column))
    return(paste(sub(" \\{.*", "", pattern_of_measure(fun, names)$written),
                 code_said(expression_text(column))))
  name <- if (!is.null(column)) as.character(column)
  bare <- identical(names$style, "alone") || name %in% names$measured
  if (fun == "total" && bare) return(name_said(name, names))
  many <- fun %in% c("distinct", "newcomers", "returning", "lapsed")
  counted <- fun == "distinct" && !isTRUE(name %in% names$measured)
  pattern <- pattern_of_measure(if (counted) "counted" else fun, names,
                                each = !is.null(args$each))
  if (is.null(pattern)) return(NULL)
  said <- pattern$written
  if (!is.null(name))
    said <- sub("\\{(amount|members)\\}", words_in_sub(name_said(name, names, many)), said)
  if (!is.null(args$each)) said <- sub("{each}", name_said(as.character(args$each), names), said,
                                       fixed = TRUE)
  said
}

words_in_sub <- function(text) gsub("\\", "\\\\", text %||% "", fixed = TRUE)

pattern_of_measure <- function(fun, names, each = FALSE) {
  for (pattern in names$words$measures) {
    if (pattern$verb == fun && ("each" %in% pattern$slots) == each) return(pattern)
  }
}

# A column's name in words, where they are its own alone; in quotes otherwise.
name_said <- function(name, names, plural = FALSE, style = names$style %||% "plain") {
  if (style == "alone") return(gsub("_", " ", if (plural) plural_text(name) else name,
                                    fixed = TRUE))
  words <- key_of_text(gsub("_", " ", name, fixed = TRUE))
  if (plural) words <- plural_text(words)
  index <- names$index
  own <- unique(index$name[index$key == words])
  plain <- style != "strict" && grepl("^[\\p{L}\\p{N} ]+$", words, perl = TRUE) &&
    length(own) == 1 && !grepl("^[0-9]", words)
  parts <- strsplit(words, " ", fixed = TRUE)[[1]]
  # The first word tells what follows; others only where they may end it.
  risky <- if (style == "plain") unlist(names$words[["small words"]])
           else names$words$reserved
  if (plain && !any(parts %in% risky)) words else quoted_name(name)
}

word_said <- function(text) {
  if (grepl("^[\\p{L}_][\\p{L}\\p{N}_]*$", text, perl = TRUE)) text else quoted_name(text)
}
