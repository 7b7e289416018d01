page_of <- function(..., env = parent.frame()) {
  path <- withr::local_tempfile(fileext = ".html", .local_envir = env)
  write_report(..., file = path)
  path
}
texts <- function(nodes) xml2::xml_text(nodes)

cells_of <- function(page, at = 1) {
  table <- xml2::xml_find_all(page, "//div[starts-with(@class, 'table')]")[[at]]
  rows <- xml2::xml_find_all(table, ".//tbody/tr")
  do.call(rbind, lapply(rows, function(row) texts(xml2::xml_find_all(row, "./th|./td"))))
}
as_numbers <- function(text) as.numeric(gsub("[^0-9.-]", "", text))

test_that("the page's table is the statement, and its control totals tie", {
  s <- statement(demo_ledger(), per = "month", by = "route", span = "FY2027", income = total(fare),
                 trips = entries()) |>
    add_running(income, since = "fiscal year")
  page <- xml2::read_html(page_of(s, title = "Fares & <more>"))
  cells <- cells_of(page)
  expect_identical(nrow(cells), nrow(s))
  expect_identical(trimws(sub("\\*", "", cells[, 1])), s$period)
  expect_identical(cells[, 2], s$route)
  expect_identical(as_numbers(cells[, 3]), s$income)
  expect_identical(as_numbers(cells[, 5]), s$income_running)
  rows <- xml2::xml_find_all(page, "//div[@class='table']//tbody/tr")
  expect_identical(grepl("partial", xml2::xml_attr(rows, "class")), !s$complete)
  expect_identical(texts(xml2::xml_find_first(page, "//h1")), "Fares & <more>")
  control <- texts(xml2::xml_find_all(page, "//div[@class='control']//tbody/tr[1]/*"))
  expect_identical(control[2], "income")
  expect_identical(control[3], formatC(sum(s$income), format = "f", digits = 2, big.mark = ","))
  expect_identical(control[5], "ties")
  foot <- texts(xml2::xml_find_first(page, "//footer"))
  expect_match(foot, "150,000 entries read = 150,000 used + 0 set aside", fixed = TRUE)
  expect_match(foot, "income = total(fare)", fixed = TRUE)
})

test_that("totals and the rest stand apart, and changes have signs and arrows", {
  s <- statement(demo_ledger(), by = c("channel", "route"), span = "month to date",
                 income = total(fare), totals = "by") |> add_change(income, from = "1 year back")
  page <- xml2::read_html(page_of(s), encoding = "UTF-8")
  rows <- xml2::xml_find_all(page, "//div[@class='table']//tbody/tr")
  expect_identical(grepl("total", xml2::xml_attr(rows, "class")), s$route == "(all)")
  cells <- cells_of(page)
  expect_identical(as_numbers(cells[, 5]), s$income_change)
  expect_identical(substr(cells[, 5], 1, 3), ifelse(s$income_change > 0, "\u25b2 +", "\u25bc -"))
  side <- xml2::xml_attr(xml2::xml_find_all(rows, "./td[4]"), "class")
  expect_identical(side, ifelse(s$income_change > 0, "number up", "number down"))
  ranked <- statement(demo_ledger(), per = "month", by = "route", span = "2026",
                      income = total(fare)) |> add_rank(income, keep = 2, rest = "Others")
  rest <- xml2::xml_find_all(xml2::read_html(page_of(ranked)),
                             "//tbody/tr[@class and contains(@class, 'rest')]")
  expect_length(rest, sum(ranked$route == "Others"))
})

test_that("cross tables and comparisons have each figure under its heading", {
  s <- statement(demo_ledger(), per = "quarter", by = c("channel", "fare_class"), span = "2026",
                 income = total(fare), totals = "by")
  table <- cross_table(s, across = "period")
  page <- xml2::read_html(page_of(table))
  cells <- cells_of(page)
  expect_identical(as_numbers(cells[, 3]), table[["2026-Q1"]])
  expect_identical(
    grepl("total",
          xml2::xml_attr(xml2::xml_find_all(page, "//div[@class='table']//tbody/tr"), "class")),
    table$fare_class == "(all)")
  heads <- texts(xml2::xml_find_all(page, "//thead//th[3]/span"))
  # One measure is named once, above the table.
  expect_identical(heads, "2026-Q1")
  expect_match(texts(xml2::xml_find_all(page, "//p[@class='dates']"))[2], "^income \\(EUR\\), by ")
  compared <- compare_spans(demo_ledger(), "month to date", "month to date, 1 year back",
                            by = "route", income = total(fare))
  shown <- cells_of(xml2::read_html(page_of(compared), encoding = "UTF-8"))
  expect_identical(as_numbers(shown[, 4]), compared$income_difference)
  expect_identical(startsWith(shown[, 4], "\u25b2"), compared$income_difference > 0)
})

