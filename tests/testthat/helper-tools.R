# Functions of files of tools/, and of what they stand on.
tools_here <- function(file = NULL) {
  paths <- testthat::test_path("..", "..", "tools", c("free-ports.R", file))
  if (!all(file.exists(paths))) testthat::skip("the tools of the source are not here")
  tools <- new.env()
  for (path in paths) sys.source(path, tools)
  tools
}

free_ports <- function(n) tools_here()$free_ports(n)
