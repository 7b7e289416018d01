# The sentence and its choices: whatever they offer answers, does what it says it will, and speaks
# no code. Controls are read from the page's HTML, as a browser has them.

own <- function(name) getNamespace("rollingledger")[[name]]

# What each button and choice of a list would do: list(do, ...) with texts, and `becomes`.
controls_in <- function(html) {
  plain <- function(text) {
    for (one in list(c("&quot;", "\""), c("&#39;", "'"), c("&lt;", "<"), c("&gt;", ">"),
                     c("&amp;", "&"))) text <- gsub(one[1], one[2], text, fixed = TRUE)
    text
  }
  data_of <- function(tag) {
    found <- regmatches(tag, gregexpr("data-[a-z]+=\"[^\"]*\"", tag))[[1]]
    as.list(stats::setNames(plain(sub("^[^=]*=\"(.*)\"$", "\\1", found)),
                            sub("^data-([a-z]+)=.*", "\\1", found)))
  }
  tags <- function(pattern) regmatches(html, gregexpr(pattern, html, perl = TRUE))[[1]]
  buttons <- tags("<button [^>]*data-do=[^>]*>")
  buttons <- lapply(grep(" disabled", buttons, value = TRUE, invert = TRUE), data_of)
  selects <- lapply(tags("(?s)<select [^>]*data-do=.*?</select>"), function(select) {
    data <- data_of(sub(">.*", ">", sub("\n", " ", select)))
    values <- regmatches(select, gregexpr("<option value=\"[^\"]*\"", select))[[1]]
    lapply(plain(sub(".*value=\"(.*)\"$", "\\1", values)), function(value) c(data, value = value))
  })
  Filter(function(act) nzchar(act$do) && is.null(act$from) &&
           !act$do %in% c("hand", "undo", "redo", "brief", "keep", "file", "code", "command"),
         c(buttons, unlist(selects, recursive = FALSE)))
}

# What a person reads of it: no tags, nothing that is typed in, no hints of what could be typed.
words_in <- function(html) {
  html <- gsub("<details class=\"more\">\\s*<summary>Typed</summary>.*?</details>", "", html,
               perl = TRUE)
  html <- gsub("<datalist.*?</datalist>", "", html)
  gsub("\\s+", " ", gsub("<[^>]*>", " ", html))
}

test_that("each part of the sentence has its choices, and each choice leads on without code", {
  offers <- explore_offers(tables = list(plan = demo_targets, deposits = demo_deposits))
  set.seed(12)
  done <- promised <- 0
  for (walk in seq_len(rounds(4, 60))) {
    page <- page_on(offers)
    trail <- character()
    for (i in 1:9) {
      pieces <- own("page_pieces")(page)$pieces
      html <- paste(unlist(pieces), collapse = "\n")
      parts <- unique(regmatches(html, gregexpr("(?<=data-open=\")[^\"]*", html, perl = TRUE))[[1]])
      for (part in parts)
        expect_true(grepl(sprintf("id=\"choose-%s\"", part), html, fixed = TRUE), info = part)
      read <- words_in(html)
      code <- regmatches(read, gregexpr("[a-z_.]+\\(|\\b[a-z]+_[a-z_]+|TRUE|FALSE|NULL|%in%|==",
                                        read))[[1]]
      # Names of measures are what lines of a table are called.
      names <- unlist(lapply(page$state$panels, function(panel) names(panel$statement$measures)))
      named <- vapply(code, function(one) any(startsWith(one, names)), TRUE)
      expect_identical(unique(code[!named]), character(),
                       info = paste(trail, collapse = "; "))
      acts <- controls_in(html)
      act <- acts[[sample(length(acts), 1)]]
      trail <- c(trail, paste(unlist(act[names(act) != "becomes"]), collapse = " "))
      told <- tryCatch({
        goes(page, act[names(act) != "becomes"])
        NULL
      }, rollingledger_error = own("problem_texts"))
      # What cannot be done says so in words, and the page stays.
      if (length(told) > 0) {
        expect_match(told[1], "at most|at least one|cannot|There are no entries|has no|must|no ",
                     info = paste(trail, collapse = "; "))
        next
      }
      problem <- own("panel_answer")(page$state, own("panel_now")(page$state), page$offers)$problem
      if (length(problem) > 0) {
        expect_match(problem[1], paste0("be told apart|cannot be read|too many to be taken in|",
                                        "not part of a whole|No days|before|no entries|needs|",
                                        "No finished"),
                     info = paste(trail, collapse = "; "))
        break
      }
      if (!is.null(act$becomes)) {
        expect_true(grepl(tolower(act$becomes), tolower(sentence_of(page)), fixed = TRUE) ||
                      act$becomes %in% c("in one", "all together"),
                    info = paste(c(trail, act$becomes, sentence_of(page)), collapse = "; "))
        promised <- promised + 1
      }
      done <- done + 1
    }
  }
  expect_gt(done, walk * 4)
  expect_gt(promised, walk)
})

