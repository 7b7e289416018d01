fares_file <- function(env = parent.frame()) csv_file(fares_csv, env = env)

test_that("totals, ranks, targets and averages on the command line are those of the calls", {
  file <- fares_file()
  targets <- csv_file(c("month,route,target", "2026-01,Oysterby,10", "2026-01,Wickholm,20"))
  got <- command("statement", file, "--on", "sailed", "--per", "month", "--by", "route",
                 "--measure", "income=total(fare)", "--totals", "both",
                 "--target", paste0("income=", targets), "--per-day", "income", "--rank", "income",
                 "--keep", "1", "--rest", "Others", "--rolling", "income", "--over", "5 days",
                 "--stat", "largest")
  expect_identical(got$status, 0L)
  x <- suppressMessages(ledger(file, on = "sailed"))
  s <- statement(x, per = "month", by = "route", income = total(fare), totals = "both") |>
    add_target(income, utils::read.csv(targets)) |> add_per_day(income) |>
    add_rank(income, keep = 1, rest = "Others") |> add_rolling(income, "5 days", stat = "largest")
  expect_identical(got$out, format(s))
  refused <- command("statement", file, "--on", "sailed", "--keep", "2")
  expect_identical(refused$status, 2L)
  expect_match(refused$said, "`--keep` goes with `--rank`", all = FALSE)
  expect_identical(
    command("statement", file, "--on", "sailed", "--by", "route", "--rank", "entries", "--keep",
            "two")$status, 2L)
  expect_identical(command("statement", file, "--on", "sailed", "--totals", "by")$status, 1L)
})

test_that("lines down the page, reconciling and what goes to a file", {
  file <- fares_file()
  lines <- command("statement", file, "--on", "sailed", "--per", "month", "--measure",
                   "income=total(fare)", "--measure", "trips=entries()", "--across", "period",
                   "--lines", "--unit", "fare=EUR")
  expect_match(lines$out, "^income \\(EUR\\) +30.35 +-5.00 +0.00 +7.00$", all = FALSE)
  expect_match(lines$out, "^trips +2 +1 +0 +1$", all = FALSE)
  bank <- csv_file(c("day,amount", "2026-01-30,10.10", "2026-01-31,20.00", "2026-03-01,5"))
  out <- withr::local_tempfile(fileext = ".csv")
  for (more in list(character(), c("--out", out))) {
    got <- command("reconcile", file, "--on", "sailed", "--per", "day", "--measure",
                   "income=total(fare)", "--against", bank, "--key", "period=day", "--value",
                   "amount", more)
    expect_identical(got$status, 3L)
  }
  same <- command("reconcile", file, "--on", "sailed", "--per", "day", "--measure",
                  "income=total(fare)", "--against", bank, "--key", "period=day", "--tolerance",
                  "1000", "--span", "2026-01-30")
  expect_identical(same$status, 3L)
  bank <- csv_file(c("day,amount", "2026-01-30,10.10"))
  same <- command("reconcile", file, "--on", "sailed", "--per", "day", "--measure",
                  "income=total(fare)", "--against", bank, "--key", "period=day", "--span",
                  "2026-01-30")
  expect_identical(same$status, 0L)
  table <- utils::read.csv(out)
  expect_identical(table$result[table$result != "matched"],
                   c("different", "only here", "different", "only here"))
  expect_equal(table$there[table$period == "2026-03-01"], 5)
  expect_identical(
    command("reconcile", file, "--on", "sailed", "--per", "day", "--against", bank, "--tolerance",
            "much")$status, 2L)
})

