test_that("the server takes addresses and acts, and refuses what is none", {
  skip_if_not_installed("shiny", "1.7.4")
  # shiny attaches itself, and its span() would stand before ours.
  if (!"package:shiny" %in% search()) withr::defer(detach("package:shiny"))
  briefs <- withr::local_tempdir()
  file.copy(list.files(system.file("briefs", package = "rollingledger"), full.names = TRUE), briefs)
  offers <- explore_offers(briefs = briefs)
  server <- rollingledger:::explore_server(offers)
  suppressPackageStartupMessages(suppressWarnings(shiny::testServer(server, {
    act <- function(...) session$setInputs(act = as.character(
      jsonlite::toJSON(list(...), auto_unbox = TRUE)))
    session$setInputs(width = 900, address = "")
    later::run_now()
    expect_true(all(c("sentence", "panel-1", "panel-2", "strip") %in% names(page$sent)))
    act(do = "grain", value = "week")
    expect_identical(page$state$panels[[1]]$statement$per, "week")
    act(do = "span", value = "no such days")
    expect_identical(page$state$span, "latest 15 weeks")
    act(do = "undo")
    expect_identical(page$state$panels[[1]]$statement$per, "month")
    act(do = "redo")
    expect_identical(page$state$panels[[1]]$statement$per, "week")
    # One and the same act again is one more act.
    session$setInputs(act = "{\"do\": \"by\", \"value\": \"route\"}")
    session$setInputs(act = "not json")
    session$setInputs(act = list(1, 2))
    expect_identical(unlist(page$state$panels[[1]]$statement$by), "route")
    # Back in the browser is the address of before.
    session$setInputs(address = rollingledger:::state_text(rollingledger:::first_state(
      offers$ledger)))
    expect_null(page$state$panels[[1]]$statement$by)
    # A brief that asks for values shows them first, and opens with them.
    before <- page$state
    act(do = "brief", value = "leaders-per-week.yml")
    expect_identical(page$state, before)
    act(do = "brief", value = "leaders-per-week.yml", ready = "yes", value_weeks = "last 5 weeks")
    expect_identical(page$state$span %||% page$state$panels[[1]]$statement$span, "last 5 weeks")
    expect_true(rollingledger:::has_step(page$state$panels[[1]], "add_rank"))
    act(do = "brief", value = "../../etc/passwd")
    # What goes wrong within leaves the page as it was.
    before <- page$state
    page$offers$ledger <- NULL
    act(do = "grain", value = "week")
    page$offers$ledger <- offers$ledger
    page$state <- before
    session$setInputs(typed = "{\"id\": \"span\", \"kind\": \"span\", \"text\": \"last month\"}")
    session$setInputs(typed = "{\"kind\": 7}")
    act(do = "grain", value = "day")
    expect_identical(page$state$panels[[1]]$statement$per, "day")
    act(do = "hand", value = "over")
    later::run_now()
  })))
})

test_that("the page is for its own machine, or for who has the token", {
  ask <- function(..., token = NULL, search = "") {
    rollingledger:::request_problem(list(...), token, search)
  }
  expect_null(ask(HTTP_HOST = "127.0.0.1:4000"))
  expect_null(ask(HTTP_HOST = "localhost:4000", HTTP_ORIGIN = "http://localhost:4000"))
  expect_null(ask(HTTP_HOST = "[::1]:4000"))
  expect_match(ask(HTTP_HOST = "evil.example:4000"), "machine")
  expect_match(ask(HTTP_HOST = "127.0.0.1:4000", HTTP_ORIGIN = "http://evil.example"),
               "other pages")
  token <- rollingledger:::new_token()
  expect_match(token, "^[0-9a-f]{32}$")
  expect_false(identical(token, rollingledger:::new_token()))
  expect_null(ask(HTTP_HOST = "ferry.example:80", token = token, search = paste0("?token=", token)))
  for (wrong in c("", "?token=", "?token=x", paste0("?token=", token, "0"),
                  paste0("?t=", token), paste0("?token=", chartr("0123", "4567", token)))) {
    expect_match(ask(HTTP_HOST = "ferry.example", token = token, search = wrong), "token")
  }
})

test_that("explore() refuses what it cannot open", {
  x <- explore_fares(50)
  expect_error(explore_app(7), class = "rollingledger_error")
  expect_error(explore_app(x, tables = list(demo_targets)), "named list")
  expect_error(explore_app(x, tables = list(a = 7)), "data frames or paths")
  expect_error(explore_app(x, tables = list(a = "nowhere.csv")), "no file")
  expect_error(explore_app(x, briefs = "nowhere"), "no folder")
  expect_error(explore_app("nowhere.yml"), "no brief")
  expect_error(explore(x, port = 80), "port")
  expect_error(explore(x, host = 1), "host")
  expect_error(explore(x, open = NA), "open")
  for (args in list(character(), "nowhere.csv", c(demo_csv(), "--on", "sailed_on", "--port", "x"),
                    c(demo_csv(), "--on", "sailed_on", "--value", "a=1"),
                    c(demo_csv(), "--on", "sailed_on", "--briefs", "nowhere"))) {
    expect_true(command(c("explore", args))$status %in% 1:2, info = paste(args, collapse = " "))
  }
})

