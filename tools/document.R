# Writes RcppExports, NAMESPACE and man/ from the sources. Run from the package folder, through
# `make document`, which installs the package into the library named here first.
library <- commandArgs(TRUE)[1]
.libPaths(c(library, .libPaths()))
suppressMessages(roxygen2::roxygenise(".", load_code = roxygen2::load_installed))