test_that("tiles tell the figure, its days, the change and the target", {
  s <- statement(demo_ledger(), span = "month to date", income = total(fare), trips = entries()) |>
    add_change(income, from = "1 year back")
  tiles <- report_tiles(s)
  expect_identical(tiles$value,
                   c(formatC(s$income, format = "f", digits = 2, big.mark = ","),
                     formatC(s$trips, format = "d", big.mark = ",")))
  expect_identical(tiles$days, rep("1 to 17 Sep 2026", 2))
  expect_match(tiles$change[1],
               sprintf("\u25b2 +%s (+%s %%) against %s, 1 to 17 Sep 2025",
                       formatC(s$income_change, format = "f", digits = 2, big.mark = ","),
                       formatC(s$income_change_pct, format = "f", digits = 1),
                       formatC(s$income_before, format = "f", digits = 2, big.mark = ",")),
               fixed = TRUE)
  expect_identical(tiles$change[2], "")
  newest <- statement(demo_ledger(), per = "month", span = "2026", income = total(fare)) |>
    add_target(income, data.frame(month = "2026-09", target = 100000)) |> report_tiles(income)
  expect_identical(newest$target, "73.4 % of the target, 100,000.00 EUR")
  page <- xml2::read_html(page_of("So far" = tiles), encoding = "UTF-8")
  expect_identical(texts(xml2::xml_find_all(page, "//div[@class='tile']/p[@class='label']")),
                   c("Income", "Trips"))
  expect_output(print(tiles), "Income: 73,394.50 EUR, 1 to 17 Sep 2026")
  expect_refused(report_tiles(statement(demo_ledger(), by = "account", income = total(fare))),
                 "too many", "choice")
})

test_that("the page is whole by itself, valid, and its contents lead to its parts", {
  x <- few_ledger()
  monthly <- statement(x, per = "month", income = total(fare))
  path <- page_of(report_heading("First part"), "Whole" = statement(x, income = total(fare)),
                  "Some words & <marks>.",
                  report_heading("Monthly", 2), figure_trend(monthly), monthly,
                  "First part" = reconcile(monthly, data.frame(period = "2026-01", amount = 30.35),
                                           by = "period", value = "amount"))
  text <- paste(readLines(path), collapse = "\n")
  expect_match(text, "^<!DOCTYPE html>\n<html lang=\"en\">")
  expect_no_match(text, "(src|href)=\"(http|//|/|file)")
  expect_no_match(text, "@import|url\\(|fetch\\(|XMLHttpRequest")
  page <- xml2::read_html(path)
  expect_identical(texts(xml2::xml_find_all(page, "//main//h2")), "First part")
  expect_identical(texts(xml2::xml_find_all(page, "//main//h3")),
                   c("Whole", "Monthly", "First part"))
  links <- xml2::xml_attr(xml2::xml_find_all(page, "//nav//a"), "href")
  ids <- xml2::xml_attr(xml2::xml_find_all(page, "//*[@id]"), "id")
  expect_identical(links, paste0("#", ids))
  expect_identical(anyDuplicated(ids), 0L)
  images <- xml2::xml_find_all(page, "//img")
  expect_match(xml2::xml_attr(images, "src"), "^data:image/png;base64,iVBOR")
  expect_match(xml2::xml_attr(images, "alt"),
               paste0("Line chart: Income by month, 15.00 from 1 to 10 Apr 2026. Sailed 30 Jan ",
                      "to 10 Apr 2026.*Latest: 15.00 in 2026-04"))
  # Every element that is opened is closed: strict XML parsing of the body, void elements closed
  # first.
  strict <- gsub("<script>.*</script>", "",
                 gsub("<(meta|img)([^>]*?)/?>", "<\\1\\2/>", sub("<!DOCTYPE html>", "", text)))
  expect_no_error(xml2::read_xml(strict))
  skip_if(Sys.which("tidy") == "", "no HTML validator")
  said <- suppressWarnings(
    system2("tidy", c("-e", "-q", shQuote(path)), stdout = TRUE, stderr = TRUE))
  expect_identical(said, character())
})

