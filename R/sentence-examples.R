# The language of sentences by examples.

sentence_help_section <- function() c("@section The language:", "TODO")
