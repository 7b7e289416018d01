test_that("each example asks what its call in R asks, and is written back as it", {
  ledgers <- sentence_ledgers()
  names <- own("sentence_names")(ledgers$fares)
  known <- own("sentence_examples")()
  expect_identical(length(known$sentence), 60L)
  other <- character()
  for (i in seq_along(known$sentence)) {
    want <- question_of_code(known$code[i], ledgers)
    if (!identical(read_alone(known$sentence[i], names), want))
      other <- c(other, known$sentence[i])
    said <- own("sentence_of_question")(want, names)
    if (said$style != "plain" || length(said$left) > 0 ||
        !identical(read_alone(said$text, names), want)) other <- c(other, said$text)
  }
  expect_identical(other, character())
})

test_that("what analysts need is said in sentences, or named with the reason", {
  ledgers <- sentence_ledgers()
  needs <- own("sentence_needs")()
  expect_setequal(needs$number, c(1:34, "30b"))
  other <- character()
  for (i in which(nzchar(needs$code))) {
    x <- ledgers[[sub("^[a-z_]+\\((\\w+),.*", "\\1", needs$code[i])]]
    want <- question_of_code(needs$code[i], ledgers)
    got <- suppressMessages(ask(x, needs$sentence[i]))
    if (!identical(asked_alone(question(got)), want)) other <- c(other, needs$sentence[i])
  }
  expect_identical(other, character())
  expect_true(all(nchar(needs$reason[!nzchar(needs$code)]) > 20))
  expect_gt(sum(nzchar(needs$code)), 24)
})

test_that("parts in another order, other case, spaces, articles and synonyms ask the same", {
  names <- own("sentence_names")(sentence_ledgers()$fares)
  known <- own("sentence_examples")()$sentence
  # Where the first part decides what follows, the order is a part of the question.
  tried <- 0
  other <- character()
  set.seed(32)
  for (round in seq_len(rounds(2, 17))) for (sentence in known) {
    want <- read_alone(sentence, names)
    text <- varied_sentence(sentence, names)
    tried <- tried + 1
    if (!identical(read_alone(text, names), want)) other <- c(other, text)
  }
  expect_identical(other, character())
  expect_gt(tried, 100)
})

test_that("another file of words is another language, which is written and read as well", {
  lines <- readLines(own("sentence_words_file")(), encoding = "UTF-8")
  # Each word gets an ending; names before the equals sign and slots stay.
  at <- grep("^[^#].* = ", lines)
  name <- sub("^(\\S+(?: [a-z_]+=\\S+)*) = .*$", "\\1", lines[at], perl = TRUE)
  words <- gsub("\\{[^}]*\\}(*SKIP)(*FAIL)|([A-Za-z]+)", "\\1uz",
                substring(lines[at], nchar(name) + 4L), perl = TRUE)
  lines[at] <- paste(name, "=", words)
  file <- withr::local_tempfile(lines = lines)
  ledgers <- sentence_ledgers()
  names <- own("sentence_names")(ledgers$fares, words = own("read_sentence_words")(file))
  other <- character()
  # Words of spans, columns and values are those of the calendar and the ledger.
  english <- c("and", "or", "as", "by", "only", "without", "where", "against", "each", "spans",
               "why", "what", "unusual", "less", "so", "share", "first", "rest")
  for (code in own("sentence_examples")()$code) {
    want <- question_of_code(code, ledgers)
    said <- own("sentence_of_question")(want, names)
    own_words <- strsplit(tolower(said$text), "[^a-z]+")[[1]]
    same <- identical(read_alone(said$text, names), want) && said$style == "plain"
    if (!same || any(own_words %in% english)) other <- c(other, said$text)
  }
  expect_identical(other, character())
})

