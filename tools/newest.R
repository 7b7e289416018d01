# A library of its own below .build with the newest versions that CRAN has of all that is imported
# or suggested, and of all that these need, and the package built against them. What is there in its
# newest version is left alone. The argument is the build folder; prints the versions.
build <- normalizePath(commandArgs(TRUE)[1])
library <- file.path(build, "newest")
dir.create(library, showWarnings = FALSE)
# Nothing else but what comes with R is seen by what is built here.
.libPaths(library, include.site = FALSE)
Sys.setenv(R_LIBS = library, R_LIBS_SITE = library, R_LIBS_USER = library)
repos <- getOption("repos")
if (is.null(repos) || any(repos == "@CRAN@")) repos <- c(CRAN = "https://cloud.r-project.org")

stated <- read.dcf("DESCRIPTION", c("Imports", "Suggests"))
stated <- trimws(unlist(strsplit(gsub("\n", " ", stated), ",")))
# The engine of DuckDB takes an hour to build; its library from elsewhere serves both ends.
wanted <- setdiff(sub(" .*", "", stated), "duckdb")
tests_use <- "lubridate"
offered <- utils::available.packages(repos = repos)  # those that this R can take
with_r <- rownames(utils::installed.packages(priority = c("base", "recommended")))
needed <- unlist(tools::package_dependencies(c(wanted, tests_use), offered, recursive = TRUE))
all <- setdiff(unique(c(wanted, tests_use, needed)), with_r)
held <- utils::installed.packages(library)
current <- all %in% rownames(held)
current[current] <- held[match(all[current], rownames(held)), "Version"] ==
  offered[match(all[current], rownames(offered)), "Version"]
old <- intersect(all[!current], rownames(offered))
if (length(old) > 0) {
  # What they are built with.
  headers <- c(curl = "libcurl4-openssl-dev", xml2 = "libxml2-dev", openssl = "libssl-dev",
               RPostgres = "libpq-dev")
  headers <- headers[names(headers) %in% old]
  if (length(headers) > 0 && nzchar(Sys.which("apt-get")) &&
      identical(Sys.info()[["effective_user"]], "root")) {
    system2("apt-get", c("install", "-y", "-q", "--no-install-recommends", headers),
            stdout = FALSE, stderr = FALSE, env = "DEBIAN_FRONTEND=noninteractive")
  }
  Sys.setenv(USE_BUNDLED_LIBUV = "1")
  message("newest: building ", length(old), " packages ...")
  # Quick to build is what counts.
  flags <- tempfile()
  writeLines(c("CFLAGS = -O1 -g0 -fPIC", "CXXFLAGS = -O1 -g0 -fPIC", "CXX11FLAGS = -O1 -g0 -fPIC",
               "CXX14FLAGS = -O1 -g0 -fPIC", "CXX17FLAGS = -O1 -g0 -fPIC"), flags)
  Sys.setenv(R_MAKEVARS_USER = flags, MAKEFLAGS = "-j2")
  utils::install.packages(old, lib = library, repos = repos, quiet = TRUE, Ncpus = 2)
}
lacks <- setdiff(wanted, rownames(utils::installed.packages(library)))
if (length(lacks) > 0) message("newest: could not be had: ", paste(lacks, collapse = ", "))
needs <- sub(" .*", "", trimws(strsplit(gsub("\n", " ", read.dcf("DESCRIPTION", "Imports")),
                                        ",")[[1]]))
if (any(lacks %in% needs)) quit(status = 1)
versions <- vapply(setdiff(wanted, lacks), function(name) {
  as.character(utils::packageVersion(name, library))
}, "")
cat("newest: ", paste(names(versions), versions, collapse = ", "), "\n", sep = "")
