# What was worked out once and is kept in an environment, of a ledger or of a statement. Keys are
# lists of what was asked, hashed as they are: "first days" of a column is never mistaken for a
# column of that name.

kept_in <- function(held, key, make, stands = function(value) TRUE) {
  name <- rlang::hash(key)
  value <- held[[name]]
  if (is.null(value) || !stands(value)) {
    value <- make()
    assign(name, value, envir = held)
  }
  value
}