test_that("random questions are written, and read back as they were", {
  met <- c(questions = 0, quoted = 0)
  kinds <- character()
  other <- character()
  for (seed in seq_len(rounds(10, 640))) {
    set.seed(seed)
    made <- random_ledger(seed)
    names <- own("sentence_names")(made$x)
    for (try in 1:16) {
      args <- random_statement(made$kind)
      asked <- asked_at_random(made$x, args, random_verbs(args))
      if (is.null(asked)) next
      want <- asked_alone(question(asked$s))
      said <- own("sentence_of_question")(want, names)
      met["questions"] <- met[["questions"]] + 1
      met["quoted"] <- met[["quoted"]] + grepl("\"", said$text, fixed = TRUE)
      kinds <- union(kinds, c(names(want$statement), vapply(want$steps, `[[`, "", "verb")))
      if (length(said$left) > 0 || !identical(read_alone(said$text, names), want))
        other <- c(other, paste(seed, try, said$text))
    }
  }
  expect_identical(other, character())
  expect_gt(met[["questions"]], 100)
  expect_gt(met[["quoted"]], 30)
  expect_true(all(c("per", "by", "measures", "span", "spans", "on", "where", "list_all",
                    "partial", "totals", "add_change", "add_rank", "add_rolling", "add_running",
                    "add_share", "add_per_day", "add_target") %in% kinds))
})

test_that("a sentence and its days are that of the answer, which asked again is the same", {
  x <- sentence_ledgers()$fares
  for (text in c("fare each month by route, latest 3 months, against 1 year back, the first 2",
                 "accounts each week, last 4 weeks, only channel web, without refunds",
                 "fare, month to date and last month, booked",
                 "why did fare change, last month against 1 year back",
                 "fare by route, last month against 2026-07")) {
    s <- suppressMessages(ask(x, text))
    said <- sentence(s)
    expect_true(identical(suppressMessages(ask(x, said)), s), info = said)
    expect_true(identical(suppressMessages(ask(x, sentence(s, days = FALSE))), s), info = said)
  }
  expect_identical(
    sentence(suppressMessages(ask(x, "fare each month, latest 12 months"))),
    "Fare, each month, latest 12 months: 1 Oct 2025 to 17 Sep 2026 [sailed].")
  expect_identical(sentence(statement(x, entries = entries())),
                   "Entries [all: 1 Jan 2023 to 17 Sep 2026, sailed].")
  # Days that are told and no more those of the phrase are said.
  withr::local_options(rlib_message_verbosity = "default")
  expect_message(ask(x, "fare, last month: 1 Jul to 31 Jul 2026"),
                 "last month means 1 to 31 Aug 2026 now", class = "rollingledger_message")
  # What no sentence says is named.
  y <- add_attributes(x, demo_accounts, key = "account")
  expect_match(sentence(statement(y, by = "town", fare = total(fare))),
               "[all: 1 Jan 2023 to 17 Sep 2026, sailed, and a lookup of account]", fixed = TRUE)
})

test_that("harmed texts have an answer or one clear problem, and nothing is run or read", {
  x <- sentence_ledgers()$fares
  names <- own("sentence_names")(x)
  known <- own("sentence_examples")()$sentence
  words <- unique(unlist(strsplit(c(known, paste(
    "`system('touch /tmp/harm')` \"and\" \"\" ( ) [ ] { } : ; , . \u00e9t\u00e9 \u4e2d 99999999999",
    "-5 1e999 ` ``` 2026-13-45 FY2027-Q9 \\ % $ NA NULL TRUE per against the file read.csv"),
    "/etc/passwd"), " ")))
  set.seed(7)
  met <- c(answered = 0, refused = 0)
  odd <- character()
  seconds <- numeric()
  for (try in seq_len(rounds(1200, 100000))) {
    text <- harmed_sentence(known, words)
    began <- proc.time()[["elapsed"]]
    read <- tryCatch(own("read_question")(text, names), error = function(e) {
      odd <<- c(odd, paste(conditionMessage(e), "|", text))
      list(problem = list(message = "?"))
    })
    seconds <- c(seconds, proc.time()[["elapsed"]] - began)
    if (is.null(read$problem)) {
      met["answered"] <- met[["answered"]] + 1
      said <- own("sentence_of_question")(read$question, names)
      same <- identical(read_alone(said$text, names), asked_alone(read$question))
      if (!same && length(said$left) == 0) odd <- c(odd, paste("written as", said$text, "|", text))
    } else {
      met["refused"] <- met[["refused"]] + 1
      fine <- rlang::is_string(read$problem$message) && nzchar(read$problem$message)
      if (!fine) odd <- c(odd, paste("no message |", text))
    }
  }
  expect_identical(odd, character())
  expect_true(all(met > 100))
  # Far above what it takes, on however slow a machine.
  expect_lt(stats::median(seconds), 0.1)
  expect_false(file.exists("/tmp/harm"))
})