test_that("a page of figures alone tells their source, also after they were changed", {
  p <- figure_columns(statement(few_ledger(), by = "route", income = total(fare))) +
    ggplot2::labs(title = "Ours") + ggplot2::theme(legend.position = "none")
  page <- xml2::read_html(
    page_of(p, ggplot2::ggplot(few_fares(), ggplot2::aes(route, fare)) +
            ggplot2::geom_point(na.rm = TRUE) + ggplot2::labs(title = "By hand")))
  expect_match(texts(xml2::xml_find_first(page, "//footer")), "8 entries read = 8 used")
  expect_match(texts(xml2::xml_find_first(page, "//header")), "Sailed 30 Jan to 10 Apr 2026")
  expect_identical(xml2::xml_attr(xml2::xml_find_all(page, "//img"), "alt")[2], "By hand")
})

test_that("each part has its own days, and the foot tells every source", {
  x <- demo_ledger()
  page <- xml2::read_html(
    page_of("A" = statement(x, per = "month", span = "2026", income = total(fare)),
            "B" = statement(x, by = "route", span = "last month", trips = entries()),
            "C" = statement(few_ledger(), income = total(fare))))
  days <- texts(xml2::xml_find_all(page, "//main//p[@class='dates']"))
  expect_identical(days,
                   c("Sailed 1 Jan to 17 Sep 2026, as of 17 Sep 2026, 1 period partial",
                     "Sailed 1 to 31 Aug 2026 (last month), as of 17 Sep 2026",
                     "Sailed 30 Jan to 10 Apr 2026, as of 10 Apr 2026"))
  foot <- texts(xml2::xml_find_first(page, "//footer"))
  expect_match(foot, "Source: demo_fares")
  expect_match(foot, "8 entries read = 8 used")
})

test_that(
  paste0("in a real browser tables sort within their totals and filter, and a phone needs no ",
         "sideways scrolling"), {
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  browser <- browser[nzchar(browser)][1]
  skip_if(is.na(browser), "no browser")
  s <- statement(demo_ledger(), by = c("channel", "route"), span = "2026", income = total(fare),
                 totals = "by")
  path <- page_of(
    figure_columns(statement(demo_ledger(), per = "month", span = "2026", income = total(fare))),
    "Rows" = s)
  steps <- "<script>
    var heads = document.querySelectorAll('thead th button');
    var rows = function () { return Array.from(document.querySelectorAll('div.table tbody tr')); };
    var told = {};
    heads[2].click();
    told.sorted = rows().map(function (r) { return r.cells[2].textContent; });
    told.aria = document.querySelectorAll('thead th')[2].getAttribute('aria-sort');
    heads[2].click(); heads[2].click();
    told.back = rows().map(function (r) { return r.cells[2].textContent; });
    var input = document.querySelector('.filter input');
    input.value = 'oysterby web'; input.dispatchEvent(new Event('input'));
    var shown = rows().filter(function (r) { return !r.hidden; });
    told.left = shown.map(function (r) { return r.textContent; });
    told.wide = document.documentElement.scrollWidth;
    document.body.innerHTML = '<pre id=told></pre>';
    document.getElementById('told').textContent = JSON.stringify(told);
  </script></body>"
  text <- sub("</body>", steps, paste(readLines(path), collapse = "\n"), fixed = TRUE)
  writeLines(text, path)
  frame <- withr::local_tempfile(fileext = ".html")
  out <- system2(browser,
                 c("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic",
                   "--no-first-run", "--disable-background-networking",
                   "--disable-component-update", "--disable-sync",
                   paste0("--user-data-dir=", withr::local_tempdir()), "--window-size=500,844",
                   "--virtual-time-budget=3000", "--dump-dom", paste0("file://", path)),
                 stdout = TRUE, stderr = FALSE, timeout = 60)
  told <- jsonlite::fromJSON(
    sub(".*<pre id=\"told\">(.*)</pre>.*", "\\1", paste(out, collapse = "\n")))
  block <- cumsum(c(FALSE, utils::head(s$route == "(all)", -1)))
  sorted <- s$income[order(block, s$route == "(all)", -s$income)]
  expect_identical(as_numbers(told$sorted), sorted)
  expect_identical(told$aria, "descending")
  expect_identical(as_numbers(told$back), s$income)
  expect_length(told$left, 1)
  expect_match(told$left, "webOysterby")
  expect_lte(told$wide, 500)
})

