# Long use: mixed work in one process, for so many minutes, and what it holds after each hundred
# acts: memory, handles, temporary files, connections, and the most memory that it took meanwhile.
# Fails where any of them grows.
#
#   Rscript tools/soak.R MINUTES BUILD
args <- commandArgs(TRUE)
minutes <- as.numeric(args[1])
build <- args[2]
suppressPackageStartupMessages({
  library(testthat)
  library(rollingledger)
})
# What a ledger may keep of older questions is little here, so that the run begins with it full.
options(rlib_message_verbosity = "quiet", cli.num_colors = 1L, rollingledger.explore_apart = Inf,
        rollingledger.cache_bytes = 2^23)
# Where the system tells: memory that is in use, as the allocator counts it, and what the system
# keeps for the process after all that is free was given back, which pieces still in use hold up.
if (file.exists("/proc/self/status")) {
  code <- file.path(tempdir(), "allocated.c")
  writeLines(c(
    "#include <malloc.h>", "#include <Rinternals.h>",
    "SEXP allocated(void) {", "  malloc_trim(0);", "  struct mallinfo2 now = mallinfo2();",
    "  return ScalarReal((now.uordblks + now.hblkhd) / 1048576.0);", "}"), code)
  system2(file.path(R.home("bin"), "R"), c("CMD", "SHLIB", code), stdout = FALSE)
  dyn.load(sub("c$", "so", code))
  in_use <- function() .Call("allocated")
  status <- function(name) {
    line <- grep(paste0("^", name), readLines("/proc/self/status"), value = TRUE)
    as.numeric(gsub("[^0-9]", "", line)) / 1024
  }
  resident <- function() status("VmRSS")
  # The most it took since this was asked before.
  peak <- function() {
    most <- status("VmHWM")
    cat("5", file = "/proc/self/clear_refs")
    most
  }
  handles <- function() length(list.files("/proc/self/fd"))
  unlink(sub("c$", "*", code))
} else in_use <- resident <- peak <- handles <- function() NA_real_
# Pages that were drawn: R keeps the names of their parts for good.
drawn <- 0
setHook("grid.newpage", function() drawn <<- drawn + 1)

tests <- normalizePath("tests/testthat")
env <- new.env(parent = asNamespace("rollingledger"))
for (file in list.files(tests, "^helper-.*[.]R$", full.names = TRUE)) sys.source(file, env)
folder <- tempfile("soak-")
dir.create(folder)

any_of <- function(x) x[[sample.int(length(x), 1)]]
fares <- ledger(demo_fares, on = c(sailed = "sailed_on", booked = "booked_on"),
                calendar = ledger_calendar(fiscal_start = "April"), units = c(fare = "EUR"))
sentences <- rollingledger:::sentence_examples()$sentence
briefs <- list.files(system.file("briefs", package = "rollingledger"), "[.]yml$",
                     full.names = TRUE)
tables <- system.file("extdata", package = "rollingledger")
grown <- list(x = NULL, times = 0)
page <- NULL
offers <- env$explore_offers(env$explore_fares(300))
servers <- tryCatch(env$postgres_here(), condition = function(e) NULL)
duckdb <- tryCatch(env$duckdb_here(), condition = function(e) NULL)
if (!is.null(duckdb)) Sys.setenv(ROLLINGLEDGER_DUCKDB = duckdb)