test_that("names that are words of the language are said in quotes, and asked without", {
  odd <- data.frame(day = as.Date("2026-01-01") + 0:59, by = rep(c("month", "and", "12"), 20),
                    only = rep(c("by", "", "web"), each = 20), month = rep(c("x", "web"), 30),
                    and = rep(1:3, 20) / 4, check.names = FALSE)
  x <- suppressMessages(ledger(odd, on = "day"))
  names <- own("sentence_names")(x)
  for (by in c("by", "only", "month")) for (member in unique(odd[[by]])) {
    s <- statement(x, by = setdiff(c("by", "only", "month"), by)[1], entries = entries(),
                   where = !!rlang::call2("==", as.symbol(by), member))
    want <- asked_alone(question(s))
    said <- own("sentence_of_question")(want, names)
    expect_identical(read_alone(said$text, names), want, info = said$text)
    # A total of a column called so.
    s <- statement(x, per = "month", by = by, sum = total(and))
    want <- asked_alone(question(s))
    said <- own("sentence_of_question")(want, names)
    expect_identical(read_alone(said$text, names), want, info = said$text)
  }
  expect_refused(ask(x, "entries by month"), "\"by month\" has two meanings", "sentence")
  expect_identical(read_alone("entries by \"month\"", names)$statement$by, "month")
  expect_identical(read_alone("entries each month", names)$statement$per, "month")
  expect_refused(ask(x, "entries, only web"), "It is a member of only \\(20 entries\\)", "sentence")
  expect_identical(read_alone("entries, only \"only\" web", names)$statement$where,
                   "only == \"web\"")
  expect_identical(read_alone("entries, only \"by\" \"12\"", names)$statement$where,
                   "by == \"12\"")
})

test_that("what is left out is no more than that, also where members or amounts are missing", {
  odd <- data.frame(day = as.Date("2026-01-01") + 0:4, place = c("a", "b", NA, "a", "c"),
                    sum = c(1.5, -2, NA, 4, NA))
  x <- suppressMessages(ledger(odd, on = "day"))
  counted <- function(text) suppressMessages(ask(x, text))$entries
  for (text in c("place a", "place a or c", "sum below 0", "sum between 1 and 2",
                 "place is missing", "`sum > 3`")) {
    kept <- counted(paste("entries, only", text))
    expect_identical(counted(paste("entries, without", text)), 5 - kept, info = text)
  }
  # "not" keeps nothing of what is missing, which is said.
  withr::local_options(rlib_message_verbosity = "default")
  expect_message(ask(x, "entries, place is not a"), "Entries without place are not kept")
  expect_identical(counted("entries, place is not a"), 2)
})

