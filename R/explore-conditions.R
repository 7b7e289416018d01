# Conditions on entries as the page has them: chips that are on or off.

panel_conditions <- function(panel) as.character(unlist(panel$statement$where))

with_conditions <- function(panel, on, off = unlist(panel$off)) {
  panel$statement <- with_key(panel$statement, "where", as.list(on))
  with_key(panel, "off", as.list(setdiff(off, on)))
}

with_condition <- function(panel, text) {
  check_code(text, "condition")
  with_conditions(panel, union(panel_conditions(panel), text), setdiff(unlist(panel$off), text))
}

# The members that a condition of this kind holds: list(column, members, missing), or NULL.
members_meant <- function(text) {
  expr <- tryCatch(text_expression(text), error = function(e) NULL)
  of <- function(expr) {
    if (!is.call(expr)) return(NULL)
    fun <- called_name(expr)
    args <- as.list(expr)[-1]
    if (fun == "(") return(of(args[[1]]))
    if (fun == "is_missing" && is.symbol(args[[1]]))
      return(list(column = as.character(args[[1]]), members = character(), missing = TRUE))
    if (!fun %in% c("==", "%in%") || !is.symbol(args[[1]])) return(NULL)
    values <- if (is.call(args[[2]]) && identical(args[[2]][[1]], quote(c)))
      as.list(args[[2]])[-1] else args[2]
    if (!all(vapply(values, function(v) is.character(v) || is.numeric(v), TRUE))) return(NULL)
    list(column = as.character(args[[1]]),
         members = vapply(values, plain_text, "", USE.NAMES = FALSE), missing = FALSE)
  }
  if (is.call(expr) && called_name(expr) %in% c("|", "||")) {
    parts <- lapply(as.list(expr)[-1], of)
    if (any(vapply(parts, is.null, TRUE))) return(NULL)
    columns <- vapply(parts, function(part) part$column, "")
    if (length(unique(columns)) > 1) return(NULL)
    return(list(column = columns[1], members = unlist(lapply(parts, function(p) p$members)),
                missing = any(vapply(parts, function(p) p$missing, TRUE))))
  }
  of(expr)
}

# Which condition of the panel names members of this attribute: its text, or NULL.
members_chip <- function(panel, column) {
  texts <- c(panel_conditions(panel), unlist(panel$off))
  for (text in texts) {
    if (identical(members_meant(text)$column, column)) return(text)
  }
  NULL
}

with_members <- function(panel, column, members, missing) {
  old <- members_chip(panel, column)
  on <- setdiff(panel_conditions(panel), old)
  off <- setdiff(unlist(panel$off), old)
  new <- if (length(members) > 0 || missing) members_condition(column, members, missing)
  with_conditions(panel, c(on, new), off)
}

# The condition by which a search narrows what is counted: list(column, text, condition), or NULL.
narrowed_by <- function(panel) {
  for (text in panel_conditions(panel)) {
    expr <- tryCatch(text_expression(text), error = function(e) NULL)
    if (is.call(expr) && called_name(expr) == "has_text" && length(expr) == 3 &&
        is.symbol(expr[[2]]) && is.character(expr[[3]])) {
      return(list(column = as.character(expr[[2]]), text = expr[[3]], condition = text))
    }
  }
  NULL
}

# Values of numbers stand without quotes in conditions; texts of digits are compared as texts.
number_condition <- function(column, from, to) {
  name <- name_text(column)
  for (end in c(from, to)) {
    if (!is_plain_number(end))
      refuse("choice", sprintf("%s must be a number, not \"%s\".", column, shortened_text(end)),
             call = NULL)
  }
  # From high to low means the same numbers.
  if (!is.null(from) && !is.null(to) && as.numeric(from) > as.numeric(to)) {
    high <- from
    from <- to
    to <- high
  }
  parts <- c(if (!is.null(from)) sprintf("%s >= %s", name, from),
             if (!is.null(to)) sprintf("%s <= %s", name, to))
  if (length(parts) == 0) refuse("choice", "Say a number to begin or to end with.", call = NULL)
  paste(parts, collapse = " & ")
}
