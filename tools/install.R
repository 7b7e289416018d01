# Installs the package as it was built into the user's first writable library, and puts the command
# rolling-ledger into the folder given. Run through `make install`.
bin <- commandArgs(TRUE)[1]
built <- commandArgs(TRUE)[2]
library <- .libPaths()[1]
if (file.access(library, 2) != 0) {
  library <- Sys.getenv("R_LIBS_USER")
  dir.create(library, recursive = TRUE, showWarnings = FALSE)
}
status <- system2(file.path(R.home("bin"), "R"),
                  c("CMD", "INSTALL", paste0("--library=", shQuote(library)), shQuote(built)))
if (status != 0) quit(status = 1)
target <- file.path(bin, "rolling-ledger")
if (!file.copy("exec/rolling-ledger", target, overwrite = TRUE))
  stop("Cannot write ", target, call. = FALSE)
Sys.chmod(target, "755")
message("Installed the command ", target)
if (.Platform$OS.type == "windows") {
  file.copy("exec/rolling-ledger.bat", paste0(target, ".bat"), overwrite = TRUE)
}
# Beside it the manual page and completion, where such folders are looked for.
share <- file.path(dirname(bin), "share")
beside <- c(file.path(share, "man", "man1", "rolling-ledger.1"),
            file.path(share, "bash-completion", "completions", "rolling-ledger"))
from <- c("inst/shell/rolling-ledger.1", "inst/shell/rolling-ledger.bash")
for (i in seq_along(beside)) {
  dir.create(dirname(beside[i]), recursive = TRUE, showWarnings = FALSE)
  if (file.copy(from[i], beside[i], overwrite = TRUE)) message("Installed ", beside[i])
}
if (!bin %in% strsplit(Sys.getenv("PATH"), .Platform$path.sep)[[1]]) {
  message("Add ", bin, " to your PATH to call it as rolling-ledger.")
}
