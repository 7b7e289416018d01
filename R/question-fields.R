# One table of fields: every argument of every verb, with its kind, choices, default and help. The
# defaults of the functions, their checks and help pages, the options of the command and the
# records of questions come from it. Each verb describes its fields beside its function.

# Of each verb: list(verb, of, flag, fields).
verb_table <- new.env(parent = emptyenv())

# `kind`:
#   measure       one measure of the statement, bare or as text
#   column        one column of figures, bare or as text, or what `choices` gives of the statement's
#                 plan; columns: several, in `...`
#   measures      named expressions, in `...`
#   condition     a condition on entries
#   named_code    named expressions in c(), bare or as text
#   choice        one of `choices`; those may be a function of the statement's plan
#   choices       one or several of `choices`
#   grain         a grain
#   attribute, attributes                   names of columns
#   text, texts, number, flag, day, phrase  as they say; pairs: named texts
#   phrases       named or not
#   table         a data frame, or the path of a file
#   file          the path of a file to write, which ends in one of `choices`
#   other         checked by its own function
# `option` is its name on the command line, where that is not its own; FALSE where it has none.
# `needed` fields have no default; `many` may be given more than once; `with` is the one they go
# with; `off` says on the command line what it does to turn off a flag that is on by default.
field <- function(kind, help, default = NULL, choices = NULL, more = NULL, option = NULL,
                  value = NULL, many = FALSE, needed = FALSE, with = NULL, off = NULL) {
  if (!is.null(with)) help <- sprintf("with {%s}: %s", with, help)
  list(kind = kind, help = help, default = default, choices = choices, more = more,
       option = option, value = value, many = many, needed = needed, with = with, off = off)
}

# Describes a verb: `asked_of` is what it is asked of ("source", "ledger", "statement", or "result":
# a statement or what was made of one), `flag` what starts it on the command line, `shared` names
# fields of other verbs that it has too.
describe_verb <- function(verb, asked_of, ..., flag = NULL, shared = NULL) {
  fields <- list(...)
  for (other in names(shared)) fields <- c(fields, verb_table[[other]]$fields[shared[[other]]])
  assign(verb, list(verb = verb, of = asked_of, flag = flag, fields = fields),
         envir = verb_table)
}

# A function whose arguments have the defaults of the table.
with_fields <- function(verb, fun) {
  fields <- verb_table[[verb]]$fields
  args <- formals(fun)
  unknown <- setdiff(names(args), c(names(fields), first_arguments, "..."))
  if (length(unknown) > 0) stop("no field describes ", unknown[1], " of ", verb)
  for (name in intersect(names(args), names(fields))) {
    if (name == "..." || fields[[name]]$needed) next
    args[name] <- list(fields[[name]]$default)
  }
  formals(fun) <- args
  fun
}

# What a verb is asked of.
first_arguments <- c("x", "s", "source", "object")

fields_of <- function(verb) verb_table[[verb]]$fields

# Verbs that are asked of something, in the order in which their files stand.
verbs_of <- function(of) {
  verbs <- sort(ls(verb_table))
  verbs[vapply(verbs, function(verb) verb_table[[verb]]$of == of, TRUE)]
}

# What `...` of a verb is called in records.
dots_name <- function(verb) {
  if (identical(fields_of(verb)[["..."]]$kind, "measures")) {
    if (verb == "work_out") "columns" else "measures"
  } else "draw"
}

# ---- files ----------------------------------------------------------------

file_field <- function(endings) {
  field("file", "write to this file", option = "out", value = "FILE", needed = TRUE,
        choices = endings)
}

# The endings of the files that a verb writes; of figures; of tables of every kind.
file_endings <- function(verb) fields_of(verb)$file$choices
figure_endings <- c("png", "svg", "pdf")
table_endings <- function() {
  c(file_endings("write_statement"), file_endings("write_workbook"), "html")
}

# ---- help --------------------------------------------------------------------

# Lines of roxygen for the arguments of a verb.
field_params <- function(verb, leave = character()) {
  fields <- fields_of(verb)
  fields <- fields[setdiff(names(fields), leave)]
  unlist(Map(function(name, one) {
    said <- paste0(help_sentence(one$help), choices_help(one),
                   if (!is.null(one$more)) paste0(" ", one$more))
    paste("@param", name, words_for_reader(said))
  }, names(fields), fields), use.names = FALSE)
}

