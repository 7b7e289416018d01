# What arguments of verbs are called on the command line.

field_flag <- function(name, one) {
  if (isFALSE(one$option)) return(NULL)
  paste0("--", gsub("_", "-", one$option %||% name))
}

# The flags of a verb's fields, by the name of the argument.
field_flags <- function(verb) {
  fields <- fields_of(verb)
  unlist(Map(field_flag, names(fields), fields))
}

# The verbs that add to a statement, by the flag that starts each.
step_flags <- function() {
  verbs <- Filter(function(verb) !is.null(verb_table[[verb]]$flag), verbs_of("statement"))
  stats::setNames(verbs, vapply(verbs, function(verb) paste0("--", verb_table[[verb]]$flag), ""))
}
