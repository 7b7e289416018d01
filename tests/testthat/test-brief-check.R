# Briefs that are wrong: one clear message each, with file, line and key, and nothing written.

# The good brief, spoilt. Where a number is given it is the line that the message must name.
broken <- function() {
  put <- function(line, as, at = match(line, good_brief)) list(text = with_line(line, as), at = at)
  more <- function(lines, after = length(good_brief), at = NULL) {
    list(text = append(good_brief, lines, after), at = at)
  }
  only <- function(lines, at = NULL) list(text = lines, at = at)
  measures <- "    measures: {income: total(fare), trips: entries()}"
  table <- "- table: {of: monthly, file: monthly.csv}"
  running <- "    - add_running: {m: income, since: year}"
  on <- "  on: {sailed: sailed_on}"
  asked <- "  days: {kind: phrase, default: all}"
  list(
    # What is no text, or no YAML.
    only(character()), only("x"), only("- a"), only("[]"), only("{}"), only("null"),
    only(strrep("[", 10e6)), only(strrep("[", 5000), 1), only(strrep("{a: ", 300), 1),
    only(strrep("- ", 5000), 1), only(c("a:", strrep("?", 10))),
    only(paste0(strrep(" ", 0:400), "a:")), only(c("brief: 1", "brief: 1"), 2),
    only(c("brief: 1", " name: x"), 2), only(c("brief: 1", "name: \"open")),
    only(c("brief: 1", "name: [a, b")), only(c("brief: 1", "\tname: x"), 2),
    only(c(good_brief, "---", good_brief), length(good_brief) + 1), only(c("%YAML 1.1", "---")),
    only(c("brief: 1", "name: a\001b")), only("brief: 1\nname: \xff\xfe"),
    only(strrep("a: b\n", 60000)), only(rawToChar(as.raw(c(0x61, 0x3a, 0x20, 0x31)))),
    # More than it says.
    put("name: Fares", "name: &x Fares"), put("name: Fares", "name: *x"),
    put("name: Fares", "name: !r system('touch pwned')"),
    put("name: Fares", "name: !expr file.create('pwned')"),
    put("name: Fares", "name: !!python/object/apply:os.system [touch pwned]"),
    put("name: Fares", "name: !!binary aGVsbG8="), more(c("base: &b {a: 1}", "<<: *b")),
    only(c("a: &a [x,x]", "b: &b [*a,*a]", "c: &c [*b,*b]"), 1), only("? [a, b]\n: 1", 1),
    # Keys that are not there, and those that must be.
    put("brief: 1", "brief: 2"), put("brief: 1", "brief: one"), put("brief: 1", "breif: 1", 1),
    put("name: Fares", "title: Fares"), put("name: Fares", "name:"),
    put("name: Fares", "name: {a: b}"), put("name: Fares", "name: [a]"),
    put("category: Board", "category: []"), put("  file: fares.csv", "  fiel: fares.csv", 5),
    put("  file: fares.csv", "  file:"), put("  file: fares.csv", "  file: []"),
    put("  file: fares.csv", "  file: {a: b}"), put(on, "  on:"), put(on, "  on: {}"),
    put(on, "  on: {sailed: {a: b}}"), put("statements:", "statments:", 13),
    only(good_brief[1:12]), only(c(good_brief[1:12], "statements: {}")),
    only(c(good_brief[1:12], "statements: [a]")), only(c(good_brief[1:12], "statements:")),
    put("    per: month", "    per: mnth"), put("    per: month", "    per: [month]"),
    put("    per: month", "    pre: month"), put("    by: route", "    by: {a: route}"),
    put("    by: route", "    by: [[route]]"), put(measures, "    measures: total(fare)"),
    put(measures, "    measures: [total(fare)]"), put(measures, "    measures: {income: [a]}"),
    put(measures, "    totals: all"), put(measures, "    list_all: maybe"),
    # Expressions and phrases.
    put(measures, "    measures: {income: total(fare}"),
    put(measures, "    measures: {income: sum(fare)}"),
    put(measures, "    measures: {income: system('touch pwned')}"),
    put(measures, "    measures: {income: base::system('touch pwned')}"),
    put(measures, "    measures: {income: \"(function() 1)()\"}"),
    put(measures, "    measures: {income: total(fare, where = eval(parse(text = 'x')))}"),
    put(measures, paste0("    measures: {income: \"", strrep("(", 2000), "\"}")),
    put("    where: route == <route>", "    where: route ="),
    put("    where: route == <route>", "    where: file.exists(\"/etc/passwd\")"),
    put("    where: route == <route>", "    where: [route == <route>, {a: b}]"),
    put("    span: <days>", "    span: last mnth"), put("    span: <days>", "    span: <day>"),
    put("    span: <days>", "    span: 1e400"), put("    span: <days>", "    span: [a, b]"),
    put("    span: <days>", "    as_of: soon"), put("    span: <days>", "    as_of: 2026-02-30"),
    # Steps.
    put(running, "    - add_runing: {m: income}"), put(running, "    - add_running: income"),
    put(running, "    - add_running: {since: year}"), put(running, "    - add_running: {m: [a]}"),
    put(running, "    - add_running: {m: income, since: week, since: year}"),
    put(running, "    - {add_running: {m: income}, add_rank: {m: income}}"),
    put(running, "    - add_rank: {m: income, keep: many}"),
    put(running, "    - add_rank: {m: income, keep: 99999999999999999999999999999999999999}"),
    put(running, "    - add_rank: {m: income, ties: none}"),
    put(running, "    - add_target: {m: income, targets: /etc/passwd}"),
    put(running, "    - add_running"), put("    steps:", "    step:"),
    put("    steps:", "    compare_spans: {a: 2026, b: 2025}\n    steps:"),
    # What is asked for.
    put(asked, "  days: {kind: date}"), put(asked, "  days: {}"), put(asked, "  days: phrase"),
    put(asked, "  days: {kind: choice}"), put(asked, "  days: {kind: phrase, of: route}"),
    put(asked, "  days: {kind: phrase, choices: [a]}"),
    put("    of: route", "    off: route"), put("  route:", "  a b:"), put("  route:", "  out:"),
    put(asked, "  days: {kind: phrase, default: last mnth}"),
    put(asked, "  days: {kind: number, default: ten}"),
    put(asked, "  days: {kind: day, default: 2026-13-01}"),
    put(asked, "  days: {kind: choice, choices: [a, b], default: c}"),
    put("name: Fares", "name: Fares of <nobody>"),
    # What is shown, and where.
    put(table, "- tabel: {of: monthly}"), put(table, "- table: {of: monthy}"),
    put(table, "- table: {of: monthly, file: /tmp/pwned.csv}"),
    put(table, "- table: {of: monthly, file: ../pwned.csv}"),
    put(table, "- table: {of: monthly, file: a/../../pwned.csv}"),
    put(table, "- table: {of: monthly, file: ~/pwned.csv}"),
    put(table, "- table: {of: monthly, file: 'C:\\pwned.csv'}"),
    put(table, "- table: {of: monthly, file: 'http://example.org/a.csv'}"),
    put(table, "- table: {of: monthly, file: a.doc}"),
    put(table, "- table: {of: monthly, file: ''}"), put(table, "- figure_pie: {of: monthly}"),
    put(table, "- figure_trend: {of: monthly, size: big}"),
    put(table, "- figure_trend: {of: monthly, file: a.csv}"), put(table, "- page: {file: a.html}"),
    put(table, "- page: {content: [{page: {content: []}}]}"),
    put(table, "- page: {content: [{table: {of: monthly, file: a.csv}}]}"),
    put(table, "- table"), put(table, "- {}"), put(table, "- cross_table: {of: monthly, down: up}"),
    put(table, "- reconcile: {of: monthly}"),
    more(table, at = 24),
    put("  file: fares.csv", "  file: ../fares.csv"),
    put("  file: fares.csv", "  file: /etc/passwd"),
    put("  file: fares.csv", "  file: [fares.csv, ../fares.csv]"),
    put("  file: fares.csv", "  file: 'https://example.org/fares.csv'"),
    put("  file: fares.csv", "  file: nowhere.csv"),
    # What only the entries tell.
    put(on, "  on: {sailed: nowhere}"), put("    by: route", "    by: rout"),
    put(measures, "    measures: {income: total(fair)}"),
    put(running, "    - add_running: {m: incme}"), put("    of: route", "    of: rout")
  )
}

