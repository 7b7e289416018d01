# Long work in a process of its own, so that it can be stopped, tells how far it is, and other
# browsers are answered meanwhile. The process is a copy of this one: it has the ledger without
# reading it again. Where processes cannot be copied the work is done here.

can_work_apart <- function() .Platform$OS.type == "unix"

# Entries from which answers are worked out apart.
apart_entries <- function() getOption("rollingledger.explore_apart", 4e6)

# Starts `steps`, functions that each give something to be told, one after the other: a handle for
# apart_news(), apart_stop().
start_apart <- function(steps) {
  folder <- tempfile("apart-")
  dir.create(folder)
  job <- parallel::mcparallel({
    # A copied process has one thread.
    options(rollingledger.threads = 1L, rollingledger.progress_file = file.path(folder, "progress"))
    if (requireNamespace("data.table", quietly = TRUE)) data.table::setDTthreads(1)
    for (i in seq_along(steps)) {
      told <- tryCatch(list(value = steps[[i]]()), error = function(e) list(problem = problem_texts(e)))
      half <- file.path(folder, "half")
      saveRDS(told, half, compress = FALSE)
      file.rename(half, file.path(folder, paste0("step-", i)))
      if (!is.null(told$problem)) break
    }
    TRUE
  }, mc.set.seed = FALSE, silent = TRUE)
  handle <- new.env(parent = emptyenv())
  handle$job <- job
  handle$folder <- folder
  handle$told <- 0L
  handle$steps <- length(steps)
  handle$over <- FALSE
  handle$answers <- FALSE
  handle
}

# What has been finished since last asked: a list of list(value) or list(problem), one for each
# step. `over` of the handle is TRUE once there is nothing more to come.
apart_news <- function(handle) {
  news <- list()
  ended <- !is.null(suppressWarnings(parallel::mccollect(handle$job, wait = FALSE)))
  repeat {
    file <- file.path(handle$folder, paste0("step-", handle$told + 1L))
    if (!file.exists(file)) break
    handle$told <- handle$told + 1L
    news <- c(news, list(readRDS(file)))
  }
  failed <- length(news) > 0 && !is.null(news[[length(news)]]$problem)
  if (handle$told >= handle$steps || failed) apart_ends(handle)
  else if (ended) {
    apart_ends(handle)
    news <- c(news, list(list(problem = "The work ended before it was done, for want of memory perhaps.")))
  }
  news
}

# How far it is, in words, where that is known.
apart_progress <- function(handle) {
  file <- file.path(handle$folder, "progress")
  if (!file.exists(file)) return(NULL)
  text <- suppressWarnings(readLines(file, warn = FALSE))
  if (length(text) > 0) text[length(text)]
}

apart_stop <- function(handle) {
  if (handle$over) return(invisible())
  tools::pskill(handle$job$pid, tools::SIGKILL)
  suppressWarnings(parallel::mccollect(handle$job, wait = TRUE, timeout = 2))
  apart_ends(handle)
}

apart_ends <- function(handle) {
  handle$over <- TRUE
  suppressWarnings(parallel::mccollect(handle$job, wait = FALSE))
  unlink(handle$folder, recursive = TRUE)
}
