# The first look as it is printed: on one screen, what is odd in a line each.

#' @export
print.ledger_check <- function(x, ..., all = FALSE) {
  show_lines(format(x, ..., all = all))
  invisible(x)
}

#' @export
format.ledger_check <- function(x, ..., all = FALSE, width = getOption("width")) {
  most <- if (all) Inf else 4
  odd <- unlist(lapply(odd_parts(x), function(lines) some_lines(lines, most)))
  if (length(odd) == 0) odd <- "nothing that was looked for"
  c(check_heading(x)[1], strwrap(check_heading(x)[-1], width - 2, indent = 2, exdent = 4), "",
    "Columns", columns_lines(x, if (all) Inf else 16, width), "",
    if (nrow(x$dates) > 0) c("Dates", dates_lines(x), ""),
    if (nrow(x$amounts) > 0) c("Amounts", amounts_lines(x, if (all) Inf else 6), ""),
    "Odd", strwrap(odd, width - 2, indent = 2, exdent = 4), "",
    "Next", paste0("  ", next_call(x)))
}

some_lines <- function(lines, most) {
  if (length(lines) <= most) return(lines)
  c(lines[seq_len(most - 1)],
    sprintf("... and %s more like this", number_text(length(lines) - most + 1)))
}

check_heading <- function(x) {
  facts <- source_facts(x$ledger)
  taken <- facts$dates[[1]]
  counts <- entries_text(facts, unit = TRUE)
  c(sprintf("First look at %s: %s", facts$label, counts),
    if (length(facts$says) > 0) paste0("  read as: ", paste(facts$says, collapse = "; ")),
    if (taken$column == undated)
      "  No column is certain to be the date; days are not looked at."
    else sprintf("  %s taken as the date: %s", taken$column, days_text(taken$first, taken$last)))
}

columns_lines <- function(x, most, width) {
  shown <- x$contents[seq_len(min(nrow(x$contents), most)), ]
  cells <- list(text_cell("column", shown$column), text_cell("holds", shown$holds),
                number_cell("missing", shown$missing), number_cell("distinct", shown$distinct))
  used <- sum(vapply(cells, cell_width, 0)) + 2 * length(cells) + 2
  examples <- shortened_text_each(shown$examples, max(20L, width - used))
  lines <- paste0("  ", aligned_lines(c(cells, list(text_cell("examples", examples)))))
  if (nrow(x$contents) > most) {
    rest <- x$contents$column[-seq_len(most)]
    lines <- c(lines, sprintf("  and %s more: %s", number_text(length(rest)),
                              listed(rest, most = 10)))
  }
  lines
}

text_cell <- function(heading, text) list(heading = heading, text = text, right = FALSE)
number_cell <- function(heading, values, decimals = 0) {
  list(heading = heading, text = number_text(values, decimals), right = TRUE)
}

dates_lines <- function(x) {
  known <- !is.na(x$dates$from) & is.finite(as.double(x$dates$from))
  days <- rep("", nrow(x$dates))
  days[known] <- mapply(days_text, day_numbers(x$dates$from[known]),
                        day_numbers(x$dates$to[known]))
  without <- ifelse(is.na(x$dates$without) | x$dates$without == 0, "",
                    paste(number_text(x$dates$without), "without"))
  cells <- lapply(list(x$dates$column, days, without, x$dates$note), text_cell, heading = NULL)
  cells[[3]]$right <- TRUE
  paste0("  ", aligned_lines(cells))
}

amounts_lines <- function(x, most) {
  shown <- utils::head(x$amounts, most)
  amounts <- lapply(c("smallest", "largest", "total"), function(name) {
    number_cell(name, shown[[name]], shown$decimals)
  })
  counts <- lapply(c("negative", "zero"), function(name) number_cell(name, shown[[name]]))
  paste0("  ", aligned_lines(c(list(text_cell("column", shown$column)), amounts, counts)))
}

# Lines of what is odd, by part.
odd_parts <- function(x) {
  list(aside = aside_lines(x), far_off = far_off_lines(x), gaps = gap_lines(x),
       repeated = repeated_lines(x), alike = alike_lines(x), steps = step_lines(x),
       mostly = mostly_lines(x), totals = total_word_lines(x), currencies = currency_lines(x))
}

