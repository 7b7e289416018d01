cli_complete <- function(words) 0L