test_that("entries, members, lookups and entries that last", {
  file <- fares_file()
  got <- command("entries", file, "--on", "sailed", "--per", "month", "--by", "route", "--measure",
                 "income=total(fare)", "--of", "period=2026-01", "--of", "route=Wickholm")
  expect_match(got$out[1], "1 entry behind income of 2026-01, Wickholm: sailed 30 to 31 Jan 2026")
  by_row <- command("entries", file, "--on", "sailed", "--per", "month", "--measure",
                    "income=total(fare)", "--running", "income", "--row", "2", "--figure",
                    "income_running")
  expect_match(by_row$out[1], "3 entries behind income_running of 2026-02")
  many <- command("entries", file, "--on", "sailed", "--per", "month", "--by", "route")
  expect_identical(many$status, 1L)
  expect_match(many$said, "Say also which period", all = FALSE)
  members <- command("members", file, "--on", "sailed", "--member", "route", "--span", "2026-02",
                     "--against", "2026-01", "--measure", "income=total(fare)")
  expect_match(members$out, "route: 0 new, 1 kept and 1 lost", all = FALSE)
  places <- csv_file(c("route,region", "Oysterby,north"))
  looked <- command("statement", file, "--on", "sailed", "--by", "region", "--lookup",
                    paste0("route=", places))
  expect_match(looked$out, "^north +2$", all = FALSE)
  passes <- csv_file(c("from,until", "2026-01-01,2026-01-10", "2026-01-05,"))
  open <- command("statement", passes, "--on", "from", "--until", "until", "--as-of", "2026-01-12",
                  "--span", "2026-01-10/2026-01-11", "--per", "day", "--measure", "open=active()")
  expect_match(open$out, "^2026-01-10 +2$", all = FALSE)
  expect_match(open$out, "^2026-01-11 +1$", all = FALSE)
})

test_that("what is drawn and handed over follows the ending, and is that of the calls", {
  file <- fares_file()
  folder <- withr::local_tempdir()
  asked <- c("statement", file, "--on", "sailed", "--per", "month", "--by", "route", "--measure",
             "income=total(fare)")
  at <- function(name) file.path(folder, name)
  wrote <- function(...) {
    got <- command(...)
    expect_identical(got$status, 0L)
    expect_match(got$said, "^Wrote ", all = FALSE)
  }
  starts <- list("a.png" = as.raw(c(0x89, 0x50)), "a.svg" = charToRaw("<?"),
                 "a.pdf" = charToRaw("%P"), "a.xlsx" = charToRaw("PK"), "a.json" = charToRaw("[{"),
                 "a.html" = charToRaw("<!"))
  for (name in names(starts)) {
    if (name == "a.xlsx" && !rlang::is_installed("openxlsx")) next
    wrote(asked, "--out", at(name))
    expect_identical(readBin(at(name), "raw", 2), starts[[name]])
  }
  for (kind in c("trend", "columns", "years")) wrote(
    asked, "--figure", kind, "--panels", "route", "--out", at(paste0(kind, ".png")))
  wrote(asked, "--figure", "leaders", "--out", at("leaders.png"))
  size <- readBin(at("trend.png"), "raw", 24)
  expect_identical(readBin(size[17:24], "integer", 2, endian = "big"), c(1280L, 800L))
  wrote(asked, "--out", at("small.png"), "--size", "640x400", "--average")
  expect_identical(
    readBin(readBin(at("small.png"), "raw", 24)[17:24], "integer", 2, endian = "big"),
    c(640L, 400L))
  page <- xml2::read_html(at("a.html"))
  expect_length(xml2::xml_find_all(page, "//img"), 1)
  expect_length(xml2::xml_find_all(page, "//div[@class='table']//tbody/tr"), 8)
  x <- suppressMessages(ledger(file, on = "sailed"))
  expect_identical(jsonlite::fromJSON(at("a.json"))$income,
                   statement(x, per = "month", by = "route", income = total(fare))$income)
  skip_if_not_installed("readxl")
  wrote(asked, "--sheet-per", "route", "--out", at("b.xlsx"))
  expect_identical(readxl::excel_sheets(at("b.xlsx")), c("About", "Oysterby", "Wickholm", "(all)"))
})

