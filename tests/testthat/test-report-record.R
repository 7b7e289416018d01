# Records of runs, and what has changed since.

run_twice <- function(change, ...) {
  folder <- brief_folder(parent.frame())
  fares <- file.path(folder, "fares.csv")
  many <- data.frame(sailed_on = as.Date("2026-01-01") + rep(0:29, each = 3),
                     booked_on = as.Date("2025-12-01"), route = c("Oysterby", "Wickholm", "x"),
                     channel = "web", fare = seq(1, 90) / 4)
  data.table::fwrite(many, fares)
  brief <- write_brief(folder, good_brief)
  out <- withr::local_tempdir(.local_envir = parent.frame())
  suppressMessages(run_brief(brief, out = out))
  record <- file.path(out, "a.record.json")
  data.table::fwrite(change(many), fares)
  suppressMessages(run_brief(brief, ..., compare = record))$changes
}

test_that("new, late, changed and lost entries are told from each other", {
  same <- run_twice(identity)
  expect_match(format(same), "The source is the same, byte by byte", all = FALSE)
  expect_match(format(same), "none is new, late, gone or changed", all = FALSE)
  expect_false(same$different)
  # In another order they are the same entries.
  sorted <- run_twice(function(t) t[sample(nrow(t)), ])
  expect_match(format(sorted), "none is new, late, gone or changed", all = FALSE)
  expect_null(sorted$source)
  new <- run_twice(function(t) rbind(t, transform(t[1:2, ], sailed_on = as.Date("2026-02-01"))))
  expect_identical(new$entries, "New entries: 2 after 30 Jan 2026.")
  expect_false(new$different)
  late <- run_twice(function(t) rbind(t, t[4, ]))
  expect_identical(late$entries, "Late entries: 1 entry on 2 Jan 2026.")
  expect_true(late$different)
  gone <- run_twice(function(t) t[-c(1, 90), ])
  expect_identical(gone$entries, "Entries gone: 2 entries on 1 Jan 2026 and 30 Jan 2026.")
  # One value of one entry, or two that change places within a day, whatever the sums.
  changed <- run_twice(function(t) {
    t$route[7] <- "y"
    t
  })
  expect_match(changed$entries, "^Changed entries: some of the 3 entries on 3 Jan 2026")
  exchanged <- run_twice(function(t) {
    t$fare[10:11] <- t$fare[11:10]
    t
  })
  expect_match(exchanged$entries, "^Changed entries: .* on 4 Jan 2026")
  expect_true(exchanged$different)
  columns <- run_twice(function(t) cbind(t, more = 1))
  expect_match(columns$entries[1], "Columns came or went: more")
})

test_that("figures that moved and a question that changed are told", {
  asked <- run_twice(identity, route = "Wickholm")
  expect_identical(asked$question, "Changed question: route was Oysterby and is Wickholm.")
  expect_true(asked$different)
  late <- run_twice(function(t) rbind(t, transform(t[4, ], route = "Oysterby")))
  expect_match(late$figures, "income of monthly, .*, was ", all = FALSE)
  same <- run_twice(identity)
  expect_true(all(grepl("as before", same$figures)))
})

test_that("a lookup that changed is told, and so are figures that moved by it", {
  folder <- brief_folder()
  places <- file.path(folder, "places.csv")
  writeLines(c("route,region", "Oysterby,north", "Wickholm,south"), places)
  text <- append(good_brief, c("  steps:", "  - add_attributes: {table: places.csv, key: route}"),
                 after = 6)
  text <- sub("where: route == <route>", "where: region == \"north\"", text)
  brief <- write_brief(folder, text)
  out <- file.path(folder, "out")
  suppressMessages(run_brief(brief, out = out))
  writeLines(c("route,region", "Oysterby,north", "Wickholm,north"), places)
  changes <- suppressMessages(
    run_brief(brief, compare = file.path(out, "a.record.json")))$changes
  expect_match(changes$source, "Changed tables beside the entries: places.csv", all = FALSE)
  expect_match(changes$figures, "income of monthly, .*, was ", all = FALSE)
  expect_true(changes$different)
})

