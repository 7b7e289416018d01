# Lines of at most 100 columns, nothing that is worked out and not used, and words that are spelt as
# tools/words.txt has them. Prints what it finds and how much; the status tells too. With "words" as
# its argument it writes that list anew: read what `git diff` shows of it.
files <- Sys.glob(c("R/*.R", "tests/testthat/*.R", "tests/oracle/*.R", "tools/*.R", "bench/*.R",
                    "src/core/*.h", "src/glue*.cpp", "src/glue.h", "tests/core/*.cpp"))
files <- setdiff(files, "R/RcppExports.R")
long <- unlist(lapply(files, function(file) {
  at <- which(nchar(readLines(file, warn = FALSE)) > 100)
  if (length(at) > 0) sprintf("%s:%d: more than 100 columns", file, at)
}))
# ---- words -------------------------------------------------------------------

# What people read: comments, texts with a space, pages of documents; without code, names, links.
texts_of <- function(file) {
  lines <- readLines(file, warn = FALSE, encoding = "UTF-8")
  if (grepl("[.](h|cpp)$", file)) return(sub("^[^/]*//", "", grep("//", lines, value = TRUE)))
  if (!grepl("[.]R$", file)) return(lines)
  code <- utils::getParseData(parse(file, keep.source = TRUE, encoding = "UTF-8"))
  own <- code$token == "COMMENT" | code$token == "STR_CONST" & grepl(" ", code$text) &
    startsWith(file, "R/")
  code$text[own]
}

words_of <- function(texts) {
  code <- paste("`[^`]*`|\\[[^]]*\\]\\([^)]*\\)|%[0-9.]*[a-z]|\\\\[a-z]+|[[:alnum:]_.]+\\(",
                "[A-Za-z0-9]+[_.][A-Za-z0-9_.]+|--[a-z-]+|\\{[^}]*\\}|\"[^\" ]*\"", sep = "|")
  texts <- gsub(code, " ", texts)
  words <- unlist(regmatches(texts, gregexpr("[A-Za-z]+('[a-z]+)?", texts)))
  # Codes, such as those of currencies, are no words.
  unique(tolower(words[!grepl("[a-z][A-Z]|^[A-Z]{3}$", words)]))
}

pages <- Sys.glob(c("README.md", "docs/*.md", "vignettes/*.Rmd"))
words <- lapply(stats::setNames(nm = c(files, pages)), function(file) words_of(texts_of(file)))
if (identical(commandArgs(TRUE), "words")) {
  all <- sort(unique(unlist(words)), method = "radix")
  writeLines(strwrap(paste(all, collapse = " "), 100), "tools/words.txt")
  quit(save = "no")
}
listed <- scan("tools/words.txt", "", quiet = TRUE, encoding = "UTF-8")
odd <- unlist(Map(function(file, own) {
  new <- setdiff(own, listed)
  if (length(new) > 0) sprintf("%s: not in tools/words.txt: %s", file, paste(new, collapse = ", "))
}, names(words), words), use.names = FALSE)
# What is said better with its subject and one verb.
awkward <- unlist(lapply(Sys.glob("R/*.R"), function(file) {
  at <- grep("\\b(which|that|it|days|totals) (is|are) none\\b|\\bthat which\\b",
             readLines(file, warn = FALSE), ignore.case = TRUE)
  if (length(at) > 0) sprintf("%s:%d: \"is none\" or \"that which\"", file, at)
}))

# One name for two functions: the file that is read last would win.
made <- unlist(lapply(setdiff(Sys.glob("R/*.R"), "R/RcppExports.R"), function(file) {
  code <- as.list(parse(file, keep.source = FALSE, encoding = "UTF-8"))
  code <- Filter(function(one) is.call(one) && identical(one[[1]], quote(`<-`)) &&
                   is.symbol(one[[2]]), code)
  vapply(code, function(one) as.character(one[[2]]), "")
}))
twice <- sprintf("%s is made twice", unique(made[duplicated(made)]))

# Of the code as it is installed. For the lines that a variable stands in, which installed code has
# not, a table would be bound together at each use: most of two minutes.
utils::assignInNamespace("incLocalSrcInfo", function(vn, w) NULL, "codetools")
unused <- character()
codetools::checkUsageEnv(asNamespace("rollingledger"),
                         report = function(text) unused <<- c(unused, text))
unused <- sub("\n$", "", grep("no visible (global function|binding)", unused, value = TRUE,
                              invert = TRUE))

found <- c(long, unused, odd, awkward, twice)
if (length(found) > 0) cat(found, sep = "\n")
cat(sprintf("lint: %d passed, %d failed\n", length(files), length(found)))
quit(save = "no", status = if (length(found) == 0) 0 else 1)