test_that("what has two meanings, or none, is refused with what could be said", {
  x <- sentence_ledgers()$fares
  refused <- c(
    "fare per account" = "say `by \"account\"`",
    "fare by route and accounts" = "say `number of account`",
    "fare, without channel web and route Oysterby" =
      "say `without channel web, without route Oysterby`",
    "fare each month each week" = "two things of its grain: month and week",
    "fare each month, this year, against last year" = "say `held against last year`",
    "fare, since 2026-06" = "For \"since\" say",
    "fare by rout" = "Did you mean `route`",
    "fare, only channel wbe" = "Did you mean `web`",
    "fare, last" = "breaks off after \"last\"",
    "fare by" = "breaks off after \"by\"",
    "fare, only channel web and" = "breaks off after \"and\"",
    "fare as a cross table by" = "breaks off",
    "why did fare change" = "The days are missing",
    "new and lost accounts, last month" = "days to hold it against are missing",
    "why did fare change, last month, each week" = "has no place where it is asked why",
    "fare, last month against 2026-07, share of fare" = "Nothing can be added where two spans",
    "fare as income, entries as income" = "taken",
    "fare, where `system(\"ls\")`" = "`system` is not known in a condition",
    "`system(\"ls\")`" = "`system\\(\\)` is not known in a measure",
    "fare (title \"x\")" = "not understood at",
    "fare each month, as a trend (colour red)" = "not understood at \"colour\"")
  for (text in names(refused)) {
    expect_error(ask(x, text), refused[[text]], class = "rollingledger_error", info = text)
  }
  expect_refused(ask(x, ""), "The sentence is empty", "sentence")
  expect_refused(ask(x, strrep("fare ", 1000)), "more than 4,000 letters", "sentence")
  expect_refused(ask(x, c("a", "b")), "must be one text", "sentence")
  expect_refused(ask(demo_fares, "fare"), "must be a ledger", "choice")
})

test_that("a sentence changes the question before it", {
  x <- sentence_ledgers()$fares
  s <- suppressMessages(ask(x, "fare each month by route, last 2 months, only channel web"))
  changed <- function(...) {
    for (text in c(...)) s <- suppressMessages(ask(s, text))
    sentence(s, days = FALSE)
  }
  expect_identical(changed("and entries"), paste("Fare and entries by route, each month, last 2",
                                                 "months, only channel web."))
  expect_identical(changed("and by fare class"), paste(
    "Fare by route and fare class, each month, last 2 months, only channel web."))
  expect_identical(changed("last 3 weeks instead", "each week instead"),
                   "Fare by route, each week, last 3 weeks, only channel web.")
  expect_identical(changed("number of accounts instead"),
                   "Number of accounts by route, each month, last 2 months, only channel web.")
  expect_identical(changed("without conditions", "and against 1 year back"),
                   "Fare by route, each month, last 2 months; fare against 1 year back.")
  expect_identical(changed("and with all totals", "without totals"),
                   "Fare by route, each month, last 2 months, only channel web.")
  expect_identical(changed("and the first 2", "without ranks", "without groups"),
                   "Fare, each month, last 2 months, only channel web.")
})

test_that("every argument of every verb can be said, or is named as what cannot", {
  words <- own("sentence_words")()
  sayable <- unique(vapply(words$patterns, function(one) one$verb, ""))
  # Files, tables, and what is asked of a cell or an act are no part of a sentence.
  without <- c("ledger", "ledger_calendar", "append_entries", "add_attributes", "keep_entries",
               "work_out", "check_ledger", "entries_behind", "reconcile", "write_report",
               "write_statement", "write_workbook")
  # Two spans are compared by "against".
  verbs <- setdiff(ls(own("verb_table")), without)
  expect_setequal(c(intersect(sayable, verbs), "compare_spans"), verbs)
  own_words <- list(statement = c("per", "by", "...", "span", "spans", "on", "where", "as_of",
                                  "known"))
  lacking <- character()
  for (verb in verbs) {
    fields <- own("fields_of")(verb)
    patterns <- Filter(function(one) one$verb == verb, words$patterns)
    said <- unlist(lapply(patterns, function(one) c(one$slots, names(one$fixed))))
    shared <- if (own("verb_table")[[verb]]$of == "ledger") names(own("fields_of")("statement"))
    for (name in setdiff(names(fields), c(said, own_words[[verb]], shared))) {
      kind <- fields[[name]]$kind
      # In brackets by its name; texts, numbers and flags can be.
      if (kind %in% c("table", "named_code", "file") && name != "targets")
        lacking <- c(lacking, paste(verb, name))
    }
  }
  expect_identical(lacking, character())
})

