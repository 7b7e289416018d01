# Runs tests, prints what failed and what was skipped, and last the line for the whole. The first
# argument is the build folder; the second what is run: where it is left out, all but what has a
# target of its own; "R" all R tests, or one of the targets: "explore" is the page, with walks
# through it in a browser, "engines" databases, "cluster" clusters, "vignettes" what is knitted, the
# book of answers and the gallery, "command" the command in processes of its own and briefs,
# "random" what is tried at random, "core" C++ with sanitizers.
# The third says how many of their rounds: all, "some", or "few" as in other tests. Two processes
# take one job after the other, those that took longest the last time first.
build <- commandArgs(TRUE)[1]
part <- commandArgs(TRUE)[2]
rounds <- commandArgs(TRUE)[3]

targets <- c(explore = "/test-(explore-|figure-fit)",
             engines = "/test-source-(engines.*|unchanged|file-left)[.]R$",
             cluster = paste0("/test-(cluster-.*|scale-page|source-unchanged|source-cells|",
                              "source-exact|source-engines(-questions)?)[.]R$"),
             vignettes = "/test-(vignettes|answers|gallery)[.]R$",
             command = "/test-(cli-(trust|complete|figures)|brief-run)[.]R$",
             core = "^core with")
# What has a target of its own for the time that it takes, or for the servers that it needs.
apart <- paste(c(paste0("/test-(explore-(page|oddly|needs|choices|acts|keep|server|state)|",
                        "figure-fit|cluster-.*)[.]R$"),
                 targets[c("engines", "vignettes", "command")]), collapse = "|")
# What is tried at random in few rounds elsewhere, by the word for them.
own_rounds <- Filter(function(file) {
  !grepl(paste(targets, collapse = "|"), file) &&
    any(grepl("rounds(", readLines(file), fixed = TRUE))
}, list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE))
targets[["random"]] <- paste(own_rounds, collapse = "|")

# ---- jobs, each giving c(passed, failed, skipped) and printing what is to be seen --------

# A program that ends in a line such as "core: 12 passed, 0 failed".
run_program <- function(program, arguments, name, timeout = 0) {
  output <- suppressWarnings(system2(program, arguments, stdout = TRUE, stderr = TRUE,
                                     timeout = timeout))
  cat(output, sep = "\n")
  said <- grep(sprintf("^%s: [0-9]+ passed, [0-9]+ failed", name), output, value = TRUE)
  counts <- as.numeric(unlist(regmatches(said, gregexpr("[0-9]+", said))))[1:2]
  if (anyNA(counts)) return(c(0, 1, 0))
  # A sanitizer stopped it.
  if (!is.null(attr(output, "status")) && counts[2] == 0) counts[2] <- 1
  c(counts, 0)
}

# The core is compiled here without R's headers, with the sanitizers on; of the tests those whose
# names hold `only`. All of them are one unit, each in a name space of its own: the headers, which
# take most of the time, are read once.
run_core <- function(name, flags, only = "") {
  program <- file.path(build, paste0("core-test-", name))
  sources <- Sys.glob("tests/core/test-*.cpp")
  parts <- c(Sys.glob("tests/core/*"), Sys.glob("src/core/*.h"))
  if (!file.exists(program) || any(file.mtime(parts) > file.mtime(program))) {
    holds <- Filter(function(source) {
      any(grepl(paste0("TEST\\(.*", only), readLines(source)))
    }, sources)
    lines <- unlist(lapply(sources, readLines))
    needed <- unique(grep("^#include [<\"]", lines, value = TRUE))
    unit <- file.path(build, paste0("core-", name, ".cpp"))
    writeLines(c(needed, sprintf("namespace of_%d {\n#include \"%s\"\n}", seq_along(holds),
                                 basename(holds)), "#include \"main.cpp\""), unit)
    if (system2("g++", c("-std=c++17", "-g1", "-Wall", "-Wextra", "-Werror",
                         "-Wno-unknown-pragmas", "-Itests/core", flags, unit, "-o",
                         program)) != 0) {
      cat("core (", name, ") did not compile\n", sep = "")
      return(c(0, 1, 0))
    }
  }
  run_program(program, only, "core", 300)
}

run_r_file <- function(file) {
  name <- sub("^test-", "", sub("[.]R$", "", basename(file)))
  results <- as.data.frame(testthat::test_dir(
    "tests/testthat", filter = paste0("^", name, "$"), package = "rollingledger",
    load_package = "installed", reporter = testthat::SummaryReporter$new(max_reports = 200),
    stop_on_failure = FALSE))
  skipped <- results[results$skipped, ]
  said <- vapply(skipped$result, function(of) {
    reason <- Filter(function(one) inherits(one, "expectation_skip"), of)
    if (length(reason) > 0) sub("^Reason: ", "", conditionMessage(reason[[1]])) else ""
  }, "")
  elsewhere <- grepl("with_clusters()", said, fixed = TRUE)
  cat(sprintf("skipped: %s (%s): %s\n", skipped$test, skipped$file,
              said)[!elsewhere], sep = "")
  # What this machine cannot do is no result.
  possible <- !elsewhere & !grepl("no tmpfs can be mounted", said)
  c(sum(results$passed), sum(results$failed) + sum(results$error), sum(possible))
}

