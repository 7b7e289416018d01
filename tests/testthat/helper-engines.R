# Engines for tests: SQLite in memory, a PostgreSQL of our own, DuckDB by its library. Each gives a
# way to put a table into it and to make a ledger of that.

# The servers of this process, started once whatever files are tested.
server <- getOption("rollingledger.test_servers", new.env())
options(rollingledger.test_servers = server)

# The PostgreSQL among them.
postgres_here <- function() {
  if (is.null(server$postgres)) {
    testthat::skip_if_not_installed("RPostgres")
    started <- tools_here("postgres.R")$start_postgres()
    if (is.null(started)) testthat::skip("PostgreSQL is not installed")
    server$postgres <- started
    reg.finalizer(server, function(server) server$postgres$stop(), onexit = TRUE)
  }
  server$postgres
}

postgres_connection <- function(...) {
  at <- postgres_here()
  DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = at$port, user = at$user,
                 dbname = at$database, check_interrupts = TRUE, ...)
}

postgres_address <- function(...) {
  at <- postgres_here()
  sprintf("postgres://%s@127.0.0.1:%d/%s%s", at$user, at$port, at$database, paste0(...))
}

duckdb_here <- function() {
  testthat::skip_if_not_installed("adbcdrivermanager")
  testthat::skip_if_not_installed("nanoarrow")
  library <- tools_here("postgres.R")$duckdb_library_here(testthat::test_path("..", ".."))
  if (is.null(library)) testthat::skip("the library of DuckDB is not here")
  library
}

duckdb_connection_here <- function(path = ":memory:") {
  driver <- adbcdrivermanager::adbc_driver(duckdb_here(), "duckdb_adbc_init")
  database <- adbcdrivermanager::adbc_database_init(driver, path = path)
  con <- adbcdrivermanager::adbc_connection_init(database)
  attr(con, "database") <- database
  con
}

engine_names <- if (nzchar(Sys.getenv("ROLLINGLEDGER_CLUSTERS")))
  c("ClickHouse", "PostgreSQL over servers") else c("SQLite", "PostgreSQL", "DuckDB")

# list(con, put(table, name), run(sql), label): `put` writes a data frame as a table.
open_engine_here <- function(engine) {
  if (engine == "ClickHouse") return(open_clickhouse_here())
  if (engine == "PostgreSQL over servers") return(open_servers_here())
  if (engine == "DuckDB") {
    con <- duckdb_connection_here()
    return(list(con = con, run = function(sql) adbcdrivermanager::execute_adbc(con, sql),
                put = function(table, name = "fares") {
                  adbcdrivermanager::execute_adbc(con, sprintf("DROP TABLE IF EXISTS %s",
                                                               quoted(name)))
                  adbcdrivermanager::write_adbc(table, con, name)
                }, close = function() NULL))
  }
  testthat::skip_if_not_installed("RSQLite")
  con <- if (engine == "SQLite") DBI::dbConnect(RSQLite::SQLite(), ":memory:")
         else postgres_connection()
  list(con = con, run = function(sql) DBI::dbExecute(con, sql),
       put = function(table, name = "fares") {
         if (engine == "SQLite") table <- dates_as_text(table)
         else DBI::dbExecute(con, sprintf("DROP TABLE IF EXISTS %s CASCADE", quoted(name)))
         DBI::dbWriteTable(con, name, table, overwrite = TRUE)
       }, close = function() DBI::dbDisconnect(con))
}

quoted <- function(name) paste0("\"", gsub("\"", "\"\"", name, fixed = TRUE), "\"")

# A ledger of an engine's table. A cluster has no order of rows of its own.
ledger_at <- function(at, ..., table = "fares") {
  order <- if (with_clusters()) list(order = "row_no")
  rlang::exec(ledger, at$con, table = table, ..., !!!order)
}

# A table as it is put into an engine and asked in memory: in a cluster its rows have numbers.
with_row_numbers <- function(table) {
  if (with_clusters()) table$row_no <- seq_len(nrow(table))
  table
}

# SQLite has no dates.
dates_as_text <- function(table) {
  for (name in names(table)) {
    if (inherits(table[[name]], "Date")) table[[name]] <- as.character(table[[name]])
  }
  table
}

# A table with an attribute that is easily mistaken, as far as the engine has such values.
table_for_engine <- function(engine, seed) {
  table <- random_fares(seed)
  kinds <- c("text", "odd", "numbers", "digits",
             if (engine != "SQLite") "days", if (!engine %in% c("SQLite", "ClickHouse")) "flags")
  kind <- kinds[seed %% length(kinds) + 1]
  table$route <- odd_members(kind, nrow(table))
  if (all(is.na(table$route))) table$route[1] <- stats::na.omit(odd_members(kind, 50))[1]
  list(table = table, kind = kind)
}

ledgers_alike <- function(at, table, seed) {
  asked <- list(on = c(sailed = "sailed_on", booked = "booked_on"), until = "until_on",
                calendar = some_fiscal_calendar(seed), units = c(fare = "EUR"))
  table <- with_row_numbers(table)
  at$put(table)
  suppressMessages(list(memory = do.call(ledger, c(list(table), asked)),
                        engine = do.call(ledger_at, c(list(at), asked))))
}