test_that("figures and workbooks that cannot be are refused before any work", {
  file <- fares_file()
  folder <- withr::local_tempdir()
  out <- file.path(folder, "a.png")
  refused <- function(says, ..., status = 2L) {
    got <- command("statement", file, "--on", "sailed", "--per", "month", ...)
    expect_identical(got$status, status)
    expect_match(got$said, says, all = FALSE)
    expect_false(file.exists(out))
  }
  refused("There is no figure \"pie\"", "--figure", "pie", "--out", out)
  refused("Did you mean", "--figure", "trends", "--out", out)
  refused("`--figure` goes with `--out`", "--figure", "trend")
  refused("`--size` \"12\" is not understood", "--size", "12", "--out", out)
  refused("`--sheet-per` goes with", "--sheet-per", "route", "--out", out)
  refused("`--draw` does not go with the figure members", "--figure", "members", "--draw",
          "entries", "--out", out)
  refused("`--average` does not go with the figure days", "--figure", "days", "--average", "--out",
          out)
  refused("needs a statement per day", "--figure", "days", "--out", out, status = 1L)
  refused("must end in .csv, .tsv, .json, .parquet, .xlsx or .html", "--across", "period", "--out",
          out)
  refused("applies to statements, not to comparisons", "--across", "period",
          "--without-subtotals", "--out", file.path(folder, "a.xlsx"))
})

test_that("why a figure changed, on the command line", {
  file <- demo_csv()
  base <- c("why", file, "--on", "sailed=sailed_on", "--unit", "fare=EUR", "--fiscal-start",
            "April", "--measure", "income=total(fare)", "--now", "2026-07", "--before", "2025-07")
  x <- suppressMessages(ledger(file, on = c(sailed = "sailed_on"), units = c(fare = "EUR"),
                               calendar = april, amounts = "fare"))
  w <- why_changed(x, "2026-07", "2025-07", income = total(fare))
  got <- command(base)
  expect_identical(got$status, 0L)
  expect_identical(got$out, format(w))
  # All attributes are looked at, as from a data frame.
  expect_setequal(attr(w, "attributes")$attribute, c("route", "channel", "fare_class", "account"))
  volume <- command(c(base, "--by", "route,fare_class", "--volume", "passengers"))
  expect_identical(volume$out, format(suppressMessages(why_changed(
    ledger(file, on = c(sailed = "sailed_on"), units = c(fare = "EUR"), calendar = april,
           amounts = c("fare", "passengers")), "2026-07", "2025-07",
    income = total(fare), by = c("route", "fare_class"), volume = "passengers"))))
  line <- command(c(base, "--line", "Oysterby", "--format", "csv"))
  expect_equal(sum(utils::read.csv(text = line$out)$counts), -901.20)
  folder <- withr::local_tempdir()
  for (name in c("why.png", "why.html", "why.xlsx", "why.csv")) {
    expect_identical(command(c(base, "--out", file.path(folder, name)))$status, 0L, info = name)
  }
  expect_equal(utils::read.csv(file.path(folder, "why.csv"))$amount, w$amount)
  page <- paste(readLines(file.path(folder, "why.html")), collapse = "\n")
  for (sentence in attr(w, "sentences")) expect_match(page, sentence, fixed = TRUE)
  code <- command(c(base, "--show-code"))$out
  expect_match(code, "why_changed\\(x, now = \"2026-07\", before = \"2025-07\"", all = FALSE)
  brief <- file.path(folder, "why.yml")
  expect_identical(command(c(base, "--save", brief))$status, 0L)
  expect_true(all(format(w) %in% command("run", brief, "--from", dirname(file))$out))
  expect_identical(command(c("why", file, "--on", "sailed_on"))$status, 2L)
  expect_match(command(c(base, "--arrange", "standing"))$said, "goes with `--out`", all = FALSE)
  expect_identical(command(c(base, "--line", "Nowhere"))$status, 1L)
})
