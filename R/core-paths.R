# Paths, on every system in one form: parts are separated by "/".

full_path <- function(paths, must_work = FALSE) {
  normalizePath(paths, winslash = "/", mustWork = must_work)
}

# Whether full paths lie below a folder; the folder itself does not.
is_below <- function(paths, folder) startsWith(paths, paste0(sub("/$", "", folder), "/"))

# "/data", "C:/data" and "\\\\server\\data" begin at a place of their own.
is_absolute_path <- function(path) grepl("^(/|[A-Za-z]:[/\\\\]|\\\\\\\\)", path)

# Where a path leads in the end.
link_target <- function(file) {
  for (i in 1:40) {
    to <- Sys.readlink(file)
    if (is.na(to) || !nzchar(to)) return(file)
    file <- if (is_absolute_path(to)) to else file.path(dirname(file), to)
  }
  file
}

# Where a path leads, by way of what there is of it: links are followed though they lead to nothing,
# and what is yet to be made lies below what is there.
real_path <- function(path) {
  path <- link_target(path)
  if (file.exists(path) || dirname(path) == path) return(full_path(path))
  parent <- real_path(dirname(path))
  switch(basename(path), "." = parent, ".." = dirname(parent),
         file.path(sub("/$", "", parent), basename(path)))
}

# What only systems of one kind have: copies of a process, and a shell that completes lines.
on_unix <- function() .Platform$OS.type == "unix"
