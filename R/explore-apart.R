# Long work in a process of its own, so that it can be stopped, tells how far it is, and other
# browsers are answered meanwhile. A worker is a copy of this process, made before the server
# begins: it has the ledger without reading it again, and makes a copy of itself for each piece of
# work. (A copy of the server itself would share its locks, and could wait for them forever.) Where
# processes cannot be copied the work is done here.

can_work_apart <- function() on_unix()

# Functions that the package parallel has on such systems alone.
parallel_own <- function(name) getExportedValue("parallel", name)
copy_process <- function() parallel_own("mcparallel")

# Entries from which answers are worked out apart.
apart_entries <- function() getOption("rollingledger.explore_apart", 4e6)

# A worker that knows `offers`: list(folder, job), or NULL where there can be none. Requests are
# files of its folder, which it looks for; it ends when this process does.
start_worker <- function(offers) {
  if (!can_work_apart() || !source_facts(offers$ledger)$forks) return(NULL)
  folder <- tempfile("worker-")
  dir.create(folder, mode = "0700")
  owner <- Sys.getpid()
  # What a server of before has left is cleared away here, not in the copy.
  gc(FALSE)
  worker <- new.env(parent = emptyenv())
  worker$folder <- folder
  worker$job <- copy_process()(watch_worker(offers, folder, owner), mc.set.seed = FALSE,
                               silent = TRUE)
  worker$asked <- 0L
  worker
}

# Watches the worker, and starts another where it dies: a copy of this copy, which has no server and
# shares no lock with one.
watch_worker <- function(offers, folder, owner) {
  repeat {
    job <- copy_process()(worker_loop(offers, folder, owner), mc.set.seed = FALSE, silent = TRUE)
    writeLines(as.character(job$pid), file.path(folder, "pid"))
    while (process_works(job$pid)) {
      Sys.sleep(0.2)
      if (!is_running(owner) || !dir.exists(folder)) {
        tools::pskill(job$pid, tools::SIGKILL)
        end_process()
      }
      suppressWarnings(parallel_own("mccollect")(job, wait = FALSE))
    }
  }
}

# Whether a process is there and not only its remains.
process_works <- function(pid) {
  if (!is_running(pid)) return(FALSE)
  stat <- tryCatch(suppressWarnings(readLines(sprintf("/proc/%d/stat", pid))),
                   error = function(e) NULL)
  is.null(stat) || !grepl("^[0-9]+ \\(.*\\) [ZX]", stat[1])
}

stop_worker <- function(worker) {
  if (is.null(worker)) return(invisible())
  tools::pskill(worker$job$pid, tools::SIGKILL)
  for (file in list.files(worker$folder, "^pid$", recursive = TRUE, full.names = TRUE)) {
    pid <- as.integer(readLines(file))
    if (length(pid) == 1) tools::pskill(pid, tools::SIGKILL)
  }
  suppressWarnings(parallel_own("mccollect")(worker$job, wait = FALSE, timeout = 1))
  unlink(worker$folder, recursive = TRUE)
}

worker_loop <- function(offers, folder, owner) {
  # A copied process has one thread.
  options(rollingledger.threads = 1L)
  if (requireNamespace("data.table", quietly = TRUE)) data.table::setDTthreads(1)
  # A small ledger is answered where the server is; its worker leaves the processor to that.
  if (entries_used(offers$ledger) >= apart_entries()) warm_up(offers)
  jobs <- list()
  idle <- 0
  repeat {
    asked <- list.files(folder, "^asked-")
    for (one in asked) {
      unlink(file.path(folder, one))
      id <- sub("^asked-", "", one)
      jobs <- c(jobs, list(copy_process()(serve_request(offers, file.path(folder, id)),
                                          mc.set.seed = FALSE, silent = TRUE)))
    }
    idle <- if (length(asked) > 0) 0 else idle + 1
    # Often while someone is at work, seldom while nobody is.
    Sys.sleep(if (idle < 3000) 0.01 else 0.1)
    if (idle %% 50 == 49) {
      suppressWarnings(parallel_own("mccollect")(jobs, wait = FALSE))
      jobs <- utils::tail(jobs, 4)
      if (!tools::pskill(owner, 0) || !dir.exists(folder)) end_process()
    }
  }
}

# What every first figure takes longer for is done once, before the copies that draw are made.
warm_up <- function(offers) {
  page <- new_turns(offers)
  try(page_drawings(page, page_pieces(page)$figures), silent = TRUE)
}