test_that("values asked for at a terminal go to every run of a series", {
  folder <- brief_folder()
  brief <- rollingledger:::read_brief(write_brief(folder, with_line(
    "  days: {kind: phrase, default: all}", "  days: {kind: phrase, default: ask}")))
  out <- file.path(folder, "routes")
  asked <- 0
  series <- rollingledger:::prepared_series(
    brief, "route", list(route = c("Oysterby", "Wickholm")), out, NULL, NULL, FALSE, NULL,
    terminal = function(name, ask) {
      asked <<- asked + 1
      "2026-01"
    })
  rollingledger:::finished_series(series, TRUE, NULL)
  expect_identical(asked, 1)
  expect_identical(utils::read.csv(file.path(out, "wickholm", "monthly.csv"))$period, "2026-01")
  expect_identical(rollingledger:::folder_names(c("Index.html", "a b", "A B")),
                   c("index.html-1", "a-b", "a-b-1"))
})

test_that("a record holds what was run on what, and is refused where it is none", {
  folder <- brief_folder()
  brief <- write_brief(folder, good_brief)
  out <- withr::local_tempdir()
  run <- run_brief(brief, out = out)
  record <- jsonlite::fromJSON(file.path(out, "a.record.json"))
  expect_identical(record$brief$name, "Fares")
  expect_identical(record$values, list(route = "Oysterby", days = "all"))
  expect_identical(record$source$bytes, as.integer(file.size(file.path(folder, "fares.csv"))))
  expect_identical(record$package, as.character(utils::packageVersion("rollingledger")))
  expect_identical(sum(record$by_day$count), 8L)
  expect_equal(record$control$value[1], sum(run$statements$monthly$income))
  not <- write_brief(folder, "{}", "not.json")
  expect_refused(run_brief(brief, compare = not), "is not the record of a run", "brief")
  expect_refused(run_brief(brief, compare = "none.json"), "There is no record", "brief")
  got <- command("run", brief, "--compare", file.path(out, "a.record.json"))
  expect_identical(got$status, 0L)
  expect_match(got$out, "^Since the run of ", all = FALSE)
  expect_identical(command("run", brief, "--value", "route=Wickholm", "--compare",
                           file.path(out, "a.record.json"))$status, 3L)
  expect_identical(command("run", brief, "--compare", not)$status, 2L)
})

test_that("a series is a folder with an index, in the place of an earlier one alone", {
  folder <- brief_folder()
  brief <- write_brief(folder, good_brief)
  out <- file.path(folder, "routes")
  run_brief_each(brief, each = "route", out = out)
  values <- c("oysterby", "wickholm")
  expect_true(all(c("index.html", "series.json", values) %in% list.files(out)))
  for (value in values) {
    table <- utils::read.csv(file.path(out, value, "monthly.csv"))
    expect_identical(tolower(unique(table$route)), value)
    one <- run_brief(brief, route = table$route[1])$statements$monthly
    expect_identical(table$income, one$income)
  }
  index <- xml2::read_html(file.path(out, "index.html"))
  links <- xml2::xml_attr(xml2::xml_find_all(index, "//a"), "href")
  expect_true(all(file.exists(file.path(out, utils::URLdecode(links)))))
  expect_refused(run_brief_each(brief, each = "route", out = out), "from an earlier run", "file")
  writeLines("mine", file.path(folder, "mine.txt"))
  expect_refused(run_brief_each(brief, each = "route", out = folder, overwrite = TRUE),
                 "are not of an earlier run", "file")
  run_brief_each(brief, each = "route", route = "Wickholm", out = out, overwrite = TRUE)
  expect_setequal(list.files(out), c("index.html", "series.json", "wickholm"))
  expect_identical(list.files(folder, "^[.]rolling", all.files = TRUE), character())
  # One that fails half way leaves the folder as it was.
  expect_refused(run_brief_each(brief, each = "route", route = c("Oysterby", "nobody"), out = out,
                                overwrite = TRUE), "must be a member", "brief")
  expect_setequal(list.files(out), c("index.html", "series.json", "wickholm"))
  expect_refused(run_brief_each(brief, each = "rout", out = out), "must name a value", "brief")
  expect_refused(run_brief_each(brief, each = "days", out = file.path(folder, "n")),
                 "must be given", "brief")
  got <- command("run", brief, "--each", "route")
  expect_identical(got$status, 2L)
  expect_match(got$said, "`--each` needs `--out FOLDER`", all = FALSE)
})