plain_statement <- function(s) {
  list(as.data.frame(s), lapply(attr(s, "columns"), function(column) {
    column[c("kind", "measure", "decimals", "unit", "notes")]
  }), attr(s, "plan")$notes)
}

# The entries behind a figure, but for the numbers of their rows.
expect_entries_alike <- function(a, b, told) {
  if (nrow(a) == 0) return(invisible())
  row <- sample(nrow(a), 1)
  behind <- function(s) tryCatch(suppressMessages(as.data.frame(entries_behind(s, row = row))),
                                 error = conditionMessage)
  left <- behind(a)
  right <- behind(b)
  if (is.data.frame(left)) left$row <- NULL
  if (is.data.frame(right)) right$row <- NULL
  # The one was made of a table by hand, the other of a connection.
  attr(left, "question") <- attr(right, "question") <- NULL
  expect_equal(right, left, info = told)
}

# Questions of all kinds, each a function of a ledger of the demo tables.
questions_of_ledgers <- list(
  "conditions of the ledger" = function(x) {
    keep_entries(x, channel == "web" & fare > 5) |>
      statement(per = "month", by = "route", income = total(fare), riders = distinct(account),
                new = newcomers(account), again = returning(account), lost = lapsed(account))
  },
  "one condition upon another" = function(x) {
    keep_entries(x, has_text(route, "GULL") | passengers >= 2) |>
      keep_entries(!(fare_class %in% c("foot", "car"))) |>
      statement(per = "week", by = "route", income = total(fare), mid = middle(fare),
                low = smallest(fare), high = largest(fare), last = balance(fare))
  },
  "columns worked out" = function(x) {
    work_out(x, sales = fare * passengers, each = fare / passengers, size = band(fare, 10, 50),
             first = upper_case(text_before(route, " ")), less = fare - 0.5,
             way = renamed(trimmed(channel), web = "net")) |>
      statement(per = "month", by = c("size", "first"), a = total(sales), b = average(each),
                c = total(less), d = distinct(size),
                where = way == "net" | size >= "10 to below 50")
  },
  "worked out where it is needed" = function(x) {
    statement(x, per = "month", a = total(fare * passengers, where = fare * passengers > 100),
              half = middle(fare / 2), where = first_letters(route, 1) == "G")
  },
  "calendar parts" = function(x) {
    statement(x, by = c("weekday", "working_day"), a = total(fare), n = entries(), totals = "by")
  },
  "parts in numbers, and in conditions" = function(x) {
    statement(x, by = "day_of_month", per = "month", a = total(fare),
              where = month_of_year >= "June" & fiscal_week_of_year < 20)
  },
  "parts on another date basis" = function(x) {
    statement(x, by = c("weekday", "route"), on = "booked", a = total(fare),
              b = distinct(account), list_all = TRUE)
  },
  "no hours" = function(x) statement(x, by = "hour", a = total(fare)),
  "a lookup" = function(x) {
    add_attributes(x, demo_accounts, key = "account") |>
      statement(by = "kind", per = "month", a = total(fare), people = distinct(account),
                homes = distinct(household), where = kind != "club")
  },
  "two spans" = function(x) compare_spans(x, "2026-08", "2026-07", by = "route",
                                          income = total(fare), riders = distinct(account)),
  "members" = function(x) compare_members(x, "account", now = "2026-08", before = "2026-07"),
  "why" = function(x) whole_explanation(
    why_changed(x, "2026-08", "2025-08", income = total(fare),
                by = c("route", "channel", "weekday"))),
  "why, by volume" = function(x) whole_explanation(
    why_changed(x, "2026-08", "2026-06", income = total(fare, where = channel != "quay"),
                by = c("route", "channel"), volume = "passengers", where = fare > -50)),
  "why, of a ratio" = function(x) whole_explanation(
    why_changed(x, "2026-08", "2025-08", mean = average(fare), by = "route")),
  "why, of accounts" = function(x) whole_explanation(
    why_changed(x, "2026-08", "2026-06", people = distinct(account, where = fare > 10))),
  "what stands out" = function(x) {
    stands_out(x, per = "week", by = c("route", "channel"), span = "2025-01-20/2025-01-26",
               a = total(fare, where = fare > 5), b = distinct(account), c = average(fare))
  },
  "what stands out by day" = function(x) {
    stands_out(x, per = "day", by = "route", span = "latest finished 20 days", n = entries(),
               share_false = 0.5, where = channel != "quay")
  },
  "what is to come" = function(x) {
    statement(x, per = "month", by = "route", span = "latest 2 months", a = total(fare)) |>
      add_expected(a, ahead = 3, closed = "2026-12-25")
  },
  "what is expected" = function(x) {
    statement(x, per = "month", by = "route", span = "latest 1 month", a = total(fare),
              b = distinct(account), c = average(fare), totals = "by") |>
      add_expected(a) |> add_expected(b) |> add_expected(c)
  },
  "the latest of each" = function(x) {
    statement(x, per = "month", by = "route", a = balance(fare, each = account))
  },
  "anchored" = function(x) {
    statement(x, by = "account", span = "trailing 30 days", anchor = "group", a = total(fare))
  },
  "by an amount" = function(x) statement(x, by = "passengers", a = total(fare), per = "quarter"),
  "across" = function(x) {
    statement(x, per = "month", by = "route", a = total(fare), b = entries()) |>
      cross_table("period")
  },
  "a first look" = function(x) {
    check_ledger(x)[c("contents", "dates", "gaps", "amounts", "alike", "steps", "far_off")]
  },
  "a figure" = function(x) {
    s <- statement(x, per = "month", by = "route", a = total(fare))
    ggplot2::ggplot_build(figure_leaders(s, a))$data[[1]][, 1:4]
  },
  "tied out" = function(x) {
    statement(x, per = "day", span = "2026-08", a = total(fare)) |>
      reconcile(demo_deposits, by = c(period = "received_on"), value = "amount")
  },
  "a phrase" = function(x) span("last 3 months", x),
  "what is not there" = function(x) statement(x, by = "root", a = total(fare)),
  "text added up" = function(x) statement(x, a = total(route)),
  "text compared with a number" = function(x) statement(x, a = total(fare), where = route > 3)
)

