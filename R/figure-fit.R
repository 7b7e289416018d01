# Texts of figures, fitted by their widths in the font that is drawn: folded first, then shortened
# in the middle; what has no room in its bar is left out.

# The size for which figures are laid out, in pixels of 96 to the inch. Who writes one at a size
# says so by with_canvas().
figure_canvas <- function() {
  size <- getOption("rollingledger.canvas") %||% c(1280, 800)
  list(width = size[1], height = size[2], narrow = size[1] < 700)
}

with_canvas <- function(size, code) {
  rlang::local_options(rollingledger.canvas = size)
  code
}

# The size of plain text in points, and of texts that layers draw, whose sizes are given for the
# usual canvas.
figure_base <- function() if (figure_canvas()$narrow) 10.5 else 13
text_mm <- function(size) size * figure_base() / 13

# What is left for the panels beside the margins and an axis of values, and for words.
words_room <- function() figure_canvas()$width - 53
panels_room <- function() words_room() - if (figure_canvas()$narrow) 52 else 72

# Legends begin where the panels do, as far as ggplot2 does not know better.
legend_room <- function() if (legends_are_wide()) words_room() else panels_room() - 10
legends_are_wide <- function() utils::packageVersion("ggplot2") >= "3.5.0"

# Points of a text whose size is in millimetres, as layers have it.
points_of_mm <- function(mm) mm * 72.27 / 25.4

letter_widths <- new.env(parent = emptyenv())

# Widths of texts in pixels: those of their letters.
text_pixels <- function(texts, size, bold = FALSE) {
  letters <- strsplit(enc2utf8(as.character(texts)), "")
  known <- widths_of_letters(unique(unlist(letters)), if (bold) "bold" else "plain")
  vapply(letters, function(own) sum(known[own]), 0, USE.NAMES = FALSE) * size / 72 * 96
}

# Widths of letters in a font of one point, in points, as pictures are drawn; asked once.
widths_of_letters <- function(letters, face) {
  new <- setdiff(letters, names(letter_widths[[face]]))
  if (length(new) > 0) {
    before <- grDevices::dev.cur()
    path <- tempfile(fileext = ".svg")
    if (capabilities("cairo")) grDevices::svg(path) else grDevices::pdf(path)
    on.exit({
      grDevices::dev.off()
      if (before > 1) grDevices::dev.set(before)
      unlink(path)
    })
    grid::pushViewport(grid::viewport(gp = grid::gpar(fontsize = 100, fontface = face)))
    wide <- grid::convertWidth(grid::stringWidth(new), "points", valueOnly = TRUE) / 100
    letter_widths[[face]] <- c(letter_widths[[face]], stats::setNames(wide, new))
  }
  letter_widths[[face]]
}

# Texts in lines of so many pixels.
fold_texts <- function(texts, room, size, bold = FALSE) {
  space <- text_pixels(" ", size, bold)
  vapply(as.character(texts), function(text) {
    words <- strsplit(text, " ", fixed = TRUE)[[1]]
    wide <- text_pixels(words, size, bold)
    lines <- character()
    left <- 0
    for (i in seq_along(words)) {
      if (length(lines) > 0 && wide[i] + space <= left) {
        lines[length(lines)] <- paste(lines[length(lines)], words[i])
        left <- left - wide[i] - space
      } else {
        lines <- c(lines, words[i])
        left <- room - wide[i]
      }
    }
    paste(lines, collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

# Texts of at most so many pixels, what is too long cut in its middle; those that become alike are
# numbered.
shorten_texts <- function(texts, room, size, bold = FALSE) {
  out <- as.character(texts)
  long <- which(text_pixels(out, size, bold) > room)
  out[long] <- vapply(out[long], text_cut_to, "", room = room, size = size, bold = bold)
  twice <- out %in% out[duplicated(out)] & !duplicated(as.character(texts))
  for (text in unique(out[twice])) {
    own <- which(out == text)
    told <- sprintf(" (%d)", match(texts[own], unique(texts[own])))
    out[own] <- paste0(vapply(text, text_cut_to, "", size = size, bold = bold,
                              room = room - text_pixels(" (99)", size, bold)), told)
  }
  out
}

text_cut_to <- function(text, room, size, bold) {
  letters <- strsplit(text, "")[[1]]
  kept <- function(n) {
    paste0(paste(utils::head(letters, ceiling(n / 2)), collapse = ""), "...",
           paste(utils::tail(letters, floor(n / 2)), collapse = ""))
  }
  n <- length(letters) - 1
  while (n > 2 && text_pixels(kept(n), size, bold) > room) n <- n - 1
  kept(n)
}

# Folded into two lines at most, then shortened.
fit_texts <- function(texts, room, size, bold = FALSE, lines = 2) {
  folded <- fold_texts(texts, room, size, bold)
  fits <- lengths(strsplit(folded, "\n", fixed = TRUE)) <= lines &
    vapply(strsplit(folded, "\n", fixed = TRUE),
           function(own) all(text_pixels(own, size, bold) <= room), TRUE)
  short <- if (lines == 1) shorten_texts(texts, room, size, bold)
           else fold_texts(shorten_texts(texts, 1.75 * room, size, bold), room, size, bold)
  short <- ifelse(lengths(strsplit(short, "\n", fixed = TRUE)) <= lines, short,
                  shorten_texts(texts, room, size, bold))
  ifelse(fits, folded, short)
}

# The widest line of texts.
lines_pixels <- function(texts, size, bold = FALSE) {
  max(text_pixels(unlist(strsplit(as.character(texts), "\n", fixed = TRUE)), size, bold), 0)
}

# A legend of colours: names as they fit, in as many columns as fit.
series_legend <- function(series) {
  size <- 0.8 * figure_base()
  named <- shorten_texts(series, legend_room() - 40, size)
  each <- max(text_pixels(named, size), 0) + 40
  list(labels = named, ncol = max(1, floor(legend_room() / each)))
}