total_word_lines <- function(x) {
  if (NROW(x$called_totals) == 0) return(NULL)
  sprintf("%s: %s reads as a total, and is %s", x$called_totals$column,
          dQuote(shortened_text_each(x$called_totals$member, 30L), FALSE),
          vapply(x$called_totals$entries, count_text, "", one = "entry", many = "entries"))
}

currency_lines <- function(x) {
  vapply(x$currencies, function(one) {
    sprintf("%s: amounts in %s, which do not add up", one$column, listed(one$members, most = 4))
  }, "")
}

aside_lines <- function(x) {
  aside <- x$set_aside[x$set_aside$kept_out_of == "every figure", ]
  if (nrow(aside) == 0) return(NULL)
  what <- source_facts(x$ledger)$rows_are
  vapply(split(aside, factor(aside$reason, unique(aside$reason))), function(some) {
    values <- unique(some$value[!is.na(some$value)])
    sprintf("%s set aside: %s%s, %s%s %s",
            number_text(nrow(some)), some$reason[1],
            if (length(values) > 0) sprintf(" (%s)", listed(dQuote(shortened_text_each(values, 30L),
                                                                   FALSE), most = 3)) else "",
            what, if (nrow(some) > 1) "s" else "", listed(row_text(some$row), most = 3))
  }, "")
}

far_off_lines <- function(x) {
  if (is.null(x$far_off) || nrow(x$far_off) == 0) return(NULL)
  sprintf("%s far from all others, %s",
          vapply(x$far_off$entries, count_text, "", one = "entry", many = "entries"),
          mapply(days_text, day_numbers(x$far_off$from), day_numbers(x$far_off$to)))
}

gap_lines <- function(x) {
  gaps <- x$gaps
  never <- attr(gaps, "never")
  c(if (length(never) > 0) sprintf("never an entry on a %s", listed(never, last = "or")),
    if (!is.null(gaps) && nrow(gaps) > 0) {
      basis <- source_facts(x$ledger)$dates[[1]]
      all_days <- min(basis$last, source_facts(x$ledger)$as_of) - basis$first + 1
      runs <- mapply(days_text, day_numbers(gaps$from), day_numbers(gaps$to))
      # Where every third day has none, days without are no gaps.
      if (sum(gaps$days) * 3 > all_days) {
        sprintf("%s of %s without entries; the longest run is %s", number_text(sum(gaps$days)),
                count_text(all_days, "day"), runs[1])
      } else {
        sprintf("%s without entries%s: %s", count_text(sum(gaps$days), "day"),
                if (nrow(gaps) > 1) sprintf(" in %s runs", number_text(nrow(gaps))) else "",
                listed(runs, most = 3))
      }
    })
}

repeated_lines <- function(x) {
  if (is.na(attr(x$repeated, "extra") %||% 0)) {
    return("repeated entries were not looked for: the source has no order of rows")
  }
  if (nrow(x$repeated) == 0) return(NULL)
  what <- source_facts(x$ledger)$rows_are
  shown <- utils::head(x$repeated, 2)
  of <- if (is.null(x$key)) "equal in every column to another"
        else sprintf("with the %s of another", listed(x$key))
  n <- attr(x$repeated, "extra")
  sprintf("%s %s: %ss %s%s", count_text(n, "entry", "entries"), of, what,
          paste(shown$rows, collapse = "; "),
          if (nrow(x$repeated) > 2) sprintf("; and %s more", number_text(nrow(x$repeated) - 2))
          else "")
}

alike_lines <- function(x) {
  if (nrow(x$alike) == 0) return(NULL)
  sprintf("%s: %s differ only by case, spaces or accents (%s)", x$alike$column,
          x$alike$members,
          vapply(x$alike$entries, count_text, "", one = "entry", many = "entries"))
}

