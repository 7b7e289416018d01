# Every refusal, by every way in: in R, on the command line, in a brief and on the page. Whoever
# writes no R reads no R, and no one reads the inside of this package.

# What only R says.
words_of_r <- paste0("!!|\\bNULL\\b|\\b(TRUE|FALSE)\\b|[a-z]\\s=\\s\"|`[a-z_]+ =`|\\b(answer|",
                     "statement|ledger|give_ledger|run_brief|save_brief|add_[a-z_]+|",
                     "cross_table|options)\\(|overwrite = |such as c\\(|subscript|",
                     "argument \"|object '|non-numeric|NA/NaN|missing value where|invalid '|",
                     "could not find|R says")

# What may be asked wrongly of a statement: fields by name, in the texts that a brief has.
wrong_questions <- function() {
  statement <- list(
    list(per = "fortnight"), list(by = "root"), list(by = c("route", "route")),
    list(span = "last 0 months"), list(span = "soon"), list(span = "2031"),
    list(on = "paid"), list(where = "root == \"x\""), list(where = "route = \"x\""),
    list(where = "fare > \"x\""), list(where = "route > 3"), list(where = "is_big(fare)"),
    list(where = "passengers %in% fare"), list(totals = "all"), list(partial = "hide"),
    list(anchor = "row"), list(as_of = "2031-01-01"), list(as_of = "soon"),
    list(measures = list(a = "totl(fare)")), list(measures = list(a = "total(route)")),
    list(measures = list(a = "total(fare")), list(measures = list(a = "fare")),
    list(measures = list(a = "total(fare) + route")), list(measures = list(a = "active()")),
    list(measures = list(a = "balance(fare, each = nothing)")), list(measures = list(a = "1")),
    list(known = "2026-01-01"), list(by = "hour"), list(where = "fare > passenger"))
  steps <- list(
    list(add_rank = list(m = "b")), list(add_rank = list(m = "a", within = "week")),
    list(add_rank = list(m = "a", keep = 0)), list(add_rank = list(m = "a", rest = "Others")),
    list(add_running = list(m = "a", since = "noon")),
    list(add_rolling = list(m = "a", over = "x")),
    list(add_rolling = list(m = "a", over = "3 eras")),
    list(add_change = list(m = "a", from = "long ago")),
    list(add_change = list(m = "a", from = "1 year back", align = "moon")),
    list(add_share = list(m = "a", of = "channel")),
    list(add_per_day = list(m = "a", days = "odd")),
    list(add_target = list(m = "a", targets = "nowhere.csv")),
    list(sort_rows = list(m = "b")), list(add_rank = list(m = "a", name = "a")))
  c(lapply(statement, function(asked) list(asked = asked, step = NULL)),
    lapply(steps, function(step) list(asked = list(), step = step)))
}

asked_whole <- function(question) {
  asked <- utils::modifyList(list(per = "month", by = "route", measures = list(a = "total(fare)")),
                             question$asked)
  list(asked = asked, step = question$step)
}

said_in_r <- function(question, x) {
  whole <- asked_whole(question)
  record <- list(statement = whole$asked, steps = if (!is.null(whole$step)) {
    list(c(list(verb = names(whole$step)), whole$step[[1]]))
  })
  tryCatch({
    suppressMessages(answer(record, x))
    NULL
  }, error = identity)
}

typed <- function(question, file) {
  whole <- asked_whole(question)
  flags <- own("field_flags")("statement")
  words <- c("statement", file, "--on", "sailed=sailed_on")
  for (name in setdiff(names(whole$asked), "measures")) {
    words <- c(words, flags[[name]], paste(whole$asked[[name]], collapse = ","))
  }
  words <- c(words, unlist(Map(function(name, code) c("--measure", paste0(name, "=", code)),
                               names(whole$asked$measures), whole$asked$measures)))
  if (!is.null(whole$step)) {
    verb <- names(whole$step)
    args <- whole$step[[1]]
    flag <- names(own("step_flags")())[own("step_flags")() == verb]
    words <- c(words, flag, if (verb == "add_target") paste0(args$m, "=", args$targets) else args$m)
    own_flags <- own("field_flags")(verb)
    for (name in setdiff(names(args), c("m", "targets"))) {
      words <- c(words, if (name == "name") "--name" else own_flags[[name]],
                 paste(args[[name]], collapse = ","))
    }
  }
  words
}