acted_on <- function(page, ...) for (act in list(...)) goes(page, act)

answer_now <- function(page) {
  own("panel_answer")(page$state, own("panel_now")(page$state), page$offers, page$kept)
}

test_that("columns of the page's own answer as those of the ledger, in every form of a question", {
  folder <- withr::local_tempdir()
  x <- ledger(demo_csv(), on = c(sailed = "sailed_on"), units = c(fare = "EUR"), amounts = "fare")
  accounts <- file.path(folder, "accounts.csv")
  utils::write.csv(demo_accounts, accounts, row.names = FALSE)
  page <- page_on(explore_offers(x, briefs = folder, tables = list(accounts = accounts)))
  acted_on(page, list(do = "grain", value = ""), list(do = "look", value = "table"),
           list(do = "bands", column = "fare", edges = "40,10,20"),
           list(do = "column_of_two", a = "fare", how = "divided by", b = "passengers"),
           list(do = "column", value = "route"),
           list(do = "members", column = "route", value = "Oysterby"),
           list(do = "members", column = "route", value = "Wickholm"),
           list(do = "names_as_one", column = "route", value = "The islands"),
           list(do = "lookup", table = "accounts", key = "account"),
           list(do = "by", value = "kind"))
  wanted <- suppressMessages(
    work_out(x, fare_bands = band(fare, 10, 20, 40), fare_per_passengers = fare / passengers,
             route_as_one = renamed(route, Oysterby = "The islands", Wickholm = "The islands")) |>
      add_attributes(accounts, "account") |>
      statement(by = c("fare_bands", "route_as_one", "kind"), span = "latest 12 months",
                fare = total(fare), entries = entries(),
                fare_per_passengers = total(fare_per_passengers)))
  expect_identical(as.data.frame(answer_now(page)$s), as.data.frame(wanted))
  # By its address, as a brief, as code and as a command line.
  near <- own("state_of_address")(own("state_text")(page$state, page$offers$base), x,
                                  page$offers$tables)
  expect_identical(near$said, character())
  again <- page_on(page$offers[c("tables", "briefs", "title")] |> c(list(ledger = x)), near$state)
  expect_identical(as.data.frame(answer_now(again)$s), as.data.frame(wanted))
  code <- paste(own("page_code")(page$state, page$offers), collapse = "\n")
  expect_match(code, "renamed(route, Oysterby = \"The islands\", Wickholm = \"The islands\")",
               fixed = TRUE)
  line <- own("panel_command")(page$state, page$offers)
  expect_match(line, "--column 'fare_bands=band(fare, 10, 20, 40)'", fixed = TRUE)
  expect_match(line, "--lookup account=", fixed = TRUE)
  # What is taken out goes from the questions, and the rest stays.
  acted_on(page, list(do = "column_without", value = "fare_bands"))
  expect_identical(unlist(own("panel_now")(page$state)$statement$by), c("route_as_one", "kind"))
  expect_null(answer_now(page)$problem)
  own("page_undoes")(page)
  expect_identical(as.data.frame(answer_now(page)$s), as.data.frame(wanted))
  # What cannot be is refused, and nothing changes.
  before <- page$state
  for (act in list(list(do = "bands", column = "fare", edges = "x"),
                   list(do = "bands", column = "fare", edges = ""),
                   list(do = "bands", column = "route", edges = "1"),
                   list(do = "column_of_two", a = "fare", how = "by", b = "fare"),
                   list(do = "names_as_one", column = "route", value = "One"),
                   list(do = "lookup", table = "nothing", key = "account")))
    expect_error(goes(page, act), class = "rollingledger_error_choice")
  expect_identical(page$state, before)
})

