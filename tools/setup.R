# Installs what is missing for a purpose, given as the argument: run, test, bench, screenshots,
# check, site, cluster or document. Debian's built packages serve where we are root on Debian and
# they are new enough; CRAN otherwise. What is there already is left alone.

purpose <- commandArgs(TRUE)[1]
needs_beyond <- list(
  run = "openxlsx",
  test = c("bit64", "curl", "DBI", "knitr", "mosaicData", "nanoparquet", "nycflights13",
           "openxlsx", "processx",
           "readODS", "readxl", "rmarkdown", "RSQLite", "shiny", "testthat", "withr", "xml2",
           "yaml", "lubridate", "RPostgres", "adbcdrivermanager", "nanoarrow"),
  bench = c("collapse", "curl", "DBI", "dplyr", "processx", "RSQLite", "shiny", "nanoparquet",
            "RPostgres", "adbcdrivermanager", "nanoarrow"),
  screenshots = c("curl", "openxlsx", "processx", "shiny"),
  check = c("bit64", "curl", "DBI", "RSQLite", "knitr", "nanoparquet", "openxlsx",
            "processx", "readxl", "rmarkdown",
            "shiny", "testthat", "withr", "xml2", "yaml"),
  cluster = c("bit64", "curl", "DBI", "knitr", "processx", "rmarkdown", "testthat", "withr", "yaml",
              "RPostgres"),
  site = c("curl", "DBI", "knitr", "openxlsx", "pkgdown", "RSQLite", "rmarkdown", "shiny"),
  document = "roxygen2"
)
browser <- c(chromium = "chromium", chromedriver = "chromium-driver")
programs <- list(screenshots = browser, bench = browser, check = c(pandoc = "pandoc"),
                 site = c(pandoc = "pandoc"),
                 test = c(browser, pandoc = "pandoc", tidy = "tidy"))
# Tests that need these are left out, and say so, where they cannot be had.
engines <- c("RPostgres", "adbcdrivermanager", "nanoarrow", "PostgreSQL", "DuckDB")
optional <- list(test = c("mosaicData", "nycflights13", "nanoparquet", "readODS", "chromium",
                          "chromedriver", "pandoc", "tidy", engines),
                 bench = c("chromium", "chromedriver", "shiny", engines),
                 cluster = c("RPostgres", "PostgreSQL", "ClickHouse"), check = "nanoparquet")
if (!purpose %in% names(needs_beyond)) stop("Unknown purpose: ", purpose, call. = FALSE)

# What the package itself imports, with the least versions it states.
stated <- read.dcf("DESCRIPTION", c("Imports", "Suggests"))
entries <- trimws(unlist(strsplit(gsub("\n", " ", stated[!is.na(stated)]), ",")))
least <- ifelse(grepl(">=", entries), sub(".*>= *([0-9.-]+).*", "\\1", entries), "0")
names(least) <- sub(" .*", "", entries)
imports <- sub(" .*", "", trimws(unlist(strsplit(gsub("\n", " ", stated[1, "Imports"]), ","))))
wanted <- c(imports, needs_beyond[[purpose]])

enough <- function(version, package) {
  least_version <- if (package %in% names(least)) least[[package]] else "0"
  !is.na(version) && utils::compareVersion(version, least_version) >= 0
}
installed <- function(package) {
  version <- suppressWarnings(
    tryCatch(as.character(utils::packageVersion(package)), error = function(e) NA))
  enough(version, package)
}
say <- function(...) message("setup (", purpose, "): ", ...)

run <- function(command, args) {
  log <- tempfile()
  status <- system2(command, args, stdout = log, stderr = log,
                    env = "DEBIAN_FRONTEND=noninteractive")
  if (status != 0) message(paste(utils::tail(readLines(log), 15), collapse = "\n"))
  status == 0
}
on_debian <- nzchar(Sys.which("apt-get")) && identical(Sys.info()[["effective_user"]], "root")
updated <- FALSE
debian_install <- function(packages, why) {
  if (!on_debian || length(packages) == 0) return(invisible())
  if (!updated) {
    run("apt-get", c("update", "-q"))
    updated <<- TRUE
  }
  offered <- vapply(packages, function(package) {
    policy <- suppressWarnings(
      system2("apt-cache", c("policy", package), stdout = TRUE, stderr = FALSE))
    candidate <- sub(".*Candidate: *", "", grep("Candidate:", policy, value = TRUE))
    if (length(candidate) == 0 || candidate == "(none)") NA_character_
    else sub("[+-].*", "", sub("^[0-9]+:", "", candidate))
  }, "")
  names_in_r <- why$package
  good <- mapply(function(version, name) is.na(name) && !is.na(version) || !is.na(name) &&
                 enough(version, name), offered, names_in_r)
  if (!any(good)) return(invisible())
  say("installing Debian's ", paste(packages[good], collapse = " "), " (", why$reason, ")")
  run("apt-get", c("install", "-y", "-q", "--no-install-recommends", packages[good]))
}