test_that("members with marks of their own stay text", {
  table <- data.frame(day = as.Date("2026-01-01"), quay = c("<b>North</b> & \"old\"", "caf\u00e9"),
                      fare = 1)
  page <- xml2::read_html(
    page_of(statement(ledger(table, on = "day"), by = "quay", n = total(fare))), encoding = "UTF-8")
  expect_identical(texts(xml2::xml_find_all(page, "//div[@class='table']//tbody/tr/th"))[1:2],
                   c("<b>North</b> & \"old\"", "caf\u00e9"))
})

test_that("a difference in the control totals is said", {
  s <- statement(few_ledger(), per = "month", income = total(fare))
  expect_match(paste(readLines(page_of(s[-2, ])), collapse = ""), "differs by 4.90")
})

test_that(
  "files: csv and tsv read back equal, nothing is overwritten unasked, nothing half written", {
  s <- statement(few_ledger(), per = "month", by = "route", income = total(fare),
                 mean_fare = average(fare))
  for (ending in c(".csv", ".tsv")) {
    path <- withr::local_tempfile(fileext = ending)
    write_statement(s, path)
    back <- data.table::fread(path, data.table = FALSE, na.strings = "")
    expect_identical(names(back), names(s))
    expect_identical(back$income, s$income)
    expect_equal(back$mean_fare, s$mean_fare, tolerance = 1e-14)
    expect_identical(as.double(as.Date(back$to)), as.double(s$to))
    expect_refused(write_statement(s, path), "exists already", "file")
    expect_no_error(write_statement(s, path, overwrite = TRUE))
  }
  folder <- withr::local_tempdir()
  expect_refused(write_statement(s, file.path(folder, "a.doc")),
                 "must end in .csv, .tsv, .json or .parquet", "file")
  expect_refused(write_statement(s, file.path(folder, "no", "a.csv")),
                 "folder .* does not exist", "file")
  expect_error(
    rollingledger:::write_whole(file.path(folder, "a.csv"), FALSE,
                                function(path) { writeLines("half", path); stop("no") }))
  expect_length(list.files(folder), 0)
  expect_refused(write_report(demo_fuel, file = file.path(folder, "a.html")),
                 "Part 1 of the page must be a statement", "choice")
  expect_refused(write_report(file = file.path(folder, "a.html")), "at least one part", "choice")
})

test_that("figures are written as png, svg and pdf", {
  p <- figure_trend(statement(few_ledger(), per = "month", income = total(fare)))
  starts <- list(png = as.raw(c(0x89, 0x50)), svg = charToRaw("<?"), pdf = charToRaw("%P"))
  for (kind in names(starts)) {
    path <- withr::local_tempfile(fileext = paste0(".", kind))
    rollingledger:::write_figure(p, path)
    expect_identical(readBin(path, "raw", 2), starts[[kind]])
  }
})

test_that("JSON and Parquet hold the same table", {
  table <- few_fares()
  table$fare[7] <- 1 / 3
  s <- statement(ledger(table, on = "sailed_on"), per = "month", by = "route", income = total(fare),
                 mean_fare = average(fare), list_all = TRUE)
  path <- withr::local_tempfile(fileext = ".json")
  write_statement(s, path)
  back <- jsonlite::fromJSON(path)
  expect_identical(names(back), names(s))
  expect_identical(back$mean_fare, s$mean_fare)
  expect_identical(as.Date(back$from), s$from)
  expect_identical(back$complete, s$complete)
  expect_identical(back$route, s$route)
  expect_refused(write_statement(s, path), "exists already", "file")
  skip_if_not_installed("nanoparquet")
  path <- withr::local_tempfile(fileext = ".parquet")
  write_statement(s, path)
  back <- as.data.frame(nanoparquet::read_parquet(path))
  expect_equal(back, as.data.frame(s), ignore_attr = TRUE)
  expect_s3_class(back$from, "Date")
})
