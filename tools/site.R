# Builds the site of help by topic, vignettes and news into .build/site, without the network.
#
#   Rscript tools/site.R BUILD
build <- commandArgs(TRUE)[1]
# What the builder asks of a registry, or of addresses, it is told not to.
options(pkgdown.internet = FALSE, rlib_message_verbosity = "quiet")
site <- file.path(build, "site")
unlink(site, recursive = TRUE)
pkgdown::build_site(".", preview = FALSE, new_process = FALSE, install = FALSE, devel = FALSE)

# What would be fetched from elsewhere when a page is read is taken out of it.
pages <- list.files(site, "[.]html$", recursive = TRUE, full.names = TRUE)
for (page in pages) {
  lines <- readLines(page, encoding = "UTF-8", warn = FALSE)
  text <- paste(lines, collapse = "\n")
  text <- gsub("<script[^>]*src=\"https?://[^>]*></script>", "", text)
  text <- gsub("<link(?=[^>]*stylesheet)[^>]*href=\"https?://[^>]*>", "", text, perl = TRUE)
  # A list of headings that a script from elsewhere would have filled.
  text <- gsub("<nav id=\"toc\"[^>]*>.*?</nav>", "", text, perl = TRUE)
  writeLines(text, page, useBytes = TRUE)
}
# The pictures of the README stand beside.
pictures <- list.files("docs/screenshots", "[.]png$", full.names = TRUE)
dir.create(file.path(site, "docs/screenshots"), recursive = TRUE, showWarnings = FALSE)
invisible(file.copy(pictures, file.path(site, "docs/screenshots")))
message("The site of ", length(pages), " pages: ", file.path(site, "index.html"))