# All tables of an explanation, and the entries of its lines.
whole_explanation <- function(w) {
  tables <- c(list(w), attributes(w)[c("members", "attributes", "drivers")])
  # Rows of engines have numbers of their own.
  behind <- lapply(2:3, function(row) {
    entries <- entries_behind(w, row = row)
    list(nrow(entries), attr(entries, "value"), sort(entries$ticket))
  })
  c(list(attr(w, "sentences")), behind,
    lapply(tables, function(table) lapply(as.list(table), as.vector)))
}

# What a question gives, as plain values; or what it says.
plainly <- function(question, x) {
  tryCatch({
    made <- suppressMessages(question(x))
    if (is.data.frame(made)) lapply(as.list(made), as.vector) else made
  }, rollingledger_error = conditionMessage)
}

# The same statement of two ledgers.
alike <- function(x, y, ..., info = NULL) {
  asked <- function(x) as.data.frame(suppressMessages(rlang::exec(statement, x, ...)))
  expect_equal(asked(y), asked(x), info = info, tolerance = 1e-12)
}

each_engine <- function(code) {
  for (engine in engine_names) {
    at <- open_engine_here(engine)
    code(at, engine)
    at$close()
  }
}

days_from <- function(n) as.Date("2026-01-30") + seq_len(n) - 1

# Where an engine has nothing of the kind.
skip_nothing <- function() expect_true(TRUE)

# A process of R that asks a question of an engine which takes long; it says "asking" first and
# "stopped" where the interruption reached it, and then answers once more. It is interrupted a
# second after the engine is at it, which `is_asked()` tells.
long_question <- function(connect, slow, quick, is_asked = function() TRUE) {
  code <- c(
    sprintf(".libPaths(%s)", paste(deparse(.libPaths()), collapse = "")),
    "options(rlib_message_verbosity = 'quiet'); suppressMessages(library(rollingledger))",
    connect,
    "x <- ledger(con, query = quick, on = 'day')",
    "y <- x; y$relation$from <- sprintf('(%s)', slow); y$looked <- new.env()",
    "cat('asking\\n')",
    "r <- tryCatch({ statement(y, n = entries()); 'answered' }, interrupt = function(e) 'stopped')",
    "cat(r, '\\n')",
    "cat(statement(x, n = entries())$n, '\\n')")
  file <- withr::local_tempfile(lines = c(sprintf("quick <- %s; slow <- %s", deparse(quick),
                                                  deparse(slow)), code), fileext = ".R")
  p <- processx::process$new(file.path(R.home("bin"), "Rscript"), c("--no-init-file", file),
                             stdout = "|", stderr = "2>&1")
  on.exit(p$kill())
  said <- ""
  until <- function(word, seconds) {
    end <- Sys.time() + seconds
    while (!grepl(word, said) && Sys.time() < end && (p$is_alive() || p$is_incomplete_output())) {
      p$poll_io(200)
      said <<- paste0(said, p$read_output())
    }
    grepl(word, said)
  }
  if (!until("asking", 60)) return(list(said = said, seconds = NA))
  for (i in 1:200) if (is_asked()) break else Sys.sleep(0.1)
  Sys.sleep(1)
  began <- Sys.time()
  # Pressed again where it was not heard within some seconds, as people do.
  for (presses in 1:4) {
    p$interrupt()
    if (until("stopped|answered", if (presses < 4) 5 else 45) || !p$is_alive()) break
  }
  seconds <- as.numeric(Sys.time() - began, units = "secs")
  p$wait(20000)
  list(said = paste0(said, p$read_output()), seconds = seconds, presses = presses)
}