test_that("long work is done apart, tells how far it is, and can be stopped", {
  skip_if_not(rollingledger:::can_work_apart())
  offers <- explore_offers()
  worker <- rollingledger:::start_worker(offers)
  withr::defer(rollingledger:::stop_worker(worker))
  page <- rollingledger:::new_turns(offers)
  until_over <- function(job) {
    news <- list()
    end <- Sys.time() + 60
    while (!job$over && Sys.time() < end) {
      news <- c(news, rollingledger:::apart_news(job))
      Sys.sleep(0.01)
    }
    news
  }
  # What it tells is what would be told here.
  for (look in c("table", "figure_leaders", "figure_days")) {
    rollingledger:::page_goes_to(page, acts_done(page$state, offers, list(do = "look",
                                                                          value = look)))
    news <- until_over(rollingledger:::start_apart(worker, rollingledger:::page_request(page)))
    made <- rollingledger:::page_pieces(page)
    expect_identical(news[[1]]$value, made)
    # Names within pictures are given anew each time.
    drawn <- rollingledger:::page_drawings(page, made$figures)
    expect_identical(news[[2]]$value$facts, drawn$facts)
    for (i in seq_along(drawn$figures)) {
      parts <- c("panel", "alt", "width", "height", "marks")
      expect_identical(news[[2]]$value$figures[[i]][parts], drawn$figures[[i]][parts])
    }
    page$sent <- made$keys
  }
  folder <- withr::local_tempdir()
  job <- rollingledger:::start_apart(worker, rollingledger:::page_request(page, "csv", folder))
  file <- until_over(job)[[1]]$value
  expect_gt(nrow(data.table::fread(file)), 3)
  # What goes wrong is told.
  job <- rollingledger:::start_apart(worker, rollingledger:::page_request(page, "exe", folder))
  news <- until_over(job)
  expect_match(news[[1]]$problem[1], "must be one of")
  # A page of many parts is stopped on its way.
  for (i in 1:4) page$state <- acts_done(page$state, offers, list(do = "panel_more"))
  job <- rollingledger:::start_apart(worker, rollingledger:::page_request(page, "page", folder))
  for (i in 1:2000) {
    told <- rollingledger:::apart_progress(job)
    if (!is.null(told)) break
    Sys.sleep(0.005)
  }
  expect_match(told, "^Making the page: [0-9] of 6$")
  pid <- rollingledger:::apart_pid(job)
  rollingledger:::apart_stop(job)
  expect_true(job$over)
  expect_false(dir.exists(job$folder))
  expect_identical(list.files(folder, "html$"), character())
  # One that is killed says so, and the worker goes on.
  job <- rollingledger:::start_apart(worker, rollingledger:::page_request(page, "page", folder))
  for (i in 1:500) if (!is.na(rollingledger:::apart_pid(job))) break else Sys.sleep(0.01)
  tools::pskill(rollingledger:::apart_pid(job), 9)
  news <- until_over(job)
  expect_match(news[[1]]$problem, "ended before")
  job <- rollingledger:::start_apart(worker, rollingledger:::page_request(page, "csv", folder))
  expect_length(until_over(job), 1)
})

test_that("the page tells browsers to take nothing from elsewhere, and takes nothing itself", {
  made <- htmltools::renderTags(rollingledger:::explore_frame("Fares"))
  html <- paste(made$head, made$html)
  expect_match(html, "http-equiv=\"Content-Security-Policy\"", fixed = TRUE)
  expect_match(html, "default-src &#39;self&#39;|default-src 'self'")
  expect_match(html, "name=\"referrer\" content=\"no-referrer\"", fixed = TRUE)
  expect_false(grepl("src=\"(https?:)?//|url\\((https?:)?//", html))
})

test_that("the page tells browsers not to frame, keep or pass it on, whoever asks", {
  skip_on_cran()
  skip_if_not_installed("curl")
  skip_if_not_installed("processx")
  page <- start_page("x <- ledger(demo_fares, on = c(sailed = 'sailed_on'))")
  withr::defer(stop_page(page))
  for (host in c("127.0.0.1", "elsewhere.example")) {
    handle <- curl::new_handle(httpheader = paste0("Host: ", host))
    said <- curl::curl_fetch_memory(page$at, handle)
    expect_identical(said$status_code, if (host == "127.0.0.1") 200L else 403L)
    heads <- curl::parse_headers_list(said$headers)
    expect_match(heads[["content-security-policy"]], "frame-ancestors 'none'", fixed = TRUE)
    expect_identical(heads[c("x-frame-options", "referrer-policy", "cache-control",
                             "x-content-type-options")],
                     list("x-frame-options" = "DENY", "referrer-policy" = "no-referrer",
                          "cache-control" = "no-store", "x-content-type-options" = "nosniff"))
  }
})