test_that("every refusal is in the words of who reads it", {
  folder <- withr::local_tempdir()
  few <- demo_fares[seq(1, nrow(demo_fares), length.out = 500), ]
  file <- file.path(folder, "fares.csv")
  data.table::fwrite(few, file)
  x <- ledger(few, on = c(sailed = "sailed_on"))
  offers <- explore_offers(x, tables = list())
  met <- c(R = 0, command = 0, brief = 0, page = 0)
  wrong <- character()
  look <- function(reader, said, question) {
    text <- paste(said, collapse = "\n")
    met[[reader]] <<- met[[reader]] + 1
    hit <- regmatches(text, regexpr(words_of_r, text, perl = TRUE))
    # Code of the question itself is repeated as it stands.
    if (reader != "R" && length(hit) > 0 || grepl("R says|subscript|object '", text)) {
      asked <- deparse(question, width.cutoff = 400)[1]
      wrong <<- c(wrong, sprintf("%s: %s <%s> in: %s", reader, asked, paste(hit, collapse = ""),
                                 text))
    }
  }
  for (question in wrong_questions()) {
    e <- said_in_r(question, x)
    if (is.null(e)) next
    expect_s3_class(e, "rollingledger_error")
    look("R", conditionMessage(e), question)
    got <- command(typed(question, file))
    expect_true(got$status %in% 1:2, info = paste(typed(question, file), collapse = " "))
    look("command", got$said, question)
    whole <- asked_whole(question)
    tree <- c(whole$asked, if (!is.null(whole$step)) list(steps = list(whole$step)))
    brief <- file.path(folder, "wrong.yml")
    writeLines(yaml::as.yaml(list(brief = structure("1", class = "verbatim"), name = "Wrong",
                                  ledger = list(file = "fares.csv",
                                                on = list(sailed = "sailed_on")),
                                  statements = list(s = tree))), brief)
    e <- tryCatch({
      suppressMessages(run_brief(brief))
      NULL
    }, error = identity)
    expect_s3_class(e, "rollingledger_error")
    look("brief", conditionMessage(e), question)
    got <- command("run", brief)
    expect_true(got$status %in% 1:2)
    look("command", got$said, question)
    # On the page such a question comes by an address; what does not answer is left out and said.
    state <- rollingledger:::first_state(x)
    state$panels <- list(list(statement = lapply(tree, function(one) {
      if (is.list(one)) one else as.list(one)
    }), look = list(table = list())))
    one_text <- setdiff(names(state$panels[[1]]$statement), c("by", "measures", "steps"))
    state$panels[[1]]$statement[one_text] <- lapply(state$panels[[1]]$statement[one_text], `[[`, 1)
    near <- rollingledger:::state_of_address(rollingledger:::state_text(state), x)
    if (length(near$said) > 0) look("page", near$said, question)
  }
  expect_true(all(met > 25), info = paste(names(met), met, collapse = " "))
  expect_identical(wrong, character())
})

test_that("nothing leaves a file behind where it was called", {
  here <- withr::local_tempdir()
  withr::local_dir(here)
  while (!is.null(grDevices::dev.list())) grDevices::dev.off()
  s <- statement(demo_ledger(), per = "month", by = "route", span = "latest 3 months",
                 income = total(fare)) |> add_change(income, from = "1 year back")
  days <- statement(demo_ledger(), per = "day", span = "2026-08", income = total(fare))
  figures <- list(figure_trend(s), figure_columns(s), figure_leaders(s), figure_days(days),
                  figure_years(statement(demo_ledger(), per = "month", income = total(fare))),
                  ggplot2::autoplot(s))
  for (figure in figures) {
    expect_true(nzchar(ggplot2::get_alt_text(figure)))
    rollingledger:::drawn_figure(figure, s, 900, 500)
  }
  page <- file.path(withr::local_tempdir(), "page.html")
  suppressMessages(write_report(s, figures[[1]], figures[[4]], file = page))
  print(s)
  check_ledger(few_fares())
  rollingledger:::page_drawings(rollingledger:::new_turns(explore_offers()), 1:2)
  expect_identical(list.files(here, all.files = TRUE, no.. = TRUE), character())
})

test_that("what a message names on the command line is an option of it", {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  files <- setdiff(list.files(folder, "[.]R$", full.names = TRUE),
                   file.path(folder, "RcppExports.R"))
  texts <- unlist(lapply(files, function(file) {
    code <- utils::getParseData(parse(file, keep.source = TRUE))
    code$text[code$token == "STR_CONST"]
  }))
  pattern <- "(?<=\\{)[a-z][a-z_0-9]*(?=( =[^{}]*)?\\})"
  names <- unique(unlist(regmatches(texts, gregexpr(pattern, texts, perl = TRUE))))
  expect_gt(length(names), 60)
  flags <- unlist(lapply(own("cli_commands"), function(one) {
    vapply(one$options(), function(option) option$flag, "")
  }))
  words <- own("words_of_options")()
  # These are of calls in R alone, or named by the verb that is asked.
  elsewhere <- c("file", "calendar", "to", "x", "shards", "tables", "n", "m", "text", "level",
                 "entries", "s", "day1", "day2", "member", "spans")
  for (name in setdiff(names, elsewhere)) {
    flag <- words[[name]]
    if (is.null(flag)) flag <- paste0("--", gsub("_", "-", name))
    expect_true(flag %in% flags, info = name)
  }
})

test_that("a first look on the command line names options as they are typed", {
  folder <- withr::local_tempdir()
  file <- file.path(folder, "odd.csv")
  writeLines(c("day,fare", sprintf("2026-01-%02d,%d", 1:20, 1:20), "2026-01-21,see note"), file)
  said <- paste(command("check", file)$out, collapse = " ")
  said <- gsub(" +", " ", said)
  expect_match(said, "`--missing 'see note'`", fixed = TRUE)
  expect_match(said, "`--amount fare`", fixed = TRUE)
  typed <- command("statement", file, "--on", "day", "--missing", "see note", "--measure",
                   "income=total(fare)")
  expect_match(paste(typed$out, collapse = " "), "210")
})
