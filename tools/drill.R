# A drill of failures on two shards of our own: a shard is killed in mid-question, is away, is
# started again; entries come in on one while it is asked; a copy lags and a clock stands in another
# zone; and, where this machine has network namespaces, the network between them is slow, loses
# packets, and is cut. After each step the same questions are asked: each answer is that of memory,
# or an error. `make drill`.
suppressMessages(library(rollingledger))
source("tools/free-ports.R")
source("tools/clickhouse.R")
options(rlib_message_verbosity = "quiet")

entries <- local({
  set.seed(4)
  n <- 200000
  moment <- as.POSIXct("2025-01-01", tz = "UTC") + sample(86400 * 600, n, TRUE)
  data.frame(sailed_on = as.Date(moment), moment = moment,
             route = sample(c("Gull Rock", "Tern Head", "Oysterby", "Wickholm"), n, TRUE),
             account = sprintf("a%05d", sample(20000, n, TRUE)),
             fare = round(stats::rnorm(n, 20, 30), 2), row_no = seq_len(n))
})

questions <- list(
  figures = function(x) statement(x, per = "month", by = "route", income = total(fare),
                                  trips = entries(), mean = average(fare)),
  people = function(x) statement(x, per = "month", riders = distinct(account)),
  hours = function(x) statement(x, by = "hour", on = "moment", trips = entries())
)

ledger_of <- function(source, ...) {
  ledger(source, ..., on = c(sailed = "sailed_on", moment = "moment"), as_of = "2026-08-23",
         time_zone = "UTC")
}

failed <- passed <- 0
told <- function(step, outcome, good, seconds) {
  if (good) passed <<- passed + 1 else failed <<- failed + 1
  cat(sprintf("%-58s %6.1f s  %s%s\n", step, seconds, if (good) "" else "WRONG: ", outcome))
}

# Asks a question, and says whether the answer is right, or an error where one may be.
asked <- function(step, x, right, question = "figures", may_fail = FALSE, must_fail = FALSE) {
  seconds <- system.time(got <- tryCatch(as.data.frame(questions[[question]](x)),
                                         rollingledger_error = identity))[["elapsed"]]
  if (is.data.frame(got)) {
    same <- isTRUE(all.equal(got, right[[question]], tolerance = 1e-12))
    told(step, if (same) "right" else "another answer", same && !must_fail, seconds)
  } else {
    told(step, sub("\n.*", "", conditionMessage(got)), may_fail || must_fail, seconds)
  }
  invisible(got)
}

fill <- function(at, table = entries) {
  for (i in seq_len(nrow(at$ports))) at$run("CREATE DATABASE IF NOT EXISTS ferries", i)
  put_into_shards(at, table, "fares", types = list(moment = "DateTime", fare = "Decimal(12, 2)"),
                  kept = "MergeTree() PARTITION BY toYYYYMM(sailed_on) ORDER BY sailed_on")
}

later <- function(seconds, what) {
  system(sprintf("(sleep %.2f; %s) >/dev/null 2>&1", seconds, what), wait = FALSE)
}

# A question that takes a while, so that something can happen in its middle.
slow <- function(x) {
  work_out(x, key = text_before(trimmed(upper_case(account)), "7"))
}

right <- lapply(questions, function(question) as.data.frame(question(ledger_of(entries))))

killed_and_started <- function() {
  cat("\nTwo shards, a fare each in turn\n")
  at <- start_clickhouse(2)
  if (is.null(at)) stop("ClickHouse is not installed.")
  fill(at)
  x <- ledger_of(at$address("fares"))
  for (question in names(questions)) asked(paste("asked:", question), x, right, question)
  for (after in c(0.01, 0.03, 0.06)) {
    later(after, sprintf("kill -9 %d", at$pid(2)))
    asked(sprintf("shard 2 killed after %.2f s", after), ledger_of(at$address("fares")) |>
            tryCatch(rollingledger_error = function(e) x), right, "people", may_fail = TRUE)
    at$stop_shard(2)
    asked("asked while it is away", x, right, must_fail = TRUE)
    at$start_shard(2)
    asked("started again, asked again", x, right)
  }
  at$stop_shard(1)
  asked("the shard that is asked is away", x, right, must_fail = TRUE)
  at$start_shard(1)
  asked("started again, asked again", x, right, "people")
  list(at = at, x = x)
}

entries_come_in <- function(of) {
  at <- of$at
  x <- of$x
  cat("\nEntries come in on one shard while it is asked\n")
  more <- entries[1:5, ]
  more$fare <- 1
  now <- entries
  for (i in 1:5) {
    row <- tempfile()
    writeLines(do.call(paste, c(lapply(more[i, ], as.character), sep = "\t")), row)
    into <- utils::URLencode("INSERT INTO ferries.fares_here FORMAT TabSeparated")
    later(0.3 * i, sprintf("curl -s 'http://127.0.0.1:%d/?query=%s' --data-binary @%s",
                           at$ports[2, "http"], into, row))
  }
  for (round in 1:20) {
    Sys.sleep(0.05)
    seconds <- system.time(got <- tryCatch(questions$figures(x), rollingledger_error = identity))
    n <- if (is.data.frame(got)) sum(got$trips) - nrow(entries)
    good <- if (is.null(n)) inherits(got, "rollingledger_error_moved")
            else isTRUE(all.equal(sum(got$income), sum(entries$fare) + n)) && n %in% 0:5
    told("asked as they come", if (is.null(n)) "asked in vain: entries kept coming"
         else sprintf("right, with %d more", n), good, seconds[["elapsed"]])
  }
}