# An act is a piece of work as one person does it; what it refuses is refused.
acts <- list(
  statement = function() {
    made <- env$random_ledger(sample.int(500, 1))
    asked <- env$random_statement(made$kind)
    env$asked_at_random(made$x, asked, env$random_verbs(asked))
  },
  "large statement" = function() {
    statement(fares, per = any_of(c("day", "week", "month")), by = any_of(c("route", "account")),
              span = any_of(c("latest 6 months", "all", "last 8 weeks")), income = total(fare),
              riders = distinct(account))
  },
  append = function() {
    # A ledger that grows for a month of days, then begins anew.
    first <- as.Date("2026-06-30")
    if (is.null(grown$x) || grown$times > 30) {
      grown <<- list(x = ledger(subset(demo_fares, sailed_on <= first),
                                on = c(sailed = "sailed_on")), times = 0)
    }
    grown$times <<- grown$times + 1
    grown$x <<- append_entries(grown$x, subset(demo_fares, sailed_on == first + grown$times))
    statement(grown$x, per = "month", by = "route", span = "latest 2 months", income = total(fare))
  },
  page = function() {
    if (is.null(page) || sample.int(20, 1) == 1) page <<- rollingledger:::new_turns(offers)
    state <- rollingledger:::acted(page$state, env$random_act(page$state, offers), offers)
    rollingledger:::page_goes_to(page, state)
    page$sent <- rollingledger:::page_pieces(page)$keys
  },
  sentence = function() ask(fares, any_of(sentences)),
  brief = function() {
    run_brief(any_of(briefs), from = tables, out = folder, overwrite = TRUE)
  },
  figure = function() {
    s <- statement(fares, per = "month", by = "route", span = "latest 12 months",
                   income = total(fare))
    draw <- any_of(list(figure_trend, figure_columns, figure_leaders))
    ggplot2::ggsave(file.path(folder, "figure.png"), draw(s), width = 10, height = 6, dpi = 72)
  },
  "handed over" = function() {
    s <- statement(fares, by = c("route", "channel"), span = "last month", income = total(fare))
    write_report(s, file = file.path(folder, "page.html"), overwrite = TRUE)
    write_workbook(s, file.path(folder, "book.xlsx"), overwrite = TRUE)
    write_statement(s, file.path(folder, "statement.csv"), overwrite = TRUE)
  },
  file = function() {
    file <- file.path(folder, "fares.csv")
    data.table::fwrite(demo_fares[sample.int(nrow(demo_fares), 2000), ], file)
    x <- ledger(file, on = c(sailed = "sailed_on"))
    statement(x, per = "month", income = total(fare))
  },
  "left in place" = function() {
    file <- file.path(folder, "left.csv")
    if (!file.exists(file)) data.table::fwrite(demo_fares[1:5000, ], file)
    x <- ledger(file, on = c(sailed = "sailed_on"), hold = FALSE)
    statement(x, per = "month", income = total(fare))
  },
  SQLite = function() {
    path <- tempfile("fares-", folder, ".sqlite")
    con <- DBI::dbConnect(RSQLite::SQLite(), path)
    DBI::dbWriteTable(con, "fares", env$dates_as_text(as.data.frame(demo_fares[1:3000, ])))
    DBI::dbDisconnect(con)
    x <- ledger(paste0("sqlite://", path, "?table=fares"), on = c(sailed = "sailed_on"))
    statement(x, per = "month", by = "route", income = total(fare))
    unlink(path)
  },
  PostgreSQL = function() {
    if (is.null(servers)) return(NULL)
    at <- env$open_engine_here("PostgreSQL")
    on.exit(at$close())
    at$put(as.data.frame(demo_fares[1:3000, ]))
    x <- ledger(env$postgres_address("?table=fares"), on = c(sailed = "sailed_on"))
    statement(x, per = "month", by = "channel", income = total(fare))
  },
  why = function() why_changed(fares, any_of(c("last month", "2026-07", "last quarter")),
                               income = total(fare)),
  unusual = function() stands_out(fares, per = "week", by = "route", income = total(fare)),
  expected = function() {
    statement(fares, per = "month", span = "latest 3 months", income = total(fare)) |>
      add_expected(income)
  }
)