test_that("each of more than a hundred broken briefs gets one clear message, and writes nothing", {
  folder <- brief_folder()
  out <- file.path(folder, "out")
  dir.create(out)
  before <- list.files(folder, recursive = TRUE)
  cases <- broken()
  expect_gt(length(cases), 100)
  withr::local_dir(folder)
  for (i in seq_along(cases)) {
    brief <- write_brief(folder, cases[[i]]$text)
    odd <- iconv(setdiff(cases[[i]]$text, good_brief), "UTF-8", "UTF-8", sub = "byte")
    info <- paste(i, substr(paste(odd, collapse = " | "), 1, 80))
    expect_silent(got <- command("run", brief, "--out", out))
    expect_true(got$status %in% 1:2, info = info)
    expect_identical(got$out, character(), info = info)
    own <- grep("^rolling-ledger: ", got$said)
    expect_length(own, 1)
    expect_match(got$said[own], "a[.]yml", info = info)
    expect_lt(nchar(paste(got$said, collapse = "")), 3000)
    # Nothing that R or a reader says of itself.
    expect_no_match(got$said, "Error in|subscript|argument is|cannot open|object '|NULL|closure",
                    info = info)
    if (!is.null(cases[[i]]$at) && !is.na(cases[[i]]$at))
      expect_match(got$said[own], sprintf("line %d\\b", cases[[i]]$at), info = paste(
        info, got$said[own]))
    expect_identical(setdiff(list.files(folder, recursive = TRUE, all.files = TRUE), before),
                     "a.yml", info = info)
  }
  expect_false(file.exists("/tmp/pwned.csv"))
})