lagging_and_elsewhere <- function() {
  cat("\nA copy that lags, and a clock in another zone\n")
  at <- start_clickhouse(2, zones = c("UTC", "Asia/Tokyo"))
  fill(at)
  x <- ledger_of(at$address("fares"))
  for (question in names(questions)) asked(paste("asked:", question), x, right, question)
  at$run("ALTER TABLE ferries.fares_here DROP PARTITION 202608", 2)
  print_of <- gsub("\\s+", " ", paste(utils::capture.output(print(ledger_of(
    at$address("fares")))), collapse = " "))
  told("shard 2 has lost its last month", regmatches(print_of, regexpr(
    "newest days are [-0-9]* and [-0-9]*", print_of))[1],
    grepl("newest days are 2026-07-31", print_of), 0)
  at$stop()
}

# Two network namespaces with a cable between them: list(inside, hosts, run(i, ...), close()).
open_network <- function() {
  names <- sprintf("rl%d-%d", Sys.getpid() %% 10000L, 1:2)
  run <- function(...) system2("ip", c(...), stdout = FALSE, stderr = FALSE) == 0
  close <- function() for (name in names) run("netns", "del", name)
  good <- run("netns", "add", names[1]) && run("netns", "add", names[2]) &&
    run("link", "add", "rl1", "netns", names[1], "type", "veth", "peer", "name", "rl2", "netns",
        names[2])
  for (i in 1:2) {
    good <- good && run("-n", names[i], "addr", "add", sprintf("10.213.7.%d/30", i), "dev",
                        paste0("rl", i)) &&
      run("-n", names[i], "link", "set", paste0("rl", i), "up") &&
      run("-n", names[i], "link", "set", "lo", "up")
  }
  if (!good) {
    close()
    return(NULL)
  }
  list(names = names, close = close, run = run)
}

# Everything of this part happens in the first namespace, so this file is run again there.
network_part <- function() {
  hosts <- c("10.213.7.1", "10.213.7.2")
  names <- strsplit(Sys.getenv("ROLLINGLEDGER_DRILL_NETWORK"), " ")[[1]]
  into <- function(i) c("ip", "netns", "exec", names[i])
  at <- start_clickhouse(2, hosts = hosts, inside = list(NULL, into(2)))
  on.exit(at$stop())
  fill(at)
  x <- ledger_of(at$address("fares"))
  asked("asked over the cable", x, right)
  link <- function(to) system2("ip", c("-n", names[2], "link", "set", "rl2", to))
  netem <- function(...) {
    system2("ip", c("netns", "exec", names[2], "tc", "qdisc", "replace", "dev", "rl2", "root",
                    "netem", ...), stdout = FALSE, stderr = FALSE) == 0
  }
  if (netem("delay", "40ms", "10ms", "loss", "1%")) {
    for (question in names(questions)) {
      asked(paste("40 ms late, 1 in 100 packets lost:", question), x, right, question,
            may_fail = TRUE)
    }
    system2("ip", c("netns", "exec", names[2], "tc", "qdisc", "del", "dev", "rl2", "root"))
  } else cat("delay and loss: not to be had here (tc knows no netem)\n")
  later(0.05, sprintf("ip -n %s link set rl2 down", names[2]))
  asked("the cable is cut in mid-question", x, right, "people", may_fail = TRUE)
  link("down")
  asked("asked while it is cut", x, right, must_fail = TRUE)
  link("up")
  Sys.sleep(2)
  asked("joined again, asked again", x, right)
}

# What the namespaces are for is done within the first of them, by this file again.
if (nzchar(Sys.getenv("ROLLINGLEDGER_DRILL_NETWORK"))) {
  network_part()
  cat(sprintf("steps: %d right, %d wrong\n", passed, failed))
  quit(save = "no")
}
made <- killed_and_started()
entries_come_in(made)
made$at$stop()
lagging_and_elsewhere()
cat("\nThe network between the shards\n")
network <- open_network()
if (is.null(network)) {
  cat("network namespaces: not to be had here\n")
} else {
  Sys.setenv(ROLLINGLEDGER_DRILL_NETWORK = paste(network$names, collapse = " "))
  output <- suppressWarnings(system2("ip", c("netns", "exec", network$names[1], "Rscript",
                                             "tools/drill.R"), stdout = TRUE, stderr = TRUE))
  network$close()
  cat(output, sep = "\n")
  counts <- regmatches(output, regexec("^steps: ([0-9]+) right, ([0-9]+) wrong$", output))
  counts <- Filter(length, counts)
  passed <- passed + if (length(counts) == 1) as.numeric(counts[[1]][2]) else 0
  failed <- failed + if (length(counts) == 1) as.numeric(counts[[1]][3]) else 1
}
cat(sprintf("\ndrill: %d passed, %d failed\n", passed, failed))
quit(save = "no", status = if (failed == 0) 0 else 1)
