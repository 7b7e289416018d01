verbs <- function() sort(ls(own("verb_table")))

test_that("every argument of every verb is described once, and its default stands nowhere else", {
  seen <- 0
  for (verb in setdiff(verbs(), "ledger")) {
    args <- formals(getExportedValue("rollingledger", verb))
    fields <- own("fields_of")(verb)
    expect_identical(setdiff(names(args), c(names(fields), "x", "s", "...")), character(),
                     info = verb)
    for (name in setdiff(intersect(names(args), names(fields)), "...")) {
      one <- fields[[name]]
      expect_true(nzchar(one$help), info = paste(verb, name))
      if (one$needed) expect_true(rlang::is_missing(args[[name]]), info = paste(verb, name))
      else expect_identical(args[[name]], one$default, info = paste(verb, name))
      if (is.character(one$choices) && !is.null(one$default))
        expect_true(all(one$default %in% one$choices), info = paste(verb, name))
      seen <- seen + 1
    }
  }
  expect_gt(seen, 90)
  for (method in c("ledger.data.frame", "ledger.character")) {
    args <- formals(own(method))
    expect_identical(setdiff(names(args), c(names(own("fields_of")("ledger")), "source", "...")),
                     character())
    expect_identical(args$calendar, quote(ledger_calendar()))
  }
})

test_that("every exported function that takes a ledger or a statement further is described", {
  # Those that tell of what is there, what makes a question whole, and the page to put it on.
  tell <- c("ask", "control_totals", "explore", "explore_app", "give_ledger", "look_again",
            "question", "save_brief", "sentence", "set_aside")
  others <- setdiff(getNamespaceExports("rollingledger"), c(verbs(), tell))
  first <- vapply(others, function(name) {
    c(names(formals(getExportedValue("rollingledger", name))), "")[1]
  }, "")
  expect_identical(others[first %in% c("x", "s")], character())
})

test_that("what the help pages say of arguments is what the table says", {
  pages <- tools::Rd_db("rollingledger")
  for (verb in c("add_rolling", "add_rank", "statement", "ledger_calendar", "figure_days")) {
    text <- gsub("[[:space:]]+", " ", paste(unlist(pages[[paste0(verb, ".Rd")]]), collapse = ""))
    for (one in own("fields_of")(verb)) {
      said <- gsub("`", "", own("words_for_reader")(own("help_sentence")(one$help)), fixed = TRUE)
      expect_true(grepl(gsub("%", "\\%", said, fixed = TRUE), text, fixed = TRUE) ||
                  grepl(said, text, fixed = TRUE), info = paste(verb, said))
    }
  }
})

test_that("every argument of every function has its place on a help page", {
  skip_if(length(tools::Rd_db("rollingledger")) == 0)
  lacking <- tools::checkDocFiles("rollingledger")
  expect_identical(format(lacking), character())
})

test_that("the command has an option for every argument", {
  options_of <- function(command) vapply(own("cli_commands")[[command]]$options(),
                                         function(o) o$flag, "")
  has <- list(statement = c("ledger", "ledger_calendar", "statement",
                            setdiff(grep("^add_", verbs(), value = TRUE), "add_attributes"),
                            setdiff(grep("^figure_", verbs(), value = TRUE), "figure_unusual"),
                            "sort_rows",
                            grep("^write_", verbs(), value = TRUE)),
              compare = c("ledger", "ledger_calendar", "compare_spans", "compare_known"),
              members = c("ledger", "ledger_calendar", "compare_members"),
              why = c("ledger", "ledger_calendar", "why_changed", "figure_bridge"),
              unusual = c("ledger", "ledger_calendar", "stands_out", "figure_unusual"),
              reconcile = c("ledger", "ledger_calendar", "statement", "reconcile"),
              entries = c("statement", "entries_behind", "add_rolling"), spans = "ledger_calendar")
  without <- character()
  for (command in names(has)) {
    flags <- options_of(command)
    expect_identical(anyDuplicated(flags), 0L, info = command)
    for (verb in has[[command]]) {
      own_flags <- own("field_flags")(verb)
      starts <- own("verb_table")[[verb]]$flag
      lost <- setdiff(own_flags, flags)
      # What starts a verb names its measure.
      expect_identical(setdiff(lost, c("--m", "--figure-of")), character(),
                       info = paste(command, verb))
      if (!is.null(starts)) expect_true(paste0("--", starts) %in% flags, info = verb)
      without <- union(without,
                       paste(verb, setdiff(names(own("fields_of")(verb)), names(own_flags))))
    }
  }
  # A table of a target comes with its measure, a calendar by its own options, spans by --span,
  # conditions by --where.
  expect_setequal(grep(" [a-z]", without, value = TRUE),
                  c("ledger calendar", "ledger where", "statement spans", "add_target targets"))
  # A ledger's own verbs take an option each: --where, --lookup; rows are appended in the file.
  expect_identical(unlist(lapply(c("keep_entries", "add_attributes", "append_entries"),
                                 own("field_flags"))), NULL)
})

# A verb as it is typed, with its defaults said: what follows is then none of the verb before.
typed_verb <- function(verb) {
  described <- own("verb_table")[[verb$fun]]
  flags <- own("field_flags")(verb$fun)
  args <- verb$args[-1]
  defaults <- Filter(Negate(is.null), lapply(described$fields, function(one) one$default))
  args <- c(args, defaults[setdiff(names(defaults), names(args))])
  unlist(c(list(paste0("--", described$flag), verb$args[[1]]),
           lapply(names(args), function(name) c(flags[[name]], as.character(args[[name]])))))
}