test_that("a foreign file is asked by its own words, and no count is taken for a sum", {
  set.seed(4)
  n <- 400
  table <- data.frame(date = as.Date("2025-01-01") + sample(0:364, n, TRUE),
                      births = sample(200, n, TRUE), town = sample(c("Oysterby", "Wickholm"), n,
                                                                   TRUE))
  x <- suppressMessages(ledger(table, on = "date"))
  same <- function(text, want) expect_identical(
    as.data.frame(suppressMessages(ask(x, text))), as.data.frame(want), info = text)
  total <- statement(x, per = "month", births = total(births))
  same("births each month", total)
  same("how much births each month", total)
  same("total of births each month", total)
  same("births each month, highest first", sort_rows(total, births, order = "down"))
  same("births each month; ordered by births, largest first",
       sort_rows(total, births, order = "down"))
  same("how many towns", statement(x, towns = distinct(town)))
  same("number of different births", statement(x, different_births = distinct(births)))
  for (ago in c("a year ago", "the year before", "1 year earlier"))
    same(paste("births each month, against", ago), add_change(total, births, from = "1 year back"))
  for (days in list(c("only Fridays", "Friday"),
                    c("only the Monday and Tuesday", "Monday", "Tuesday"),
                    c("only Saturday or Sundays", "Saturday", "Sunday"))) {
    same(paste("births each month,", days[1]),
         statement(x, per = "month", births = total(births), where = weekday %in% !!days[-1]))
  }
  days_off <- statement(x, per = "month", births = total(births), where = working_day == "day off")
  same("births each month, only days off", days_off)
  same("births each month, without working days", days_off)
  expect_error(ask(x, "births each month on Fridays"), "only Fridays",
               class = "rollingledger_error_sentence")
  expect_error(ask(x, "births each month, only weekends"), "only Saturdays and Sundays",
               class = "rollingledger_error_sentence")
  # How many values there are is not what was meant as a rule.
  expect_error(ask(x, "number of births each month"), "two meanings.*total of births",
               class = "rollingledger_error_sentence")
  expect_error(ask(x, "births each weekday"), "by weekday", class = "rollingledger_error_sentence")
  # What could stand there is told in the file's own words.
  expect_error(ask(x, "arrivals each month"), "births above 100",
               class = "rollingledger_error_sentence")
})

test_that("a member called as a day is asked, wherever the entries lie", {
  table <- data.frame(day = as.Date("2026-03-02") + 0:27, fare = 1:28,
                      route = rep(c("Sunday", "Tern"), 14))
  file <- withr::local_tempfile(fileext = ".csv")
  utils::write.csv(table, file, row.names = FALSE)
  base <- withr::local_tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), base)
  table$day <- format(table$day)
  DBI::dbWriteTable(con, "trips", table)
  DBI::dbDisconnect(con)
  places <- list(suppressMessages(ledger(file, on = "day")),
                 ledger(paste0("sqlite://", base, "?table=trips"), on = "day"))
  for (x in places) {
    expect_error(ask(x, "fare each month, only Sunday"), "two meanings.*route.*weekday",
                 class = "rollingledger_error_sentence")
    same <- function(text, s) expect_identical(as.data.frame(ask(x, text)), as.data.frame(s))
    same("fare each month, only route Sunday",
         statement(x, per = "month", fare = total(fare), where = route == "Sunday"))
    # No route is called so.
    same("fare each month, only Mondays",
         statement(x, per = "month", fare = total(fare), where = weekday == "Monday"))
  }
})