# One request: each of its steps leaves a file.
serve_request <- function(offers, folder) {
  writeLines(as.character(Sys.getpid()), file.path(folder, "pid"))
  options(rollingledger.progress_file = file.path(folder, "progress"))
  request <- readRDS(file.path(folder, "request"))
  steps <- request_steps(request, offers)
  for (i in seq_along(steps)) {
    told <- tryCatch(list(value = steps[[i]]()),
                     error = function(e) list(problem = problem_texts(e)))
    half <- file.path(folder, "half")
    saveRDS(told, half, compress = FALSE)
    file.rename(half, file.path(folder, paste0("step-", i)))
    if (!is.null(told$problem)) break
  }
  end_process()
}

# A copied process would wait for the one that it is a copy of, which does not look.
end_process <- function() tools::pskill(Sys.getpid(), tools::SIGKILL)

# The steps of a request, functions of nothing.
request_steps <- function(request, offers) {
  offers$tables <- request$tables
  page <- new_turns(offers, request$state)
  page$width <- request$width
  if (request$kind == "file")
    return(list(function() page_file(request$file, page$state, page$offers, request$folder)))
  page$sent <- request$sent
  page$before <- vector("list", request$before)
  page$after <- vector("list", request$after)
  made <- NULL
  list(function() made <<- page_pieces(page), function() page_drawings(page, made$figures))
}

# What a page asks of the worker: its answer, or a file below a folder.
page_request <- function(page, file = NULL, folder = NULL) {
  list(kind = if (is.null(file)) "page" else "file", file = file, folder = folder,
       state = page$state, tables = page$offers$tables, width = page$width, sent = page$sent,
       before = length(page$before), after = length(page$after))
}

# Hands a request to the worker: a handle for apart_news(), apart_stop().
start_apart <- function(worker, request) {
  worker$asked <- worker$asked + 1L
  id <- sprintf("job-%d", worker$asked)
  folder <- file.path(worker$folder, id)
  dir.create(folder)
  saveRDS(request, file.path(folder, "request"), compress = FALSE)
  file.create(file.path(worker$folder, paste0("asked-", id)))
  handle <- new.env(parent = emptyenv())
  handle$folder <- folder
  handle$told <- 0L
  handle$steps <- if (request$kind == "file") 1L else 2L
  handle$over <- FALSE
  handle$answers <- request$kind == "page"
  handle$looked <- handle$begun <- Sys.time()
  handle
}

# What has been finished since last asked: a list of list(value) or list(problem), one for each
# step. `over` of the handle is TRUE once there is nothing more to come.
apart_news <- function(handle) {
  news <- list()
  gone <- is_gone(handle)
  repeat {
    file <- file.path(handle$folder, paste0("step-", handle$told + 1L))
    if (!file.exists(file)) break
    handle$told <- handle$told + 1L
    news <- c(news, list(readRDS(file)))
  }
  failed <- length(news) > 0 && !is.null(news[[length(news)]]$problem)
  if (handle$told >= handle$steps || failed) apart_ends(handle)
  else if (gone) {
    apart_ends(handle)
    news <- c(news, list(list(problem = paste("The work ended before it was done, for want of",
                                              "memory perhaps."))))
  }
  news
}

# Whether the process is there no more; looked at now and then, as it costs a call.
is_gone <- function(handle) {
  if (as.numeric(difftime(Sys.time(), handle$looked, units = "secs")) < 1) return(FALSE)
  handle$looked <- Sys.time()
  pid <- apart_pid(handle)
  # What was never taken up was asked of a worker that is no more.
  if (is.na(pid)) {
    return(as.numeric(difftime(Sys.time(), handle$begun, units = "secs")) > most_seconds_to_begin())
  }
  state <- suppressWarnings(system2("ps", c("-o", "state=", "-p", pid), stdout = TRUE,
                                    stderr = FALSE))
  length(state) == 0 || startsWith(state[1], "Z")
}

most_seconds_to_begin <- function() getOption("rollingledger.explore_begin", 15)

apart_pid <- function(handle) {
  file <- file.path(handle$folder, "pid")
  # It may be there and not be written yet.
  pid <- if (file.exists(file)) as.integer(readLines(file))
  if (length(pid) == 1) pid else NA_integer_
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
  # A process that is only beginning has its number soon.
  for (turn in 1:100) {
    pid <- apart_pid(handle)
    if (!is.na(pid)) break
    Sys.sleep(0.01)
  }
  if (!is.na(pid)) tools::pskill(pid, tools::SIGKILL)
  apart_ends(handle)
}

apart_ends <- function(handle) {
  handle$over <- TRUE
  unlink(handle$folder, recursive = TRUE)
}