test_that("the histogram counts every entry once, wherever the values lie", {
  for (seed in 1:20) {
    set.seed(seed)
    n <- 400
    value <- switch(seed %% 4 + 1, round(stats::rlnorm(n, 3, 2), 2), stats::rpois(n, 3),
                    round(stats::rnorm(n, 0, 50), 1), c(rep(5, n - 1), 1e6))
    value[sample(n, 5)] <- NA
    x <- ledger(data.frame(day = as.Date("2026-01-01") + seq_len(n) %% 90, value = value),
                on = "day")
    bins <- own("histogram_bins")(x, "value")
    expect_identical(sum(bins$entries), sum(!is.na(value)) + 0, info = seed)
    at <- findInterval(value[!is.na(value)], bins$from[-1]) + 1
    expect_identical(bins$entries, tabulate(at, length(bins$from)) + 0, info = seed)
  }
})

test_that("a kept brief asks for what was ticked, and its comparisons go with it", {
  folder <- withr::local_tempdir()
  x <- ledger(demo_csv(), on = c(sailed = "sailed_on"), units = c(fare = "EUR"), amounts = "fare")
  page <- page_on(explore_offers(x, briefs = folder))
  acted_on(page, list(do = "by", value = "route"), list(do = "look", value = "figure_leaders"),
           list(do = "members", column = "channel", only = "web"),
           list(do = "panel", value = "2"), list(do = "look", value = "compare_spans"))
  expect_named(own("asks_of_page")(page$state), c("days", "channel", "top"))
  file <- own("page_saved")(page$state, page$offers, "Asking", NULL,
                            asks = c("days", "channel", "top"))
  asked <- suppressMessages(run_brief(file, from = dirname(demo_csv()), days = "last month",
                                      top = 2, channel = "quay"))
  kept <- statement(x, per = "month", by = "route", span = "last month", fare = total(fare),
                    entries = entries(), where = channel == "quay") |>
    add_rank(fare, keep = 2, rest = "All others")
  expect_identical(as.data.frame(asked$statements[[1]]), as.data.frame(kept))
  expect_identical(as.data.frame(asked$statements[[2]]), as.data.frame(
    compare_spans(x, "last month", "last month, 1 year back", by = "route", fare = total(fare),
                  entries = entries())))
  # Without ticks it is the question as it stands.
  plain <- own("page_saved")(page$state, page$offers, "Plain", NULL)
  expect_false(any(grepl("^ask:", readLines(plain))))
})

test_that("what an act changes beside what it is about is said", {
  offers <- explore_offers()
  said_by <- function(state, act) own("fit_said")(state, own("acted")(state, act, offers), act)
  state <- acts_done(own("first_state")(offers$ledger), offers, list(do = "by", value = "route"),
                     list(do = "look", value = "table"),
                     list(do = "set", field = "totals", value = "by"),
                     list(do = "step", value = "add_rank"))
  expect_identical(said_by(state, list(do = "by", value = "route")), paste0(
    "Nothing is split any more: totals taken out and \"the first 3 by fare, the rest as ",
    "\"All others\"\" taken out."))
  expect_identical(said_by(state, list(do = "look", value = "figure_years")), paste0(
    "For Years: totals taken out, no split by route and \"the first 3 by fare, the rest as ",
    "\"All others\"\" taken out."))
  expect_null(said_by(state, list(do = "grain", value = "week")))
})

test_that("spans side by side are columns, each with its days; a grain takes them apart again", {
  page <- page_on(explore_offers())
  acted_on(page, list(do = "span", value = "month to date"),
           list(do = "span_beside", value = "year to date"),
           list(do = "span_beside", value = "year to date, 1 year back"))
  expect_match(sentence_of(page), paste0(
    "month to date (1 to 17 Sep 2026), year to date (1 Jan to 17 Sep 2026) and year to date, ",
    "1 year back (1 Jan to 17 Sep 2025)"), fixed = TRUE)
  expect_identical(answer_now(page)$look, "cross_table")
  expect_identical(nrow(answer_now(page)$s), 3L)
  acted_on(page, list(do = "grain", value = "month"))
  expect_null(own("panel_now")(page$state)$statement$spans)
  expect_null(answer_now(page)$problem)
})

