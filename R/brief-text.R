# The text of a brief: YAML, of which a plain part alone is taken. Tags, anchors and aliases, which
# could make more of a text than stands in it, are refused before it is read; and it is noted on
# which line each key stands, for messages.

most_brief_bytes <- 200000
most_brief_depth <- 12L

# list(value, places): the tree of texts, and the places of its keys. Numbers and flags stay texts:
# what they are is told by the field they stand in.
read_brief_text <- function(bytes, file) {
  text <- brief_characters(bytes, file)
  places <- yaml_places(text, file)
  value <- tryCatch(
    yaml::yaml.load(text, handlers = yaml_as_text(), eval.expr = FALSE),
    error = function(e) refuse_yaml(conditionMessage(e), file, places),
    warning = function(w) refuse_yaml(conditionMessage(w), file, places)
  )
  list(value = value, places = places)
}

yaml_as_text <- function() {
  kept <- c("bool#yes", "bool#no", "int", "int#hex", "int#oct", "int#base60", "float", "float#fix",
            "float#exp", "float#base60", "float#inf", "float#neginf", "float#nan", "timestamp",
            "timestamp#iso8601", "timestamp#spaced", "timestamp#ymd")
  text <- function(x) as.character(x)
  c(stats::setNames(rep(list(text), length(kept)), kept),
    list(null = function(x) NA_character_, seq = function(x) as.list(x)))
}

brief_characters <- function(bytes, file) {
  if (length(bytes) > most_brief_bytes) {
    refuse_brief(file, NULL, sprintf("It has %s bytes; a brief has at most %s.",
                                     number_text(length(bytes)), number_text(most_brief_bytes)))
  }
  if (any(bytes == 0)) refuse_brief(file, NULL, "It is not a text file: it holds zero bytes.")
  text <- rawToChar(bytes)
  Encoding(text) <- "UTF-8"
  if (!validUTF8(text)) refuse_brief(file, NULL, "It is not UTF-8 text.")
  text <- gsub("\r\n?", "\n", sub("^\ufeff", "", text))
  if (grepl("[\x01-\x08\x0b\x0c\x0e-\x1f]", text, useBytes = TRUE))
    refuse_brief(file, NULL, "It holds control characters, which no text needs.")
  text
}

# What the reader of YAML says, with the line and in our order.
refuse_yaml <- function(message, file, places) {
  twice <- regmatches(message, regexec("Duplicate map key: '(.*)'", message))[[1]]
  if (length(twice) > 0) {
    at <- which(places$text == twice[2])
    refuse_brief(file, if (length(at) > 1) places$line[at[2]],
                 sprintf("The key `%s` stands twice in one place.", twice[2]))
  }
  line <- regmatches(message, gregexpr("line [0-9]+", message))[[1]]
  message <- sub("^[A-Za-z]+ error: *", "", gsub(" *at line [0-9]+, column [0-9]+", "", message))
  refuse_brief(file, if (length(line) > 0) as.integer(sub("line ", "", line[length(line)])),
               sprintf("It cannot be read as YAML: %s.", sub("[.]$", "", trimws(message))),
               hint = "Text with a colon, #, quotes or brackets stands in quotes.")
}

# One problem of a brief, in its place.
refuse_brief <- function(file, line, problem, hint = NULL) {
  where <- paste0(basename(file), if (length(line) > 0) sprintf(", line %d", line))
  refuse("brief", c(sprintf("%s: %s", where, problem), i = hint), file = file, call = NULL)
}

# ---- places of keys ----------------------------------------------------------

# A walk through the text, letter by letter: where keys and items begin, list(text, line, column,
# flow), and what must not be there. Quotes, comments and blocks of text are passed over.
yaml_places <- function(text, file) {
  w <- new.env(parent = emptyenv())
  w$file <- file
  w$keys <- list()
  lines <- strsplit(text, "\n", fixed = TRUE)[[1]]
  w$flow <- 0L      # brackets that are open
  w$quote <- ""     # the quote that is open
  w$block <- -1L    # a block of text goes on while lines are set in further than this
  w$scalar <- -1L   # a plain text goes on likewise
  for (i in seq_along(lines)) yaml_line(w, lines[i], i)
  column <- function(name) unlist(lapply(w$keys, function(key) key[[name]])) %||% character()
  list(text = column("text"), line = column("line"), column = column("column"),
       flow = column("flow"))
}

yaml_line <- function(w, line, number) {
  indent <- attr(regexpr("^ *", line), "match.length")
  blank <- !nzchar(trimws(line))
  if (w$quote == "" && w$flow == 0L) {
    if (w$block >= 0L) {
      if (blank || indent > w$block) return()
      w$block <- -1L
    }
    if (blank || startsWith(trimws(line), "#")) return()
    if (w$scalar >= 0L) {
      if (indent > w$scalar) return()
      w$scalar <- -1L
    }
    if (grepl("^(---|\\.\\.\\.)( |$)", line)) {
      if (length(w$keys) > 0)
        refuse_brief(w$file, number, "A second document begins; a brief is one.")
      return()
    }
    if (startsWith(line, "%")) refuse_brief(w$file, number, "Directives (%) are not supported.")
    if (grepl("^ *\t", line))
      refuse_brief(w$file, number, "A tab stands where spaces set a line in.", "Use spaces.")
  }
  yaml_nodes(w, strsplit(line, "")[[1]], indent, number)
}

