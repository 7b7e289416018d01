# Tables as lines of text. What does not fit the width goes on below, in blocks that repeat what
# tells the rows; of rows that are too many the first and the last are shown, with the way to see
# all. A name that is too long is cut in its middle. No column is ever left out.

# Lines of a table: `cells` as list(heading, text, right, group, whole) each; `is_figure` tells the
# columns that may go on below; `shown` is of shown_rows().
table_lines <- function(cells, is_figure, shown, width) {
  cells <- cut_names(cells, is_figure, width)
  blocks <- lapply(blocks_that_fit(cells, is_figure, width), function(block) {
    part <- heading_lines(cells[block])
    lines <- aligned_lines(part)
    if (shown$hidden == 0) return(lines)
    append(lines, hidden_rows_line(shown), after = length(part[[1]]$heading) + length(shown$head))
  })
  unlist(Map(function(lines, first) c(if (!first) "", lines), blocks, seq_along(blocks) == 1))
}

hidden_rows_line <- function(shown) {
  seen <- length(shown$head) + length(shown$tail)
  how <- if (is.null(getOption("rollingledger.flags"))) "print(x, rows = Inf)" else "--rows all"
  sprintf("(%s of %s rows; all with %s)", number_text(seen), number_text(seen + shown$hidden), how)
}

# Columns that tell the rows take three fifths of the width at most; longer texts are cut in the
# middle, as far as they still differ. Those that are shown whole take what they need, as long as
# the widest figure finds its place beside them.
cut_names <- function(cells, is_figure, width) {
  if (!is.finite(width)) return(cells)
  room <- floor(0.6 * width) - 2 * sum(!is_figure)
  whole <- vapply(cells, function(cell) isTRUE(cell$whole), TRUE)
  if (any(whole)) {
    beside <- vapply(heading_lines(cells)[is_figure], cell_width, 0)
    needed <- sum(vapply(cells[!is_figure], cell_width, 0))
    room <- max(room, min(needed, width - max(beside, 0) - 2 * sum(!is_figure)))
  }
  tells <- which(!is_figure & !vapply(cells, function(cell) cell$right, TRUE))
  wide <- vapply(cells[tells], cell_width, 0)
  fixed <- sum(vapply(cells[setdiff(which(!is_figure), tells)], cell_width, 0))
  most <- max(wide, 0)
  while (most > 16 && fixed + sum(pmin(wide, most)) > room) most <- most - 1
  for (i in tells[wide > most]) cells[[i]]$text <- cut_in_middle(cells[[i]]$text, most)
  cells
}

cut_in_middle <- function(texts, most) {
  long <- which(nchar(texts, type = "width") > most)
  repeat {
    out <- texts
    half <- (most - 3) / 2
    out[long] <- paste0(text_of_width(texts[long], ceiling(half)), "...",
                        text_of_width(texts[long], floor(half), from_end = TRUE))
    # What was different stays different.
    if (length(unique(out)) == length(unique(texts)) || most >= max(nchar(texts, "width")))
      return(if (length(unique(out)) == length(unique(texts))) out else texts)
    most <- most + 8
  }
}

# The beginning or the end of texts, up to a width.
text_of_width <- function(texts, most, from_end = FALSE) {
  vapply(texts, function(text) {
    letters <- strsplit(text, "")[[1]]
    wide <- nchar(letters, type = "width")
    if (from_end) paste(letters[rev(cumsum(rev(wide))) <= most], collapse = "")
    else paste(letters[cumsum(wide) <= most], collapse = "")
  }, "", USE.NAMES = FALSE)
}

# Texts of one line: control characters by their numbers.
escaped_text <- function(texts) {
  odd <- grepl("[\001-\037\177]|\302[\200-\237]", texts, useBytes = TRUE)
  texts[odd] <- vapply(texts[odd], escaped_controls, "", USE.NAMES = FALSE)
  texts
}

# The first and the last rows where not all fit; of periods the newest matter most, of others the
# first.
shown_rows <- function(rows, asked, periods = TRUE) {
  lines <- suppressWarnings(as.integer(Sys.getenv("LINES", "")))
  n <- asked %||% getOption("rollingledger.rows") %||% (if (is.na(lines)) 20 else max(4, lines - 6))
  if (!is.numeric(n) || length(n) != 1 || is.na(n) || n < 0)
    refuse("choice", "{rows} must be a count of rows.", arg = "rows")
  if (rows <= n) return(list(head = seq_len(rows), tail = integer(), hidden = 0L))
  first <- if (periods) max(1, floor(n / 4)) else n
  last <- max(0, n - first)
  list(head = seq_len(first), tail = seq.int(to = rows, length.out = last),
       hidden = rows - first - last)
}

