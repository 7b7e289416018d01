# The book of answers: each of its answers by its call in R, by the line of the command and by the
# sentence, which give the same.

# The pieces of the vignette in order: list(kind, section, text), `kind` being "code" (in R), "line"
# (of the command), "sentence" or "mistake".
answers_written <- function(file) {
  lines <- readLines(file, encoding = "UTF-8")
  fence <- cumsum(grepl("^```", lines)) %% 2 == 1 & !grepl("^```$", lines)
  head <- grepl("^## ", lines) & !fence
  section <- c(NA, sub("^## ([0-9b]+)[.] .*$", "\\1", lines[head]))[cumsum(head) + 1]
  begins <- grepl("^```\\{r|^```sh", lines)
  kind <- rep(NA_character_, length(lines))
  piece <- NA_character_
  for (i in seq_along(lines)) {
    if (begins[i]) piece <- if (startsWith(lines[i], "```sh")) "line" else "code"
    else if (lines[i] == "```") piece <- NA_character_
    else if (!is.na(piece)) kind[i] <- piece
    else if (startsWith(lines[i], "> ")) kind[i] <- "sentence"
    else if (startsWith(lines[i], "**The mistake**")) kind[i] <- "mistake"
  }
  same <- kind[-1] == kind[-length(kind)]
  run <- cumsum(c(TRUE, is.na(same) | !same))
  pieces <- lapply(split(which(!is.na(kind)), run[!is.na(kind)]), function(at) {
    list(kind = kind[at[1]], section = section[at[1]], text = sub("^> ", "", lines[at]))
  })
  unname(pieces)
}

test_that("each need has its answer, in R, by the command and as a sentence, all the same", {
  file <- testthat::test_path("..", "..", "vignettes", "answers.Rmd")
  skip_if_not(file.exists(file))
  pieces <- answers_written(file)
  folder <- withr::local_tempdir()
  for (own_folder in c("extdata", "briefs")) {
    file.copy(list.files(system.file(own_folder, package = "rollingledger"), full.names = TRUE),
              folder)
  }
  withr::local_dir(folder)
  # In a pipe the command prints all rows.
  withr::local_options(width = 90, rollingledger.rows = Inf, cli.unicode = FALSE)
  withr::local_envvar(COLUMNS = "90")
  by_section <- split(pieces, vapply(pieces, function(one) one$section %||% NA, ""))
  needs <- own("sentence_needs")()$number
  # In the order of the job, those that were added where they belong.
  order <- unique(vapply(pieces, function(one) one$section %||% NA, ""))
  expect_identical(setdiff(order, c(NA, "4b")), needs[order(match(needs, order))])
  expect_setequal(setdiff(order, c(NA, "4b")), needs)
  for (one in by_section) {
    kinds <- vapply(one, `[[`, "", "kind")
    expect_true(all(c("code", "line", "mistake") %in% kinds), info = one[[1]]$section)
  }

  words <- list()
  env <- new.env(parent = globalenv())
  shown <- function(thing) utils::capture.output(print(thing))
  value <- NULL
  differ <- character()
  met <- c(lines = 0, sentences = 0)
  for (piece in pieces) {
    if (piece$kind == "code") {
      if (!any(grepl("opts_chunk", piece$text)))
        value <- suppressMessages(withVisible(eval(parse(text = piece$text), env)))
    } else if (piece$kind == "line") {
      for (line in piece$text) {
        if (grepl("^[A-Z]+=", line)) {
          words[[sub("=.*", "", line)]] <- gsub("^[A-Z]+=\"|\"$", "", line)
          next
        }
        for (name in names(words)) line <- sub(paste0("$", name), words[[name]], line, fixed = TRUE)
        args <- scan(text = line, what = "", quiet = TRUE)
        expect_identical(args[1], "rolling-ledger")
        ran <- command(args[-1])
        expect_true(ran$status %in% if (args[2] %in% c("reconcile", "unusual")) 3L else 0L,
                    info = line)
        met["lines"] <- met[["lines"]] + 1
        # What is written as a file is looked at as a file.
        to <- match(c("--out", "--save"), args)
        if (any(!is.na(to))) {
          expect_true(file.exists(args[to[!is.na(to)][1] + 1]), info = line)
          next
        }
        if (!value$visible) next
        # What to type next is told as it is typed there.
        want <- shown(value$value)
        if (args[2] == "check") want <- c(want[-length(want)], ran$out[length(ran$out)])
        if (!identical(ran$out, want)) differ <- c(differ, line)
      }
    } else if (piece$kind == "sentence") {
      met["sentences"] <- met[["sentences"]] + 1
      text <- paste(piece$text, collapse = " ")
      x <- if (grepl("litres", text)) env$fuel else if (grepl("open entries", text)) env$passes
           else env$fares
      asked <- suppressMessages(ask(x, text, tables = list(plan = demo_targets)))
      # A figure or tiles by what they are drawn of.
      same <- if (inherits(asked, "ggplot")) identical(asked$labels, value$value$labels)
              else identical(shown(asked), shown(value$value))
      if (!same) differ <- c(differ, text)
    }
  }
  expect_identical(differ, character())
  expect_gt(met[["lines"]], 36)
  expect_gt(met[["sentences"]], 27)
})
