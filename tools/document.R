# Writes RcppExports, NAMESPACE and man/ from the sources. Run from the package folder, through
# `make document`, which installs the package into the library named here first.
library <- commandArgs(TRUE)[1]
.libPaths(c(library, .libPaths()))
suppressMessages(roxygen2::roxygenise(".", load_code = roxygen2::load_installed))

# What ships and is made of the same tables: the layout of briefs, and the manual page.
table_text <- function(name) do.call(getFromNamespace(name, "rollingledger"), list())
writeLines(table_text("brief_schema_text"), "inst/briefs/brief.schema.json")
writeLines(table_text("manual_page"), "inst/shell/rolling-ledger.1")
