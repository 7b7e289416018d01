# Files are written whole or not at all: beside their place first, down to the disk, looked at for
# their end, and then put into place in one step. What was not written to its end never takes the
# place of a file that was; of two that write a new file at once, one wins.

# `write` is given a path beside the target.
write_whole <- function(file, overwrite, write, call = caller_env()) {
  check_target(file, overwrite, call)
  remove_old_leftovers(dirname(file))
  beside <- path_beside(file)
  core_add_leftover(beside)
  on.exit({
    unlink(beside)
    core_forget_leftover(beside)
  })
  cut_off <- function(why = NULL) {
    refuse("file",
           c(sprintf(paste0("The file %s could not be written to its end; what was there before ",
                            "is as it was."), file),
             x = why, i = "Is the disk full?"), file = file, call = call)
  }
  tryCatch(write(beside), error = function(e) if (inherits(e, "rollingledger_error")) stop(e)
           else cut_off(conditionMessage(e)))
  if (!is_whole_file(beside)) cut_off()
  unsafe <- core_sync_path(beside)
  if (nzchar(unsafe)) cut_off(unsafe)
  move_into_place(beside, file, overwrite, call)
  invisible(file)
}

# A name that no other run has, and that tells whose it is.
path_beside <- function(file) {
  tempfile(sprintf(".rolling-ledger-%d-", Sys.getpid()), dirname(file),
           paste0(".", tools::file_ext(file)))
}

# What runs that were killed have left: files of processes that are no more.
remove_old_leftovers <- function(folder) {
  found <- list.files(folder, "^[.]rolling-ledger-[0-9]+-", all.files = TRUE)
  process <- as.integer(sub("^[.]rolling-ledger-([0-9]+)-.*", "\\1", found))
  old <- process != Sys.getpid() & !vapply(process, is_running, TRUE)
  unlink(file.path(folder, found[old]), recursive = TRUE)
}

is_running <- function(process) isTRUE(suppressWarnings(tools::pskill(process, 0L)))

# The last step: a file that is there already keeps its mode, and a link stays a link.
move_into_place <- function(beside, file, overwrite, call = caller_env()) {
  target <- link_target(file)
  if (file.exists(target) && overwrite) {
    Sys.chmod(beside, file.mode(target), use_umask = FALSE)
    # A link may lead to another disk, onto which a rename does not reach.
    if (!suppressWarnings(file.rename(beside, target))) {
      beside <- copied_beside(beside, target)
      if (is.null(beside) || !file.rename(beside, target)) refuse_unwritten(file, call)
    }
  } else {
    moved <- core_move_to_free_name(beside, target)
    if (moved == "taken") {
      refuse("file", c(sprintf("The file %s exists already; it was written meanwhile.", file),
                       i = "Choose another name, or say {overwrite = TRUE}."), file = file,
             call = call)
    }
    if (moved == "failed") refuse_unwritten(file, call)
  }
  core_sync_path(dirname(target))
  invisible(file)
}

refuse_unwritten <- function(file, call) {
  refuse("file", sprintf("The file %s cannot be written.", file), file = file, call = call)
}

copied_beside <- function(from, target) {
  beside <- path_beside(target)
  copied <- file.copy(from, beside, copy.mode = TRUE) &&
    identical(file.size(beside), file.size(from)) && core_sync_path(beside) == ""
  unlink(from)
  if (copied) return(beside)
  unlink(beside)
  NULL
}

# Where a path leads in the end.
link_target <- function(file) {
  for (i in 1:40) {
    to <- Sys.readlink(file)
    if (is.na(to) || !nzchar(to)) return(file)
    file <- if (startsWith(to, "/")) to else file.path(dirname(file), to)
  }
  file
}