# The nodes of one line, from a letter on.
yaml_nodes <- function(w, letters, indent, number) {
  at <- indent + 1L
  own <- indent  # the column to which what follows belongs
  dashes <- 0L
  n <- length(letters)
  letter <- function(i) if (i >= 1L && i <= n) letters[i] else ""
  while (at <= n) {
    if (w$quote != "") {
      at <- yaml_quote_end(w, letters, at)
      next
    }
    here <- letter(at)
    if (here == " ") {
      at <- at + 1L
    } else if (here == "#" && (at == 1L || letter(at - 1L) == " ")) {
      return()
    } else if (here == "-" && letter(at + 1L) %in% c(" ", "") && w$flow == 0L) {
      dashes <- dashes + 1L
      if (dashes > most_brief_depth) refuse_depth(w, number)
      note_key(w, "-", number, at)
      own <- at - 1L
      at <- at + 1L
    } else if (here %in% c("[", "{")) {
      w$flow <- w$flow + 1L
      if (w$flow > most_brief_depth) refuse_depth(w, number)
      at <- at + 1L
    } else if (here %in% c("]", "}", ",") && w$flow > 0L) {
      if (here != ",") w$flow <- w$flow - 1L
      at <- at + 1L
    } else if (here == ":" && letter(at + 1L) %in% c(" ", "")) {
      at <- at + 1L
    } else {
      refuse_signs(w, here, letter(at + 1L), number)
      if (here %in% c("|", ">") && w$flow == 0L) {
        w$block <- own
        return()
      }
      from <- at
      quoted <- here %in% c("\"", "'")
      at <- if (quoted) yaml_quoted(w, letters, at) else plain_end(w, letters, at)
      rest <- at
      while (letter(rest) == " ") rest <- rest + 1L
      if (letter(rest) == ":" && (letter(rest + 1L) %in% c(" ", "") || quoted && w$flow > 0L)) {
        key <- trimws(paste(letters[from:(at - 1L)], collapse = ""))
        if (quoted) key <- substr(key, 2L, nchar(key) - 1L)
        note_key(w, key, number, from)
        if (w$flow == 0L) own <- from - 1L
        if (own > 4L * most_brief_depth) refuse_depth(w, number)
        at <- rest + 1L
      } else if (!quoted && w$flow == 0L) {
        w$scalar <- own
      }
    }
  }
}

refuse_depth <- function(w, number) {
  refuse_brief(w$file, number, sprintf("It goes more than %d levels deep; no part of a brief does.",
                                       most_brief_depth))
}

note_key <- function(w, text, line, column) {
  w$keys[[length(w$keys) + 1L]] <- list(text = text, line = line, column = column, flow = w$flow)
}

# Signs with which YAML makes more of a text than it says.
refuse_signs <- function(w, here, following, number) {
  named <- nzchar(following) && following != " "
  said <- switch(here, "&" = if (named) "Anchors (&) are", "*" = if (named) "Aliases (*) are",
                 "!" = "Tags (!) are", "?" = if (!named) "Keys of several parts (?) are",
                 "%" = , "@" = , "`" = sprintf("A value that begins with %s is", here))
  if (is.null(said)) return(invisible())
  refuse_brief(w$file, number, paste(said, "not taken."),
               hint = sprintf("A text that begins with %s stands in quotes.", here))
}

# Past a quoted text that begins here; where it does not end on this line it goes on.
yaml_quoted <- function(w, letters, at) {
  w$quote <- letters[at]
  yaml_quote_end(w, letters, at + 1L)
}

yaml_quote_end <- function(w, letters, at) {
  n <- length(letters)
  while (at <= n) {
    if (w$quote == "\"" && letters[at] == "\\") at <- at + 2L
    else if (letters[at] != w$quote) at <- at + 1L
    else if (w$quote == "'" && at < n && letters[at + 1L] == "'") at <- at + 2L
    else {
      w$quote <- ""
      return(at + 1L)
    }
  }
  at
}

# The end of a plain text: a colon before a space, a comment, or a bracket or comma between
# brackets.
plain_end <- function(w, letters, at) {
  n <- length(letters)
  while (at <= n) {
    here <- letters[at]
    following <- if (at < n) letters[at + 1L] else ""
    if (here == ":" && following %in% c(" ", "")) return(at)
    if (here == " " && following == "#") return(at)
    if (w$flow > 0L && here %in% c(",", "[", "]", "{", "}")) return(at)
    at <- at + 1L
  }
  at
}

# The line on which a part stands, told by its path: c("statements", "monthly", "steps", "2", ...).
# Where that cannot be found, the line of what it is part of.
place_of <- function(places, path) {
  from <- 1L
  to <- length(places$text)
  line <- NULL
  for (key in path) {
    if (from > to) break
    within <- from:to
    level <- within[places$flow[within] == min(places$flow[within])]
    # Items may stand as far in as the key that they belong to.
    level <- level[places$flow[level] > 0L | places$column[level] == places$column[level[1]]]
    level <- level[(places$text[level] == "-") == (places$text[level[1]] == "-")]
    is_item <- grepl("^[0-9]+$", key) && all(places$text[level] == "-")
    at <- if (is_item) level[as.integer(key)] else level[places$text[level] == key][1]
    if (is.na(at)) break
    line <- places$line[at]
    after <- level[level > at]
    from <- at + 1L
    to <- if (length(after) > 0) after[1] - 1L else to
  }
  line
}
