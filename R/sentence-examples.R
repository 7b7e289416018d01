# The language of sentences by examples: what the help page and `rolling-ledger help sentences`
# show, from a file of plain text.

# One row for each: list(heading, sentence, means, code).
sentence_examples <- function() {
  lines <- readLines(system.file("sentence", "examples.txt", package = "rollingledger"),
                     encoding = "UTF-8", warn = FALSE)
  lines <- lines[nzchar(lines) & !startsWith(lines, "#")]
  heads <- startsWith(lines, "== ")
  heading <- substring(lines[heads], 4)[cumsum(heads)][!heads]
  rows <- matrix(lines[!heads], nrow = 3)
  list(heading = heading[seq(1, length(heading), by = 3)], sentence = rows[1, ],
       means = trimws(rows[2, ]), code = trimws(rows[3, ]))
}

# The section of the help page that teaches the language, as roxygen text.
sentence_help_section <- function() {
  known <- sentence_examples()
  rows <- unlist(lapply(unique(known$heading), function(heading) {
    own <- known$heading == heading
    c(sprintf("| **%s** | |", heading),
      sprintf("| `%s` | %s |", gsub("`", "'", known$sentence[own], fixed = TRUE),
              known$means[own]))
  }))
  c(language_section(known, rows), needs_section())
}

language_section <- function(known, rows) {
  c("@section The language:",
    paste("Parts stand in any order, with commas, semicolons, \"and\" or nothing between them.",
          "Upper and lower case, articles and spaces do not matter. Days are said as in [span()]."),
    "", "| You say | It asks |", "|:---|:---|", rows, "")
}

# The needs of analysts as rows of a table: how each is said, or why it is not.
needs_section <- function() {
  needs <- sentence_needs()
  said <- ifelse(nzchar(needs$sentence),
                 sprintf("`%s`", gsub("`", "'", needs$sentence, fixed = TRUE)), needs$reason)
  c("@section What analysts need:",
    "Each said in a sentence (`fares`, `passes` and `fuel` of the demo), or why it cannot be.", "",
    "| | need | the sentence |", "|:---|:---|:---|",
    sprintf("| %s | %s | %s |", needs$number, needs$need, said), "")
}

# What analysts need: list(number, need, sentence, code, reason), `code` being the call in R, or
# "" where no sentence says it, for the reason.
sentence_needs <- function() {
  lines <- readLines(system.file("sentence", "needs.txt", package = "rollingledger"),
                     encoding = "UTF-8", warn = FALSE)
  lines <- lines[nzchar(lines) & !startsWith(lines, "#")]
  parts <- strsplit(lines, " | ", fixed = TRUE)
  said <- vapply(parts, `[[`, "", 3)
  lacking <- startsWith(said, "- ")
  list(number = vapply(parts, `[[`, "", 1), need = vapply(parts, `[[`, "", 2),
       sentence = ifelse(lacking, "", said), reason = ifelse(lacking, substring(said, 3), ""),
       code = vapply(parts, function(part) paste(part[-(1:3)], collapse = " | "), ""))
}
