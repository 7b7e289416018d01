# The layers, top to bottom: a function may call its own layer and those below, nothing above.

# The contract that measures read columns by stands below them; what answers it stands above.
layers <- list("cli", c("report", "run", "table", "explore"), "figure", "brief", "sentence",
               "check", "statement", "window", c("source", "engine"), "measure", "contract",
               "ledger", "span", "calendar", "question", "file", "core")

source_files <- function() {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  files <- setdiff(list.files(folder, "[.]R$"),
                   c("RcppExports.R", "data.R", "rollingledger-package.R"))
  prefix <- sub("-.*", "", files)
  prefix[files == "source-.R"] <- "contract"
  list(files = files, prefix = prefix,
       code = lapply(file.path(folder, files), parse, keep.source = FALSE))
}

# Names of all functions and values that files define at their top level.
defined_in <- function(expressions) {
  names <- vapply(expressions,
                  function(e) if (is.call(e) && identical(e[[1]], quote(`<-`)) && is.symbol(e[[2]]))
                    as.character(e[[2]]) else "", "")
  names[nzchar(names)]
}

test_that("no call runs upward", {
  sources <- source_files()
  place <- rep(seq_along(layers), lengths(layers))
  names(place) <- unlist(layers)
  expect_true(all(sources$prefix %in% names(place)),
              info = paste(sources$files[!sources$prefix %in% names(place)], collapse = " "))
  defined <- unlist(Map(function(expressions, where) {
    names <- defined_in(expressions)
    stats::setNames(rep(place[[where]], length(names)), names)
  }, sources$code, sources$prefix))
  expect_gt(length(defined), 150)
  # What is asked of sources is called so too, where it is handed on.
  defined <- defined[names(defined) != "ask"]
  expect_identical(names(defined)[duplicated(names(defined))], character())
  upward <- unlist(Map(function(expressions, where, file) {
    used <- intersect(all.names(as.call(c(quote(`{`), as.list(expressions)))), names(defined))
    up <- used[defined[used] < place[[where]]]
    if (length(up) > 0) paste(file, "uses", up)
  }, sources$code, sources$prefix, sources$files))
  expect_identical(unname(upward), NULL)
})

# Names of fields that are read by `$` or `[[ "..." ]]`, anywhere in code.
fields_read <- function(code) {
  if (!is.call(code)) return(if (is.pairlist(code)) unlist(lapply(as.list(code), fields_read)))
  own <- if (is.symbol(code[[1]]) && as.character(code[[1]]) == "$") as.character(code[[3]])
         else if (is.symbol(code[[1]]) && as.character(code[[1]]) == "[[" && length(code) == 3 &&
                  is.character(code[[3]])) code[[3]]
  c(own,
    unlist(lapply(as.list(code), function(part) if (!rlang::is_missing(part)) fields_read(part))))
}

test_that("nothing above the sources reads a ledger's inside, or calls into cubes and lists", {
  sources <- source_files()
  above <- c("cli", "report", "run", "table", "explore", "figure", "brief", "check", "statement",
             "window", "measure")
  inside <- c("columns", "bases", "grouped", "parts", "offsets", "pointer", "source_days",
              "later_rows", "aside", "used", "cubes")
  calls <- c("ledger_column", "ledger_attribute", "in_one_piece", "ledger_parts", "source_rows",
             "entry_days", "is_code_column", "cells_for",
             "cube_request", "core_build_cube", "core_evaluate", "core_build_lists",
             "core_list_values", "core_group_members",
             "core_group_numbers", "core_cube_facts", "core_latest_days",
             "core_stretches_with_entries", "core_codes_back",
             "core_amounts_back", "core_control_values", "core_chosen_entries", "core_first_days",
             "core_lists_of_amounts")
  looked <- 0
  for (i in which(sources$prefix %in% above)) {
    code <- as.call(c(quote(`{`), as.list(sources$code[[i]])))
    looked <- looked + 1
    expect_identical(as.character(intersect(fields_read(code), inside)), character(),
                     info = sources$files[i])
    expect_identical(intersect(all.names(code), calls), character(), info = sources$files[i])
  }
  expect_gt(looked, 30)
  # Cubes and lists are called in one file.
  for (i in which(sources$prefix %in% c("source", "engine") & sources$files != "source-cube.R")) {
    used <- intersect(all.names(as.call(c(quote(`{`), as.list(sources$code[[i]])))),
                      c("core_evaluate", "core_list_values", "core_stretches_with_entries",
                        "core_latest_days"))
    expect_identical(used, character(), info = sources$files[i])
  }
})

test_that("nothing below the interface touches what only the interface needs", {
  sources <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(sources))
  low <- list.files(sources,
                    paste0("^(check|statement|window|measure|source|engine|ledger|span|calendar|",
                           "question|file|core)-.*[.]R$"),
                    full.names = TRUE)
  for (file in low) expect_no_match(readLines(file), "ggplot2::|htmltools::|optparse::|shiny::",
                                    info = basename(file))
})

test_that("loading the package loads nothing heavy", {
  loaded <- system2("Rscript",
                    c("-e", shQuote("loadNamespace('rollingledger'); cat(loadedNamespaces())")),
                    stdout = TRUE,
                    env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)))
  for (heavy in c("ggplot2", "data.table", "htmltools", "optparse", "shiny")) expect_no_match(
    loaded, heavy)
})

test_that("how a value is written stands in one file", {
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  files <- setdiff(list.files(folder, "[.]R$", full.names = TRUE), file.path(folder, "core-text.R"))
  for (file in files) {
    lines <- grep("^ *#", readLines(file, warn = FALSE, encoding = "UTF-8"), value = TRUE,
                  invert = TRUE)
    rules <- grep("\"\\((missing|empty)\\)\"|big[.]mark|formatC\\(|prettyNum|nsmall", lines,
                  value = TRUE)
    expect_identical(rules, character(), info = basename(file))
  }
})
