# Conditions on the entries of a ledger in memory, as steps for the core.

# A condition as steps for the core, operands first. What can be settled on the members of an
# attribute is settled there, so that no text is compared per entry.
condition_steps <- function(tree, x) {
  sub <- function(a) condition_steps(a, x)
  switch(tree$node,
    constant = list(list(op = "constant", table = if (tree$says) 2L else 0L)),
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
  if (is_code_column(column))
    return(list(op = "table", column = column, table = member_answers(tree, column$members)))
  switch(tree$node,
    missing = list(op = "missing", column = column),
    # What a column without a single value was compared with may be text.
    among = list(op = "one_of", column = told_apart_column(column),
                 values = sort(suppressWarnings(as.double(tree$values)))),
    compare = list(op = tree$op, column = told_apart_column(column),
                   values = suppressWarnings(as.double(tree$value)))
  )
}

# 2 true, 1 unknown, 0 false, for each member.
member_answers <- function(tree, members) {
  absent <- is.na(members)
  text <- if (is.factor(members)) as.character(members) else members
  # Days and times held as text compare as far as the value says: a day with the days.
  if (!is.null(tree$letters)) text <- dated_text(text)
  part <- function(value) if (is.null(tree$letters)) text else substr(text, 1, nchar(value))
  answers <- switch(tree$node,
    missing = absent,
    among = if (is.null(tree$letters)) text %in% tree$values
            else Reduce(`|`, lapply(tree$values, function(value) part(value) == value),
                        logical(length(text))),
    holds = holds_text(text, tree$text, tree$at),
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

# Whether texts hold a piece of text (`at` their "start" or "end", or anywhere), whatever the case
# of its letters: by Unicode's simple case folding (the Unicode Standard, CaseFolding.txt, status C
# and S), the same in every locale.
holds_text <- function(text, piece, at = "") {
  if (!nzchar(piece)) return(!is.na(text))
  pattern <- paste0("\\Q", gsub("\\E", "\\E\\\\E\\Q", enc2utf8(piece), fixed = TRUE), "\\E")
  grepl(paste0("(*UTF)", if (at == "start") "\\A", pattern, if (at == "end") "\\z"),
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