missing <- wanted[!vapply(wanted, installed, TRUE)]
# RPostgres is built against the client library of PostgreSQL.
if ("RPostgres" %in% missing && !file.exists("/usr/include/postgresql/libpq-fe.h")) {
  debian_install("libpq-dev",
                 list(package = NA_character_, reason = "what RPostgres is built with"))
}
if (length(missing) > 0) {
  debian_install(paste0("r-cran-", tolower(missing)),
                 list(package = missing, reason = paste0("packages the ", purpose, " step uses")))
  missing <- missing[!vapply(missing, installed, TRUE)]
}
if (length(missing) > 0) {
  say("installing from CRAN: ", paste(missing, collapse = ", "),
      " (not to be had from Debian, or too old there)")
  library <- .libPaths()[1]
  if (file.access(library, 2) != 0) {
    library <- Sys.getenv("R_LIBS_USER")
    dir.create(library, recursive = TRUE, showWarnings = FALSE)
    .libPaths(c(library, .libPaths()))
  }
  repos <- getOption("repos")
  if (is.null(repos) || any(repos == "@CRAN@")) repos <- c(CRAN = "https://cloud.r-project.org")
  Sys.setenv(MAKEFLAGS = "-j2")
  utils::install.packages(missing, lib = library, repos = repos, quiet = TRUE, Ncpus = 2)
  missing <- missing[!vapply(missing, installed, TRUE)]
}
for (program in names(programs[[purpose]])) {
  if (nzchar(Sys.which(program))) next
  debian_install(programs[[purpose]][[program]],
                 list(package = NA_character_, reason = paste("the program", program)))
  if (!nzchar(Sys.which(program))) missing <- c(missing, program)
}
# The command is tested in a language other than English; without that locale it runs in C instead.
if (purpose == "test" && on_debian &&
    !any(grepl("^de_DE[.]utf-?8$", system2("locale", "-a", stdout = TRUE), ignore.case = TRUE))) {
  if (!nzchar(Sys.which("localedef")) || !file.exists("/usr/share/i18n/locales/de_DE")) {
    debian_install("locales",
                   list(package = NA_character_,
                        reason = "for a run of the command in another language"))
  }
  run("localedef", c("-i", "de_DE", "-f", "UTF-8", "de_DE.UTF-8"))
}
# A server of PostgreSQL, which tests and benchmarks start in a folder of their own.
if (purpose %in% c("test", "bench", "cluster")) {
  has_server <- function() length(Sys.glob("/usr/lib/postgresql/*/bin/pg_ctl")) > 0 ||
    nzchar(Sys.which("pg_ctl"))
  if (!has_server()) {
    debian_install("postgresql", list(package = NA_character_, reason = "a server to be asked"))
  }
  if (!has_server()) missing <- c(missing, "PostgreSQL")
}
# Servers of ClickHouse, which are started in folders of their own.
if (purpose == "cluster") {
  has_clickhouse <- function() any(nzchar(Sys.which(c("clickhouse-server", "clickhouse")))) ||
    file.exists("/usr/sbin/clickhouse-server")
  if (!has_clickhouse()) {
    debian_install("clickhouse-server", list(package = NA_character_,
                                             reason = "servers to be asked as a cluster"))
  }
  if (!has_clickhouse()) missing <- c(missing, "ClickHouse")
}
# From the npm registry: what checks pages for those who use a keyboard or a screen reader, a
# document without a browser for the page's scripts, and the library of DuckDB, whose R package
# takes an hour to build.
from_npm <- list(test = c("axe-core", "jsdom", "@duckdb/node-bindings-linux-x64"),
                 bench = "@duckdb/node-bindings-linux-x64")[[purpose]]
versions <- c("axe-core" = "4", "jsdom" = "26", "@duckdb/node-bindings-linux-x64" = "latest")
absent <- from_npm[!dir.exists(file.path(".build/node/node_modules", from_npm))]
if (length(absent) > 0 && nzchar(Sys.which("npm"))) {
  say("installing ", paste(absent, collapse = " and "), " from the npm registry")
  run("npm", c("install", "--prefix", ".build/node", "--no-audit", "--no-fund",
               paste0(absent, "@", versions[absent])))
}
if (purpose %in% c("test", "bench") &&
    !file.exists(".build/node/node_modules/@duckdb/node-bindings-linux-x64/libduckdb.so")) {
  missing <- c(missing, "DuckDB")
}
without <- intersect(missing, optional[[purpose]])
if (length(without) > 0) say("doing without ", paste(without, collapse = ", "))
missing <- setdiff(missing, without)
if (length(missing) > 0) {
  stop("Could not install: ", paste(missing, collapse = ", "),
       ". Install these and run make again.", call. = FALSE)
}
