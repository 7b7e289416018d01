# A ledger built again from the record of a question.

# `measured` names columns that are read as amounts because measures add them up.
ledger_of_record <- function(record, tables = list(), measured = NULL, spoken = NULL,
                             call = caller_env()) {
  source <- record$file
  if (is.null(source)) {
    source <- tables[[record$data %||% ""]]
    if (is.null(source)) {
      refuse("question", c("The question does not hold its ledger, which was made of a table.",
                           i = "Give it: answer(question, x)."), call = call)
    }
  }
  named <- c("on", "units", "date_format", "number_format", "columns")
  args <- record[setdiff(names(record), c("file", "data", "calendar", "steps"))]
  args[intersect(named, names(args))] <- lapply(args[intersect(named, names(args))], named_values)
  args$calendar <- calendar_of_record(record$calendar, tables, call)
  x <- if (is.character(source)) files_of_record(source, args, measured, spoken, call)
       else rlang::exec(ledger, source, !!!args)
  for (step in record$steps) x <- ledger_step_again(x, step, tables, call)
  x
}

files_of_record <- function(source, args, measured, spoken, call) {
  defaults <- lapply(fields_of("ledger"), function(one) one$default)
  where <- args$where
  args$where <- NULL
  given <- utils::modifyList(defaults, args)
  x <- ledger_of_place(source, given, args, measured = measured, spoken = spoken, call = call)
  keep_entries_where(x, rlang::quo(!!where), call)
}

calendar_of_record <- function(given, tables, call) {
  if (is.null(given)) return(ledger_calendar())
  if (!is.null(given$holidays)) given$holidays <- named_values(given$holidays)
  if (!is.null(given$periods)) given$periods <- again_as_given(given$periods, tables, call)
  do.call(ledger_calendar, given)
}

ledger_step_again <- function(x, step, tables, call) {
  switch(step$verb,
    keep_entries = keep_entries_where(x, rlang::quo(!!step$condition), call),
    work_out = rlang::exec(work_out, x, !!!as.list(named_values(step$columns))),
    add_attributes = {
      table <- again_as_given(step$table, tables, call)
      add_attributes(x, table, named_values(step$key))
    },
    refuse("question",
           c("Entries were appended to the ledger, and the question does not hold them.",
             i = "Give the ledger: answer(question, x)."), call = call)
  )
}

# The path of a table's file, or the table that was given again.
again_as_given <- function(given, tables, call) {
  given <- table_again(given, tables, call)
  given$file %||% given$in_source %||% given$table
}