help_sentence <- function(help) paste0(upper_text(substr(help, 1, 1)), substring(help, 2), ".")

choices_help <- function(one) {
  if (one$kind == "file") {
    return(sprintf(" Its name ends in %s.", listed(sprintf("`.%s`", one$choices), last = "or")))
  }
  if (!one$kind %in% c("choice", "choices") || is.function(one$choices)) return("")
  sprintf(" One of %s.", listed(dQuote(one$choices, FALSE), most = 20, last = "or"))
}

# ---- what was asked ----------------------------------------------------------

# The arguments of a verb that were given, by name, from the frame of its function: names of
# measures and columns, and texts of expressions, where it takes code.
asked_fields <- function(verb, frame = caller_env(), call = frame) {
  fields <- fields_of(verb)
  asked <- list()
  for (name in intersect(names(formals(sys.function(frame_number(frame)))), names(fields))) {
    value <- asked_field(fields[[name]]$kind, name, frame, call)
    if (!is.null(value)) asked[[name]] <- value
  }
  asked
}

frame_number <- function(frame) {
  for (i in rev(seq_len(sys.nframe()))) if (identical(sys.frame(i), frame)) return(i)
}

asked_field <- function(kind, name, frame, call) {
  if (name == "...") {
    quos <- eval(quote(rlang::enquos(...)), frame)
    return(if (kind == "measures") measure_texts(quos, call) else column_names(quos))
  }
  symbol <- as.symbol(name)
  if (eval(call("missing", symbol), frame)) return(NULL)
  if (kind == "named_code") return(named_code(eval(call2_enquo(symbol), frame), call))
  if (!kind %in% c("measure", "column", "condition")) return(get(name, envir = frame))
  quo <- eval(call2_enquo(symbol), frame)
  if (rlang::quo_is_null(quo) || rlang::quo_is_missing(quo)) return(NULL)
  if (kind == "condition") condition_text(quo, call) else bare_name(quo) %||% quo
}

# c(a = x * y) as c(a = "x * y"), from code or from texts.
named_code <- function(quo, call) {
  expr <- rlang::quo_get_expr(quo)
  if (is.null(expr)) return(NULL)
  made <- if (is.call(expr) && identical(expr[[1]], quote(c))) as.list(expr)[-1]
          else as.list(rlang::eval_tidy(quo))
  if (length(made) == 0) return(NULL)
  measure_texts(made, call)
}

call2_enquo <- function(symbol) as.call(list(rlang::enquo, symbol))

# A name given bare or as text; NULL for anything else.
bare_name <- function(quo) {
  expr <- rlang::quo_get_expr(quo)
  if (is.symbol(expr)) as.character(expr) else if (rlang::is_string(expr)) as.character(expr)
}

column_names <- function(quos) {
  if (length(quos) == 0) return(NULL)
  vapply(quos, function(quo) bare_name(quo) %||% expression_text(quo), "", USE.NAMES = FALSE)
}

# ---- checks ------------------------------------------------------------------

# The arguments of a verb, checked as far as their kind tells, with defaults for those not asked.
filled_fields <- function(verb, asked, plan = NULL, call = caller_env()) {
  fields <- fields_of(verb)
  out <- lapply(fields, function(one) one$default)
  for (name in names(asked)) {
    if (!name %in% names(fields)) {
      refuse("question", c(sprintf("`%s()` has no argument `%s`.", verb, name),
                           i = nearest_hint(name, names(fields))), call = call)
    }
    out[name] <- list(checked_field(fields[[name]], name, asked[[name]], plan, call))
  }
  out
}

# Attributes of a statement as they are meant; `calendar_by` of its plan are the calendar parts
# among them.
attributes_of_plan <- function(names, plan) names_meant(names, plan$by, plan$calendar_by)

checked_field <- function(one, name, value, plan, call) {
  if (is.null(value)) return(NULL)
  if (!is.null(plan) && one$kind %in% c("choice", "choices", "attribute", "attributes"))
    value <- attributes_of_plan(value, plan)
  choices <- if (is.function(one$choices)) one$choices(plan) else one$choices
  switch(one$kind,
    choice = one_of(value, choices, name, call = call),
    choices = some_of(value, choices, name, call = call),
    grain = one_of(value, choices, name, call = call),
    flag = one_flag(value, name, call = call),
    value
  )
}