run_job <- function(job) {
  switch(job,
    lint = run_program("Rscript", "tools/lint.R", "lint"),
    "core with addresses" = run_core("address", c(
      "-O0", "-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-fopenmp-simd",
      "-pthread")),
    "core with threads" = run_core("threads", c("-O1", "-fsanitize=thread", "-pthread"), "threads"),
    # Random questions of a fixed seed against the slow engine; `make fuzz` goes on for longer.
    oracle = run_program("Rscript", c("tests/oracle/run.R", "200q", "1"), "oracle"),
    run_r_file(job)
  )
}

# ---- the queue ---------------------------------------------------------------------

# One of the two processes: whoever makes a job's folder has taken it.
serve_request <- function(folder) {
  Sys.setenv(NOT_CRAN = "true")  # snapshots of printed text count too
  library(rollingledger)
  jobs <- readRDS(file.path(folder, "jobs.rds"))
  for (i in seq_along(jobs)) {
    own <- file.path(folder, i)
    if (!dir.create(own, showWarnings = FALSE)) next
    sink(file.path(own, "said"))
    began <- proc.time()
    counts <- tryCatch(run_job(jobs[i]), error = function(e) {
      cat("stopped:", conditionMessage(e), "\n")
      c(0, 1, 0)
    })
    sink()
    took <- proc.time() - began
    saveRDS(list(counts = counts, seconds = took[[3]], processor = sum(took[-3])),
            file.path(own, "done"))
  }
}

# The jobs of a part, those that took longest first: a file as it is known, or by its size.
jobs_of <- function(part, times) {
  files <- list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE)
  others <- c("core with addresses" = 120, "core with threads" = 60, oracle = 90, lint = 25)
  guess <- c(stats::setNames(file.size(files) / 1500, files), others)
  jobs <- if (part %in% names(targets)) grep(targets[[part]], names(guess), value = TRUE)
          else if (is.na(part)) c(grep(apart, files, value = TRUE, invert = TRUE), "oracle", "lint")
          else files
  known <- intersect(jobs, names(times))
  guess[known] <- times[known]
  names(sort(guess[jobs], decreasing = TRUE))
}

run_all <- function(part) {
  kept <- file.path(build, "test-times.rds")
  times <- if (file.exists(kept)) readRDS(kept) else numeric()
  jobs <- jobs_of(part, times)
  folder <- tempfile("tests")
  dir.create(folder)
  saveRDS(jobs, file.path(folder, "jobs.rds"))
  workers <- lapply(1:2, function(i) parallel::mcparallel(suppressWarnings(system2(
    "Rscript", c("tools/test.R", build, "work", folder), stdout = TRUE, stderr = TRUE))))
  output <- unlist(parallel::mccollect(workers))
  found <- lapply(seq_along(jobs), function(i) {
    done <- file.path(folder, i, "done")
    if (file.exists(done)) readRDS(done)
    else list(counts = c(0, 1, 0), seconds = NA_real_, processor = NA_real_)
  })
  counts <- vapply(found, function(one) one$counts, c(0, 0, 0))
  seconds <- stats::setNames(vapply(found, function(one) one$seconds, 0), jobs)
  for (i in seq_along(jobs)) {
    said <- file.path(folder, i, "said")
    lines <- if (file.exists(said)) readLines(said, warn = FALSE)
    whole <- counts[2, i] > 0 || !endsWith(jobs[i], ".R")
    writeLines(c(if (whole) paste("--", jobs[i], "--"),
                 if (whole) lines else grep("^skipped: ", lines, value = TRUE)))
  }
  if (anyNA(seconds)) cat("a process of the tests ended before its time:", utils::tail(output, 20),
                          sep = "\n")
  # Beside other work of the machine, only the time of processors tells what a file weighs.
  processor <- vapply(found, function(one) one$processor, 0)
  slowest <- utils::head(order(seconds, decreasing = TRUE), 12)
  cat(sprintf("%6.1f s, of processors %6.1f s  %s\n", seconds[slowest], processor[slowest],
              jobs[slowest]), sep = "")
  cat(sprintf("all: %.0f s, of processors %.0f s, in two processes\n", sum(seconds, na.rm = TRUE),
              sum(processor, na.rm = TRUE)))
  seconds <- seconds[!is.na(seconds)]
  times[names(seconds)] <- seconds
  # What long rounds take says nothing of others.
  if (!part %in% names(targets)) saveRDS(times, kept)
  rowSums(counts)
}

# What this machine could have run and did not is a result too: where all is set up (in CI) it
# fails.
verdict <- function(counts) {
  if (counts[2] > 0) return(1)
  if (nzchar(Sys.getenv("CI")) && counts[3] > 0) {
    cat("Tests were skipped that this machine could have run.\n")
    return(1)
  }
  0
}

if (part %in% "work") {
  serve_request(rounds)
  quit(save = "no")
}
if (part %in% "cluster") Sys.setenv(ROLLINGLEDGER_CLUSTERS = "yes")
if (part %in% names(targets))
  Sys.setenv(ROLLINGLEDGER_ALL_ROUNDS = if (is.na(rounds)) "yes" else rounds)
counts <- run_all(part)
own <- c("core", "command", "vignettes", "random", "engines", "page", "cluster")
if (is.na(part)) cat("Apart: make", paste0("test-", own), "\n")
cat(sprintf("%s%d passed, %d failed, %d skipped\n", if (is.na(part)) "" else paste0(part, ": "),
            counts[1], counts[2], counts[3]))
quit(save = "no", status = verdict(counts))