# Columns cut into blocks that fit the width, each with the columns that say what its rows are.
# Columns of a group stay together where they can.
blocks_that_fit <- function(cells, is_figure, width) {
  wide <- vapply(heading_lines(cells), cell_width, 0) + 2
  room <- width + 2 - sum(wide[!is_figure])
  group <- vapply(cells, function(cell) as.integer(cell$group %||% 0L), 0L)
  blocks <- list()
  taken <- 0
  for (i in which(is_figure)) {
    begins <- group[i] != group[i - 1 + (i == 1)]
    whole <- sum(wide[group == group[i]])
    if (length(blocks) == 0 || taken + (if (begins && whole <= room) whole else wide[i]) > room) {
      blocks <- c(blocks, list(which(!is_figure)))
      taken <- 0
    }
    blocks[[length(blocks)]] <- c(blocks[[length(blocks)]], i)
    taken <- taken + wide[i]
  }
  if (length(blocks) == 0) list(seq_along(cells)) else blocks
}

# Headings of the same number of lines: long labels folded, those that repeat the one to the left
# left out, lines that are empty throughout dropped.
heading_lines <- function(cells) {
  before <- character()
  cells <- lapply(cells, function(cell) {
    lines <- cell$heading
    if (length(lines) == 3) {
      if (identical(lines[1:2], before)) lines[1:2] <- ""
      else before <<- lines[1:2]
      lines <- list(folded_line(lines[1], 24), lines[2], lines[3])
    } else {
      before <<- character()
      lines <- list(character(), "", lines)
    }
    cell$heading <- lines
    cell
  })
  cells <- names_on_last_line(cells)
  folds <- max(lengths(lapply(cells, function(cell) cell$heading[[1]])))
  cells <- lapply(cells, function(cell) {
    label <- cell$heading[[1]]
    cell$heading <- c(rep("", folds - length(label)), label, cell$heading[[2]], cell$heading[[3]])
    cell
  })
  blank <- Reduce(`&`, lapply(cells, function(cell) cell$heading == ""))
  lapply(cells, function(cell) {
    cell$heading <- cell$heading[!blank]
    cell
  })
}

# Names of what tells the rows stand on the last line that figures have: of their days, or of their
# labels.
names_on_last_line <- function(cells) {
  held <- function(i) vapply(cells, function(cell) any(nzchar(cell$heading[[i]])), TRUE)
  across <- held(1) | held(2)
  if (!any(across) || any(held(3) & across)) return(cells)
  to <- if (any(held(2))) 2 else 1
  lapply(cells, function(cell) {
    if (nzchar(cell$heading[[3]])) cell$heading[c(to, 3)] <- list(cell$heading[[3]], "")
    cell
  })
}

# Lines of text that are too long go on below, set in.
folded_text <- function(lines, width) {
  unlist(lapply(lines, function(line) {
    parts <- folded_line(line, width - 2)
    if (nchar(line, type = "width") <= width) line else c(parts[1], paste0("  ", parts[-1]))
  }))
}

# A text in lines of a width, broken after commas and semicolons where it can.
folded_line <- function(text, width) {
  pieces <- unlist(
    lapply(strsplit(text, "(?<=[,;]) ", perl = TRUE)[[1]], strwrap, width = width + 1))
  lines <- character()
  for (piece in pieces) {
    last <- length(lines)
    if (last > 0 && nchar(lines[last]) + nchar(piece) < width)
      lines[last] <- paste(lines[last], piece) else lines <- c(lines, piece)
  }
  lines
}

cell_width <- function(column) {
  max(nchar(escaped_text(c(column$heading, column$text)), type = "width"))
}

aligned_lines <- function(table) {
  padded <- lapply(table, function(column) {
    text <- escaped_text(c(column$heading, column$text))  # headings may have several lines
    gap <- strrep(" ", cell_width(column) - nchar(text, type = "width"))
    if (column$right) paste0(gap, text) else paste0(text, gap)
  })
  sub(" +$", "", do.call(paste, c(unname(padded), sep = "  ")))
}
