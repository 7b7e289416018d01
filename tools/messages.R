# Lists all messages of the package, one a line with the place where it is made: what is refused,
# told and hinted at, to be read in one go. `Rscript tools/messages.R` from the package folder.
for (file in setdiff(Sys.glob("R/*.R"), "R/RcppExports.R")) {
  code <- utils::getParseData(parse(file, keep.source = TRUE))
  texts <- code[code$token == "STR_CONST" & nchar(code$text) > 20 & grepl(" ", code$text), ]
  inside <- vapply(texts$id, function(id) {
    while ((id <- code$parent[match(id, code$id)]) > 0) {
      own <- code[code$parent %in% code$id[code$parent == id] &
                    code$token == "SYMBOL_FUNCTION_CALL", "text"]
      if (any(grepl("^(refuse|tell|problem|cli_say)", own))) return(TRUE)
    }
    FALSE
  }, TRUE)
  texts <- texts[inside, ]
  cat(sprintf("%s:%d: %s\n", basename(file), texts$line1, texts$text), sep = "")
}