held <- function(done) {
  most <- peak()
  gc(FALSE)
  used <- gc(FALSE)
  data.frame(acts = done, minutes = as.numeric(difftime(Sys.time(), began, units = "mins")),
             in_use = in_use(), resident = resident(), peak = most, of_r = sum(used[, 2]),
             cells = used[1, 1], drawn = drawn, handles = handles(),
             files = length(list.files(tempdir(), all.files = TRUE, no.. = TRUE)),
             connections = nrow(showConnections(all = FALSE)))
}
began <- Sys.time()
# Some acts set the seed of chance themselves: each has a number of its own, so that none leads back
# to what was done before.
seed <- as.integer(Sys.getenv("SEED", "33"))
set.seed(seed)
order <- sample(names(acts), 1e5, TRUE)
done <- 0
counts <- stats::setNames(integer(length(acts)), names(acts))
refused <- counts
rows <- NULL
repeat {
  name <- order[done %% length(order) + 1]
  set.seed(seed * 1000L + done)
  problem <- tryCatch({
    suppressWarnings(suppressMessages(acts[[name]]()))
    NULL
  }, rollingledger_error = function(e) "refused", error = function(e) conditionMessage(e))
  # What is no refusal is a defect.
  if (!is.null(problem) && problem != "refused") stop(name, ": ", problem)
  counts[name] <- counts[name] + 1L
  refused[name] <- refused[name] + !is.null(problem)
  done <- done + 1
  if (done %% 100 == 0) {
    rows <- rbind(rows, held(done))
    last <- rows[nrow(rows), ]
    cat(do.call(sprintf, c(list(paste(
      "%6d acts, %5.1f minutes: %6.1f MB in use, %6.1f MB resident, %6.1f MB at most, %6.1f MB",
      "of R (%d cells), %d figures drawn, %d handles, %d files, %d connections\n")), last)))
    utils::write.csv(rows, file.path(build, "soak.csv"), row.names = FALSE)
    if (last$minutes >= minutes) break
  }
}
cat(paste(sprintf("%s %d (%d refused)", names(counts), counts, refused), collapse = ", "), "\n")

# R keeps the names of the parts of each page that is drawn for good, and with them the memory
# around them: what figures of ggplot2 alone, of the same size, leave here is not counted as ours.
leaves <- function(n, draw) {
  before <- held(done)
  for (i in seq_len(n)) {
    draw()
    suppressWarnings(suppressMessages(try(acts$statement(), silent = TRUE)))
  }
  (held(done) - before)[c("in_use", "resident")] / n
}
few <- as.data.frame(statement(fares, per = "month", by = "route", span = "latest 12 months",
                               income = total(fare)))
draw_alone <- function() {
  figure <- ggplot2::ggplot(few, ggplot2::aes(from, income, colour = route)) + ggplot2::geom_line()
  ggplot2::ggsave(file.path(folder, "alone.png"), figure, width = 10, height = 6, dpi = 72)
}
draw_alone()
# Statements are asked between, as in the run; what they leave by themselves is taken off.
by_itself <- leaves(60, function() NULL)
each <- leaves(60, draw_alone) - by_itself
cat(sprintf("A figure of ggplot2 alone leaves %.3f MB in use, %.3f MB resident.\n", each$in_use,
            each$resident))
rows$alone <- each$in_use
utils::write.csv(rows, file.path(build, "soak.csv"), row.names = FALSE)

# Growth: the last quarter of the run against the one before. What leaks goes on growing; what is
# kept ready, and holes between what is in use, come to an end in the first half.
if (nrow(rows) >= 12) {
  part <- cut(seq_len(nrow(rows)), 4, labels = FALSE)
  middle <- function(name, quarter) stats::median(rows[[name]][part == quarter])
  limits <- c(in_use = 10, resident = 20, of_r = 10, peak = 40, handles = 1, files = 1,
              connections = 0)
  grows <- vapply(names(limits), function(name) middle(name, 4) - middle(name, 3), 1)
  figures <- middle("drawn", 4) - middle("drawn", 3)
  cat(sprintf("From the third quarter of the run to the last: %s; %.0f figures drawn.\n",
              paste(sprintf("%s %+.1f", names(grows), grows), collapse = ", "), figures))
  by_drawing <- figures * c(in_use = each$in_use, resident = each$resident, peak = each$in_use)
  grows[names(by_drawing)] <- grows[names(by_drawing)] - pmax(by_drawing, 0)
  cat(sprintf("Without what as many figures of ggplot2 alone leave: %s.\n",
              paste(sprintf("%s %+.1f", names(by_drawing), grows[names(by_drawing)]),
                    collapse = ", ")))
  if (any(grows > limits, na.rm = TRUE)) stop("It grows.")
}