test_that("problems are told together, in the order of their lines, with what would be right", {
  folder <- brief_folder()
  text <- with_line("    per: month", "    per: mnth")
  text[text == "    - add_running: {m: income, since: year}"] <-
    "    - add_rank: {m: income, keep: many, ties: none}"
  brief <- write_brief(folder, text)
  said <- tryCatch(run_brief(brief), rollingledger_error_brief = conditionMessage)
  expect_match(said, "^a.yml, line 15, statements > monthly > per: must be one of day, week")
  expect_match(said, "Did you mean `month`?", fixed = TRUE)
  expect_match(said, "line 21, .* > add_rank > keep: must be a number, not \"many\"")
  expect_match(said, "line 21, .* > add_rank > ties: must be one of share, dense and order")
})

test_that("links may not lead out of the folder, whose files alone are read", {
  skip_on_os("windows")
  folder <- brief_folder()
  away <- withr::local_tempdir()
  file.copy(file.path(folder, "fares.csv"), file.path(away, "fares.csv"))
  file.symlink(away, file.path(folder, "link"))
  brief <- write_brief(folder, with_line("  file: fares.csv", "  file: link/fares.csv"))
  expect_refused(run_brief(brief), "leads out of the folder", "brief")
  expect_refused(run_brief(write_brief(folder, good_brief), out = folder,
                           ledger = NULL, from = away, nothing = 1), "does not ask", "brief")
  out <- write_brief(folder, sub("monthly.csv", "link/monthly.csv", good_brief))
  expect_refused(run_brief(out, out = folder), "leads out of the folder", "brief")
  # Nor into folders that are yet to be made.
  deeper <- write_brief(folder, sub("monthly.csv", "link/new/deep/monthly.csv", good_brief))
  expect_refused(run_brief(deeper, out = folder), "leads out of the folder", "brief")
  expect_identical(list.files(away, recursive = TRUE, include.dirs = TRUE), "fares.csv")
  made <- write_brief(folder, sub("monthly.csv", "new/deep/monthly.csv", good_brief))
  withr::local_dir(folder)
  run_brief(made, out = ".")
  expect_true(file.exists("new/deep/monthly.csv"))
})

test_that("the layout is read as it is meant: days, codes and yes stay what they are", {
  folder <- withr::local_tempdir()
  data.table::fwrite(data.frame(on = c("2026-01-01", "2026-01-02"), code = c("010", "yes"),
                                fare = c(1.5, 2)), file.path(folder, "a.csv"))
  brief <- write_brief(folder, c(
    "# a comment: with {brackets} and & signs", "brief: 1", "name: 'It''s: \"on\"'",
    "ledger:", "  file: a.csv", "  on: [on]", "  codes: code", "statements:", "  s:",
    "    span: 2026-01", "    by:", "    - code", "    where: >-", "      code == \"010\" |",
    "      !is_missing(code) & fare > 1", "    measures:", "      \"a b\": total(fare)",
    "      n: entries() # all of them"))
  run <- run_brief(brief)
  expect_identical(run$name, "It's: \"on\"")
  expect_identical(run$statements$s$code, c("010", "yes"))
  expect_identical(run$statements$s$`a b`, c(1.5, 2))
})

test_that("the schema that ships is the one of the table, and names every verb", {
  shipped <- readLines(system.file("briefs", "brief.schema.json", package = "rollingledger"),
                       encoding = "UTF-8")
  expect_identical(paste(shipped, collapse = "\n"), rollingledger:::brief_schema_text())
  schema <- jsonlite::fromJSON(paste(shipped, collapse = ""), simplifyVector = FALSE)
  part <- schema$properties$statements$additionalProperties$properties
  fields <- names(rollingledger:::fields_of("statement"))
  expect_identical(setdiff(c(setdiff(fields, "..."), "measures", "steps"), names(part)),
                   character())
  expect_setequal(names(part$steps$items$properties), ls(rollingledger:::verb_actions))
})

test_that("briefs of a folder are listed by category, with what is wrong with others", {
  folder <- brief_folder()
  write_brief(folder, good_brief)
  write_brief(folder, with_line("category: Board", "category: A"), "b.yml")
  write_brief(folder, with_line("category: Board", "description: No category."), "c.yaml")
  write_brief(folder, with_line("brief: 1", "brief: 7"), "d.yml")
  listed <- list_briefs(folder)
  expect_identical(listed$category, c("A", "Board", NA, NA))
  expect_identical(listed$asks[1], "route and days")
  expect_identical(basename(listed$file)[!is.na(listed$problem)], "d.yml")
  got <- command("briefs", folder)
  expect_identical(got$status, 0L)
  expect_identical(got$out[c(1, 2)], c("A", paste0("  Fares: ", file.path(folder, "b.yml"))))
  expect_match(got$said, "d.yml, line 1, brief: must be 1", all = FALSE)
  expect_identical(command("briefs", folder, "--check")$status, 1L)
  expect_match(command("briefs", folder, "--format", "csv")$out[1], "^category,name,description")
  expect_identical(command("briefs", file.path(folder, "none"))$status, 1L)
  expect_match(command("run", file.path(folder, "a.yaml"))$said, "Did you mean `a.yml`",
               all = FALSE)
})
