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

# A name that no other run has, and that tells whose it is: of which process on which system.
path_beside <- function(file) {
  tempfile(sprintf(".rolling-ledger-%s-%d-", this_system(), Sys.getpid()), dirname(file),
           paste0(".", tools::file_ext(file)))
}

# Numbers of processes are those of a system; a container is one of its own, though it has the same
# folder.
this_system <- function() {
  told <- c(Sys.info()[["nodename"]], suppressWarnings(tryCatch(
    c(Sys.readlink("/proc/self/ns/pid"), readLines("/proc/sys/kernel/random/boot_id", 1)),
    error = function(e) "")))
  substr(rlang::hash(told), 1, 8)
}

# What runs that were killed have left: files of processes of this system that are no more.
remove_old_leftovers <- function(folder) {
  own <- sprintf("^[.]rolling-ledger-%s-([0-9]+)-", this_system())
  found <- list.files(folder, own, all.files = TRUE)
  process <- as.integer(sub(paste0(own, ".*"), "\\1", found))
  old <- process != Sys.getpid() & !vapply(process, is_running, TRUE)
  unlink(file.path(folder, found[old]), recursive = TRUE)
}

# A process of another user is there, though it may not be signalled.
is_running <- function(process) core_process_runs(process)

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

file_kind <- function(file, kinds, call = caller_env()) {
  if (!rlang::is_string(file)) refuse("file", "{file} must be one path.", call = call)
  kind <- lower_text(tools::file_ext(file))
  if (!kind %in% kinds) {
    refuse("file", c(sprintf("The kind of file is not known from the name %s.", basename(file)),
                     i = sprintf("It must end in %s.", listed(paste0(".", kinds), last = "or"))),
           file = file, call = call)
  }
  kind
}

# `inputs` are files that are read to work out what is written.
check_target <- function(file, overwrite, call = caller_env(), inputs = character()) {
  one_flag(overwrite, "overwrite", call)
  if (!dir.exists(dirname(file))) {
    refuse("file", sprintf("The folder %s does not exist.", dirname(file)), file = file,
           call = call)
  }
  if (is_same_file(file, inputs)) {
    refuse("file", c(sprintf("The file %s is read, so it cannot be written.", file),
                     i = "Choose another name."), file = file, call = call)
  }
  if (file.exists(file) && !overwrite) {
    refuse("file", c(sprintf("The file %s exists already.", file),
                     i = "Choose another name, or say {overwrite = TRUE}."), file = file,
           call = call)
  }
}

is_same_file <- function(file, others) {
  others <- files_read(others)
  length(others) > 0 && file_keys(file) %in% file_keys(others)
}

# What tells whether two paths lead to one file: the file itself where it is there (whatever links
# and names lead to it), else where it would be made; some disks overlook the case of names.
file_keys <- function(paths) {
  paths <- sub("(?<=[^/])/+$", "", as.character(paths), perl = TRUE)
  which <- core_file_identities(paths)$which
  ifelse(nzchar(which), which, lower_text(vapply(paths, real_path, "", USE.NAMES = FALSE)))
}

# Files that are read, of paths, folders, patterns and addresses of files.
files_read <- function(inputs) {
  inputs <- as.character(unlist(inputs))
  unlist(lapply(inputs[!is.na(inputs)], function(path) {
    path <- sub("[?].*$", "", sub("^(sqlite|duckdb)://", "", path, ignore.case = TRUE))
    if (dir.exists(path)) list.files(path, full.names = TRUE)
    else if (!file.exists(path) && grepl("[*?[]", path)) Sys.glob(path) else path
  }))
}

# Several targets of one call: no two of them are one file.
check_targets_apart <- function(targets, call = caller_env()) {
  again <- which(duplicated(file_keys(targets)))
  if (length(again) == 0) return(invisible())
  first <- match(file_keys(targets)[again[1]], file_keys(targets))
  refuse("file", c(
    sprintf("Two things would be written to one file: %s%s.", targets[again[1]],
            if (targets[first] == targets[again[1]]) "" else paste(" and", targets[first])),
    i = "Give each a name of its own."), file = targets[again[1]], call = call)
}

# Whether a file has the end that its kind has. Text of rows ends with a line's end; what wrote it
# has checked the rest.
is_whole_file <- function(path) {
  size <- file.size(path)
  if (is.na(size) || size == 0) return(FALSE)
  kind <- lower_text(tools::file_ext(path))
  con <- file(path, "rb")
  on.exit(close(con))
  seek(con, max(0, size - 1024))
  bytes <- readBin(con, "raw", 1024)
  holds <- function(what) length(grepRaw(what, bytes, fixed = TRUE)) > 0
  ends <- function(what) identical(utils::tail(bytes, length(what)), what)
  switch(kind,
    csv = , tsv = ends(charToRaw("\n")),
    json = ends(charToRaw("]\n")) || ends(charToRaw("}\n")),
    html = , htm = ends(charToRaw("</html>\n")),
    png = holds(charToRaw("IEND")), svg = holds(charToRaw("</svg>")),
         pdf = holds(charToRaw("%%EOF")),
    parquet = ends(charToRaw("PAR1")), xlsx = holds(as.raw(c(0x50, 0x4b, 0x05, 0x06))), TRUE
  )
}

# Writes bytes, and looks whether all of them arrived.
write_bytes <- function(text, path) {
  bytes <- charToRaw(enc2utf8(text))
  con <- file(path, "wb")
  tryCatch(writeBin(bytes, con), finally = close(con))
  if (file.size(path) != length(bytes)) stop("only part of it arrived", call. = FALSE)
}
