# Runs all tests and prints each summary and, last, the line for the whole. The argument is the
# build folder. The core is compiled here without R's headers, with the sanitizers on. A second
# argument names a part of the R tests, which then run alone: "1/2" is every other file, "explore"
# those of the page, "engines" those of databases, "cluster" those of clusters, with all their
# rounds, or some.
build <- commandArgs(TRUE)[1]
part <- commandArgs(TRUE)[2]

run_core <- function(name, flags, only = character()) {
  program <- file.path(build, paste0("core-test-", name))
  sources <- Sys.glob("tests/core/*.cpp")
  parts <- c(sources, Sys.glob("tests/core/*.h"), Sys.glob("src/core/*.h"))
  if (!file.exists(program) || any(file.mtime(parts) > file.mtime(program))) {
    objects <- file.path(build, paste0("core-", name, "-", sub("cpp$", "o", basename(sources))))
    common <- c("-std=c++17", "-O1", "-g1", "-Wall", "-Wextra", "-Werror", "-Wno-unknown-pragmas",
                flags)
    jobs <- lapply(seq_along(sources), function(i) parallel::mcparallel(
      system2("g++", c(common, "-c", sources[i], "-o", objects[i]))))
    failed <- any(unlist(parallel::mccollect(jobs)) != 0)
    if (failed || system2("g++", c(common, objects, "-o", program)) != 0) {
      cat("core (", name, ") did not compile\n", sep = "")
      return(c(passed = 0, failed = 1))
    }
  }
  output <- suppressWarnings(system2(program, only, stdout = TRUE, stderr = TRUE, timeout = 300))
  status <- attr(output, "status")
  summary <- grep("^core: [0-9]+ passed, [0-9]+ failed$", output, value = TRUE)
  cat(sub("^core:", paste0("core (", name, "):"), output), sep = "\n")
  counts <- if (length(summary) == 1)
    as.numeric(regmatches(summary, gregexpr("[0-9]+", summary))[[1]]) else c(0, 1)
  if (!is.null(status) && counts[2] == 0) counts[2] <- 1  # a sanitizer stopped it
  c(passed = counts[1], failed = counts[2])
}

test_files <- function() {
  files <- list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE)
  files[order(-file.size(files))]
}

# The R tests of some files, in this process.
run_r_part <- function(files) {
  Sys.setenv(NOT_CRAN = "true")  # snapshots of printed text count too
  library(rollingledger)
  names <- sub("^test-", "", sub("[.]R$", "", basename(files)))
  results <- as.data.frame(testthat::test_dir(
    "tests/testthat", filter = paste0("^(", paste(names, collapse = "|"), ")$"),
    package = "rollingledger", load_package = "installed",
    reporter = testthat::SummaryReporter$new(max_reports = 200), stop_on_failure = FALSE
  ))
  slow <- results[order(-results$real), ][1:5, ]
  cat(sprintf("%6.1f s  %s\n", slow$real, slow$test), sep = "")
  failed <- sum(results$failed) + sum(results$error)
  skipped <- results[results$skipped, ]
  said <- vapply(skipped$result, function(of) {
    reason <- Filter(function(one) inherits(one, "expectation_skip"), of)
    if (length(reason) > 0) sub("^Reason: ", "", conditionMessage(reason[[1]])) else ""
  }, "")
  elsewhere <- grepl("with_clusters()", said, fixed = TRUE)
  if (any(elsewhere)) cat(sprintf("%d tests of clusters run by `make test-cluster`\n",
                                  sum(elsewhere)))
  shown <- skipped[!elsewhere, ]
  cat(sprintf("skipped: %s (%s): %s\n", shown$test, shown$file, said[!elsewhere]), sep = "")
  # What this machine cannot do is no result.
  possible <- !elsewhere & !grepl("no tmpfs can be mounted", said)
  cat(sprintf("R: %d passed, %d failed, %d skipped\n", sum(results$passed), failed,
              sum(possible)))
  failed
}

# All of them, in two processes side by side.
run_r <- function(parts = c("1/2", "2/2")) {
  jobs <- lapply(parts, function(part) parallel::mcparallel(suppressWarnings(
    system2("Rscript", c("tools/test.R", build, part), stdout = TRUE, stderr = TRUE))))
  counts <- lapply(parallel::mccollect(jobs), function(output) {
    cat(output, sep = "\n")
    said <- grep("^R: [0-9]+ passed, [0-9]+ failed", output, value = TRUE)
    counts <- as.numeric(unlist(regmatches(said, gregexpr("[0-9]+", said))))
    if (length(counts) == 3) counts else c(0, 1, 0)
  })
  stats::setNames(Reduce(`+`, counts), c("passed", "failed", "skipped"))
}

# Random questions of fixed seeds against the slow engine, for about a minute; `make fuzz` goes on
# for longer.
run_oracle <- function() {
  output <- suppressWarnings(
    system2("Rscript", c("tests/oracle/run.R", "200q", "1"), stdout = TRUE, stderr = TRUE))
  cat(output, sep = "\n")
  counts <- as.numeric(
    unlist(regmatches(output, gregexpr("[0-9]+", output))[grepl("^oracle: [0-9]+ passed", output)]))
  if (length(counts) == 2) c(passed = counts[1], failed = counts[2]) else c(passed = 0, failed = 1)
}

# Lines that are too long, and what is worked out and not used.
run_lint <- function() {
  output <- suppressWarnings(system2("Rscript", "tools/lint.R", stdout = TRUE, stderr = TRUE))
  cat(output, sep = "\n")
  said <- grep("^lint: [0-9]+ passed", output, value = TRUE)
  counts <- as.numeric(unlist(regmatches(said, gregexpr("[0-9]+", said))))
  if (length(counts) == 2) c(passed = counts[1], failed = counts[2]) else c(passed = 0, failed = 1)
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

rounds <- commandArgs(TRUE)[3]
long <- c(explore = "/test-explore-", engines = "/test-source-engines",
          cluster = paste0("/test-(cluster-.*|scale-page|source-unchanged|source-cells|",
                           "source-exact|source-engines(-questions)?)[.]R$"))
if (sub("-.*", "", part) %in% "cluster") Sys.setenv(ROLLINGLEDGER_CLUSTERS = "yes")
if (part %in% names(long)) {
  Sys.setenv(ROLLINGLEDGER_ALL_ROUNDS = if (is.na(rounds)) "yes" else rounds)
  found <- run_r(paste0(part, c("-1/2", "-2/2")))
  cat(sprintf("%s: %d passed, %d failed, %d skipped\n", part, found[1], found[2], found[3]))
  quit(save = "no", status = verdict(found))
}
if (!is.na(part)) {
  files <- test_files()
  named <- sub("-.*", "", part)
  if (named %in% names(long)) files <- grep(long[[named]], files, value = TRUE)
  at <- as.integer(strsplit(sub("^[a-z]+-", "", part), "/")[[1]])
  failed <- run_r_part(files[(seq_along(files) - 1L) %% at[2] == at[1] - 1L])
  quit(save = "no", status = if (failed == 0) 0 else 1)
}
lint <- run_lint()
core <- run_core("address",
                 c("-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-fopenmp-simd",
                   "-pthread"))
threads <- run_core("threads", c("-fsanitize=thread", "-pthread"), only = "threads")
oracle <- run_oracle()
r <- run_r()
total <- c(lint + core + threads + oracle, skipped = 0) + r
cat(sprintf("%d passed, %d failed, %d skipped\n", total[1], total[2], total[3]))
quit(save = "no", status = verdict(total))