test_that("names that may be one lead to their own entries, and to no others that hold them", {
  n <- 300
  who <- rep(c("Web", "web", "We", "Webbing", "b"), length.out = n)
  x <- ledger(data.frame(day = as.Date("2026-01-01") + seq_len(n) %% 90, who = who,
                         sum = seq_len(n)), on = "day")
  page <- page_on(explore_offers(x, tables = list()))
  html <- own("as_html")(own("hand_piece")("look", page))
  one <- Filter(function(act) act$do == "odd" && grepl("who", act$where %||% ""), controls_in(html))
  expect_length(one, 1)
  goes(page, one[[1]])
  expect_identical(answer_now(page)$s$entries, sum(who %in% c("Web", "web")) + 0)
})

test_that("columns of any kind are said, and tables of one name are not taken for each other", {
  words <- own("column_code_words")
  expect_identical(words("fare * 2 + 1"), "fare * 2 + 1")
  expect_identical(words("renamed(lower_case(route), a = \"b\")"),
                   "renamed(lower_case(route), a = \"b\")")
  expect_identical(words("fare / passengers"), "fare divided by passengers")
  offers <- explore_offers(tables = list(kinds = data.frame(channel = "web", kind = "near")))
  page <- page_on(offers)
  acted_on(page, list(do = "grain", value = ""), list(do = "lookup", table = "kinds",
                                                      key = "channel"),
           list(do = "by", value = "kind"))
  expect_true("near" %in% as.character(answer_now(page)$s$kind))
  page$offers$tables$kinds$kind <- "far"
  made <- own("ledger_with_columns")(page$offers, page$state)
  expect_identical(own("source_members")(made, "kind")$text |> stats::na.omit() |> c(), "far")
  # A table that does not fit leaves the question as it is for the next.
  two <- explore_offers(tables = list(odd = data.frame(route = "Oysterby", note = "x"),
                                      deposits = demo_deposits))
  fit <- own("reconcile_that_fits")(list(per = "day", by = list("route"),
                                         measures = list(fare = "total(fare)")), two)
  expect_identical(fit$args$against, "deposits")
  expect_identical(fit$tree$per, "day")
})

test_that("the first look leads from what is odd to its entries", {
  x <- explore_fares()
  page <- page_on(explore_offers(x))
  html <- own("as_html")(own("hand_piece")("look", page))
  acts <- Filter(function(act) act$do == "odd", controls_in(html))
  expect_gt(length(acts), 0)
  for (act in acts) {
    goes(page, act)
    behind <- own("behind_answer")(page$state, page$offers, page$kept)
    expect_null(behind$problem)
    expect_identical(nrow(behind$entries) + 0, answer_now(page)$s$entries)
    own("page_undoes")(page)
  }
  negative <- Filter(function(act) identical(act$where, "fare < 0"), acts)
  goes(page, negative[[1]])
  expect_identical(answer_now(page)$s$entries, sum(
    demo_fares$fare[seq(1, nrow(demo_fares), length.out = 600)] < 0) + 0)
})

test_that("a look-back that was at hand changes with the grain and says so; any other stays", {
  offers <- explore_offers()
  goes_on <- function(state, ...) own("acted")(state, list(...), offers)
  state <- own("first_state")(offers$ledger)
  expect_identical(state$span, "latest 12 months")
  state <- goes_on(state, do = "grain", value = "week")
  expect_identical(state$span, "latest 15 weeks")
  expect_identical(attr(state, "said"), "The days follow the grain: latest 15 weeks.")
  state <- goes_on(state, do = "grain", value = "day")
  expect_identical(state$span, "latest 30 days")
  state <- goes_on(goes_on(state, do = "span", value = "2026-Q2"), do = "grain", value = "month")
  expect_identical(state$span, "2026-Q2")
  expect_null(attr(state, "said"))
  # In words it follows by itself.
  state <- goes_on(state, do = "span", value = "latest 4 periods")
  page <- page_on(offers, goes_on(state, do = "grain", value = "week"))
  expect_identical(nrow(answer_now(page)$s), 4L)
  expect_match(sentence_of(page), "latest 4 periods: 24 Aug to 17 Sep 2026", fixed = TRUE)
})
