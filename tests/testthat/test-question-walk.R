# A question written out as a record, R code, a brief and a command line, and read again, is the
# same question; the sentence names what each step is of.

# The words of a line, as the shell parts them.
shell_parts <- function(line) {
  system2("sh", c("-c", shQuote(paste("for w in", sub("^rolling-ledger statement", "", line),
                                      "; do printf '%s\\n' \"$w\"; done"))), stdout = TRUE)
}

# Without what is said as it is by default: a line says it where it must part two steps.
without_defaults <- function(q) {
  q$steps <- lapply(q$steps, function(step) {
    fields <- own("fields_of")(step$verb)
    step[!vapply(names(step), function(name) identical(step[[name]], fields[[name]]$default), TRUE)]
  })
  q
}

test_that("random questions come back as they were, and the sentence names each measure", {
  met <- c(code = 0, line = 0, brief = 0, sentence = 0, no_option = 0)
  seeds <- rounds(12, 100)
  folder <- withr::local_tempdir()
  for (seed in seq_len(seeds)) {
    set.seed(seed)
    table <- random_fares(seed)
    file <- file.path(folder, paste0("fares", seed, ".csv"))
    data.table::fwrite(table[setdiff(names(table), ".row")], file)
    x <- suppressMessages(ledger(file, on = c(sailed = "sailed_on", booked = "booked_on"),
                                 amounts = "fare", units = c(fare = "EUR"),
                                 number_format = "1234.56"))
    for (try in 1:8) {
      args <- random_statement("text")
      args[intersect(names(args), "by")] <- NULL
      args$by <- one_of_these(NULL, "route", c("route", "channel"))
      if (is.null(args$by)) args["list_all"] <- list(NULL)
      args <- Filter(Negate(is.null), args)
      asked <- asked_at_random(x, args, random_verbs(args))
      if (is.null(asked)) next
      q <- question(asked$s)
      part <- list(statement = q[["statement"]], steps = q$steps)
      info <- paste(seed, try)
      record <- jsonlite::fromJSON(jsonlite::toJSON(q, auto_unbox = TRUE, digits = NA))
      expect_true(identical(own("as_question")(record), q), info = info)
      # R code
      env <- new.env()
      env$x <- x
      suppressMessages(eval(parse(text = own("asked_code")(q)), env))
      same <- identical(question(env$s), q)
      if (!same) expect_identical(question(env$s), q, info = info)
      met["code"] <- met[["code"]] + same
      # A brief
      brief <- withr::local_tempfile(fileext = ".yml", tmpdir = folder)
      save_brief(asked$s, brief)
      made <- own("prepared_run")(own("read_brief")(brief, NULL), list(), folder, NULL, NULL)
      again <- own("as_question")(c(list(ledger = q$ledger), made$statements[[1]]))
      same <- identical(again, q)
      if (!same) expect_identical(again, q, info = info)
      met["brief"] <- met[["brief"]] + same
      # A command line, where it can say it
      line <- tryCatch(own("command_line")(q$ledger, part, "table"),
                       rollingledger_error_choice = function(e) NULL)
      if (is.null(line)) met["no_option"] <- met[["no_option"]] + 1 else {
        parsed <- own("cli_parse")(own("statement_options")(), "statement", shell_parts(line))
        again <- own("as_question")(c(list(ledger = q$ledger), own("cli_part")(parsed)))
        same <- identical(without_defaults(again), without_defaults(q))
        if (!same) expect_identical(again, q, info = paste(info, line))
        met["line"] <- met[["line"]] + same
      }
      # The sentence
      steps <- own("part_tree")(part, folder)$steps
      said <- vapply(steps, own("step_words"), "")
      names <- vapply(q$steps, function(step) gsub("_", " ", step$m), "")
      same <- all(mapply(grepl, names, said, fixed = TRUE))
      expect_true(same, info = info)
      met["sentence"] <- met[["sentence"]] + same
    }
  }
  expect_true(all(met[c("code", "brief", "sentence")] > 4.5 * seeds), info = met)
  expect_identical(met[["line"]] + met[["no_option"]], met[["code"]])
  expect_gt(met[["line"]], 4 * seeds)
})