step_lines <- function(x) {
  if (is.null(x$steps) || nrow(x$steps) == 0) return(NULL)
  sprintf("%s has %s, the month before %s", x$steps$month,
          vapply(x$steps$entries, count_text, "", one = "entry", many = "entries"),
          number_text(x$steps$before))
}

# Columns that may be meant as amounts, and are not.
mostly_lines <- function(x) {
  meant <- x$contents$column[x$contents$holds %in% c("mostly numbers, kept as text",
                                                  "numbers, 1.234 in two readings",
                                                  "amounts of several currencies")]
  dated <- x$contents$column[x$contents$holds == "mostly dates, kept as text"]
  c(vapply(meant, function(name) {
      why <- words_for_reader(unname(why_no_amounts(x$ledger, name)))
      paste0(name, ": ", paste(why, collapse = " "))
    }, "", USE.NAMES = FALSE),
    vapply(dated, no_dates_line, "", x = x, USE.NAMES = FALSE))
}

# The values of a column of dates that cannot be read as dates.
no_dates_line <- function(name, x) {
  members <- source_members(x$ledger, name)
  text <- enc2utf8(members$text)
  form <- date_form(text, name)$form
  if (is.null(form)) return(sprintf("%s: dates, but for some values", name))
  odd <- which(is.na(core_dates_by(text, form)$days) & !is.na(text))
  sprintf("%s: %s, such as %s", name,
          count_text(sum(members$counts[odd]), "value is not a date", "values are not dates"),
          listed(dQuote(shortened_text_each(text[odd], 30L), FALSE), most = 3))
}

# The line to type next: a statement by month of the first amount.
next_call <- function(x) {
  facts <- source_facts(x$ledger)
  given <- facts$given
  on <- facts$dates[[1]]$column
  likely <- likely_measures(x$ledger)
  measure <- if (length(likely) > 0) likely[[1]] else "entries()"
  name <- if (length(likely) > 0) names(likely)[1] else "entries"
  typed <- !is.null(getOption("rollingledger.flags"))
  source <- given$file %||% given$data
  if (on == undated) {
    counted <- Filter(function(one) !is.null(one$format), x$could_be)
    column <- if (length(counted) > 0) counted[[1]]$column else "COLUMN"
    format <- if (length(counted) > 0) counted[[1]]$format
    return(if (typed) sprintf("rolling-ledger check %s --on %s --date-format %s",
                              shell_words(source), shell_word(column),
                              shell_word(format %||% "FORMAT"))
           else sprintf("check_ledger(%s, on = %s, date_format = %s)", source_text(given),
                        quoted_text(column), quoted_text(format %||% "%d/%m/%Y")))
  }
  said <- said_of_source(given, typed)
  if (typed) {
    return(sprintf("rolling-ledger statement %s --on %s%s --per month --measure %s",
                   shell_words(source), shell_word(on), said,
                   shell_word(paste0(name, "=", measure))))
  }
  sprintf("ledger(%s, on = %s%s) |> statement(per = \"month\", %s = %s)", source_text(given),
          quoted_text(on), said, name, measure)
}

# What was said of how the source is to be read, which the next line says as well.
said_of_source <- function(given, typed) {
  fields <- c("format", "separator", "encoding", "skip", "column_names", "sheet", "cells",
              "number_format", "date_format",
              "time_zone", "missing", "codes", "amounts")
  said <- given[intersect(fields, names(given))]
  said <- said[lengths(said) > 0]
  if (!typed) {
    return(paste(sprintf(", %s = %s", names(said), vapply(said, value_text, "")), collapse = ""))
  }
  words <- unlist(Map(function(name, values) {
    values <- unlist(values)
    if (!is.null(names(values))) {
      values <- ifelse(nzchar(names(values)), paste0(names(values), "=", values), values)
    }
    flag <- fields_of("ledger")[[name]]$option
    flag <- if (rlang::is_string(flag)) flag else gsub("_", "-", name)
    paste(paste0("--", flag), shell_word(plain_text(values)))
  }, names(said), said))
  paste(c("", words), collapse = " ")
}

source_text <- function(given) {
  if (!is.null(given$file)) value_text(given$file) else given$data %||% "x"
}