test_that("verbs in any order, each with arguments of its own, are those of the calls", {
  fares <- few_fares()
  fares$route[fares$route == ""] <- NA  # in a file nothing is missing, in quotes or not
  x <- ledger(fares, on = c(sailed = "sailed_on", booked = "booked_on"), calendar = april)
  file <- withr::local_tempfile(fileext = ".csv")
  data.table::fwrite(fares, file)
  met <- character()
  set.seed(8)
  for (try in seq_len(rounds(15, 40))) {
    args <- list(per = "month", by = "route", income = "total(fare)", trips = "entries()")
    asked <- asked_at_random(x, args,
                             Filter(function(verb) verb$fun != "add_target", random_verbs(args, 3)))
    got <- command("statement", file, "--on", "sailed=sailed_on,booked=booked_on", "--fiscal-start",
                   "April", "--per", "month", "--by", "route",
                   "--measure", "income=total(fare)", "--measure", "trips=entries()",
                   unlist(lapply(asked$verbs, typed_verb)))
    expect_identical(got$out, format(asked$s),
                     info = paste(unlist(lapply(asked$verbs, typed_verb)), collapse = " "))
    met <- c(met, unlist(lapply(asked$verbs, function(verb) paste(verb$fun, names(verb$args)))))
  }
  expect_true(all(
    c("add_running since", "add_rolling short", "add_rolling stat", "add_change align",
      "add_rank ties", "add_rank first", "add_rank keep", "add_rank within",
      "add_per_day days", "add_share of", "add_running name") %in% met))
})

test_that("what goes with a verb is for those of its kind before it", {
  file <- csv_file(fares_csv)
  ask <- function(...) command("statement", file, "--on", "sailed", "--per", "month", "--measure",
                               "income=total(fare)", "--measure", "trips=entries()", ...)
  x <- suppressMessages(ledger(file, on = "sailed"))
  s <- statement(x, per = "month", income = total(fare), trips = entries())
  expect_identical(
    ask("--running", "income", "--since", "year", "--name", "a", "--running", "income", "--since",
        "month")$out,
                   format(s |> add_running(income, since = "year", name = "a") |>
                          add_running(income, since = "month")))
  expect_identical(ask("--running", "income", "--running", "trips", "--since", "year")$out,
                   format(s |> add_running(income, since = "year") |>
                          add_running(trips, since = "year")))
  expect_identical(ask("--since", "year", "--running", "income,trips")$out,
                   format(s |> add_running(income, since = "year") |>
                          add_running(trips, since = "year")))
  expect_identical(
    ask("--rolling", "income", "--over", "2 months", "--over", "40 days", "--short", "keep")$out,
                   format(add_rolling(s, income, c("2 months", "40 days"), short = "keep")))
  twice <- ask("--running", "income", "--since", "year", "--since", "month")
  expect_identical(twice$status, 2L)
  expect_match(twice$said, "`--since` is given twice", all = FALSE)
  alone <- ask("--ties", "order")
  expect_identical(alone$status, 2L)
  expect_match(alone$said, "`--ties` goes with `--rank`, which is not there", all = FALSE)
})

test_that("a flag that is on in R is turned off by a switch", {
  skip_if_not_installed("openxlsx")
  file <- withr::local_tempfile(fileext = ".xlsx")
  sheets <- lapply(list(NULL, "--without-subtotals"), function(more) {
    got <- command("statement", csv_file(fares_csv), "--on", "sailed", "--by", "route,booked",
                   "--out", file, "--overwrite", more)
    expect_identical(got$status, 0L)
    openxlsx::read.xlsx(file, "Statement")
  })
  expect_gt(nrow(sheets[[1]]), nrow(sheets[[2]]))
  expect_identical(sum(sheets[[2]][[1]] == "(all)"), 0L)
  idle <- command("statement", csv_file(fares_csv), "--on", "sailed", "--without-subtotals")
  expect_match(idle$said, "`--without-subtotals` goes with `--out` FILE that ends in .xlsx",
               all = FALSE)
})

test_that("messages name an argument as its reader met it", {
  file <- csv_file(c("at,fare", "05/01/2026,1", "06/01/2026,2"))
  expect_refused(ledger(file, on = "at"),
                 "Say `date_format = \"%d/%m/%Y\"` if the day comes first", "date")
  said <- paste(command("statement", file, "--on", "at")$said, collapse = " ")
  expect_match(said, "Say `--date-format %d/%m/%Y` if the day comes first", fixed = TRUE)
  expect_no_match(said, "date_format")
  said <- function(...) paste(command("statement", csv_file(fares_csv), "--on", "sailed", ...)$said,
                              collapse = " ")
  expect_match(said("--totals", "by"), "`--totals by` needs attributes in `--by`", fixed = TRUE)
  expect_match(said("--week-start", "Mon", "--year-end", "last Friday"),
               "`--year-end` belongs to a fiscal year of weeks", fixed = TRUE)
  expect_match(said("--per", "month", "--running", "entries", "--since", "yaer"),
               "`--since` must be one of .*Did you mean `year`")
  expect_match(said("--rank", "entries", "--by", "route", "--rest", "Others"),
               "`--rest` stands for what `--keep` leaves over", fixed = TRUE)
  expect_match(said("--statement-as-of", "2030-01-01"), "`--statement-as-of` is 1 Jan 2030",
               fixed = TRUE)
  expect_match(said("--per", "month", "--target", "entries=nothing.csv"),
               "nothing.csv does not exist")
  # Nothing in braces is left, whatever is refused.
  refused <- tryCatch(statement(few_ledger(), per = "mnth"), error = conditionMessage)
  expect_no_match(refused, "[{}]")
})
