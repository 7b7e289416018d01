# The checker of briefs: it follows the schema, and notes each problem with its place. What a text
# holds (a condition, a phrase, a path) is looked into by the functions at the end.

# Problems of a tree against a schema: a list of list(path, says, hint). Values asked for that are
# not known yet stand as <name>, and are taken for what they will be.
schema_problems <- function(value, schema, path = character(), names_asked = character()) {
  if (!is.null(schema[["$ref"]])) schema <- schema_referred()
  problem <- function(says, hint = NULL) list(list(path = path, says = says, hint = hint))
  if (is_absent(value)) return(problem(sprintf("is empty; it must be %s.", schema_words(schema))))
  if (rlang::is_string(value) && any(placeholders(value) %in% names_asked)) return(NULL)
  if (!is.null(schema$anyOf)) return(any_problems(value, schema, path, names_asked))
  if (!is.null(schema$const)) {
    if (identical(number_of_text(value), as.double(schema$const))) return(NULL)
    return(problem(sprintf("must be %s, the one layout that this version knows, not %s.",
                           schema$const, value_shown(value))))
  }
  if (!is.null(schema$enum)) {
    if (rlang::is_string(value) && value %in% unlist(schema$enum)) return(NULL)
    return(problem(sprintf("must be one of %s, not %s.", listed(unlist(schema$enum), most = 20),
                           value_shown(value)),
                   if (rlang::is_string(value)) nearest_hint(value, unlist(schema$enum))))
  }
  if (identical(schema$type, "object")) return(object_problems(value, schema, path, names_asked))
  if (identical(schema$type, "array")) return(array_problems(value, schema, path, names_asked))
  if (!is_of_types(value, schema$type)) {
    return(problem(sprintf("must be %s, not %s.", schema_words(schema), value_shown(value))))
  }
  if ("string" %in% schema$type) text_problems(value, schema$holds, path)
}

any_problems <- function(value, schema, path, names_asked) {
  # What is asked for was looked at before.
  schema$anyOf <- Filter(function(one) !identical(one$holds, "placeholder"), schema$anyOf)
  if (length(schema$anyOf) == 1)
    return(schema_problems(value, schema$anyOf[[1]], path, names_asked))
  found <- lapply(schema$anyOf, function(one) schema_problems(value, one, path, names_asked))
  if (any(lengths(found) == 0)) return(NULL)
  # Of the one that has the value's shape; where none has, the words of all.
  shaped <- vapply(schema$anyOf, function(one) shape_fits(value, one), TRUE)
  if (any(shaped)) return(found[[which(shaped)[1]]])
  list(list(path = path, hint = NULL,
            says = sprintf("must be %s, not %s.", schema_words(schema), value_shown(value))))
}

shape_fits <- function(value, schema) {
  if (!is.null(schema$anyOf)) return(any(vapply(schema$anyOf, shape_fits, TRUE, value = value)))
  if (identical(schema$type, "object")) return(is.list(value) && !is.null(names(value)))
  if (identical(schema$type, "array")) return(is.list(value) && is.null(names(value)))
  rlang::is_string(value)
}

object_problems <- function(value, schema, path, names_asked) {
  problem <- function(says, hint = NULL, at = path) list(list(path = at, says = says, hint = hint))
  known <- names(schema$properties)
  if (!is.list(value) || is.null(names(value)) && length(value) > 0) {
    return(problem(sprintf("must be %s, not %s.", schema_words(schema), value_shown(value))))
  }
  if (length(value) < (schema$minProperties %||% 0) && length(schema$required) == 0)
    return(problem(sprintf("is empty; it must be %s.", schema_words(schema))))
  out <- list()
  for (key in names(value)) {
    inner <- schema$properties[[key]] %||%
      if (is.list(schema$additionalProperties)) schema$additionalProperties
    if (!nzchar(key)) {
      out <- c(out, problem("has a key without a name."))
    } else if (is.null(inner)) {
      out <- c(out, problem(sprintf("There is no key `%s` here.", key),
                            nearest_hint(key, known) %||%
                              sprintf("There are: %s.", listed(known, most = 40)),
                            at = c(path, key)))
    } else {
      out <- c(out, schema_problems(value[[key]], inner, c(path, key), names_asked))
    }
  }
  for (key in setdiff(unlist(schema$required), names(value))) {
    out <- c(out, problem(sprintf("has no `%s`, which is needed.", key),
                          schema$properties[[key]]$description))
  }
  if (length(value) > (schema$maxProperties %||% Inf)) {
    out <- c(out, problem(sprintf("must have one key, not %s.", listed(names(value)))))
  }
  out
}

array_problems <- function(value, schema, path, names_asked) {
  if (!is.list(value) || !is.null(names(value)) || length(value) < (schema$minItems %||% 0)) {
    return(list(list(path = path, hint = NULL,
                     says = sprintf("must be %s, not %s.", schema_words(schema),
                                    value_shown(value)))))
  }
  unlist(lapply(seq_along(value), function(i) {
    schema_problems(value[[i]], schema$items, c(path, as.character(i)), names_asked)
  }), recursive = FALSE)
}

is_absent <- function(value) {
  is.null(value) || length(value) == 1 && is.atomic(value) && is.na(value)
}

is_of_types <- function(value, types) {
  rlang::is_string(value) &&
    ("string" %in% types || "number" %in% types && !is.na(number_of_text(value)) ||
       "boolean" %in% types && lower_text(value) %in% names(flag_words))
}

flag_words <- c("true" = TRUE, "yes" = TRUE, "on" = TRUE, "false" = FALSE, "no" = FALSE,
                "off" = FALSE)

number_of_text <- function(value) {
  if (rlang::is_string(value) && is_plain_number(value) && nchar(value) < 30) as.numeric(value)
  else NA_real_
}

schema_words <- function(schema) {
  if (!is.null(schema$anyOf)) {
    return(listed(unique(vapply(schema$anyOf, schema_words, "")), last = "or"))
  }
  if (!is.null(schema$enum)) return(paste("one of", listed(unlist(schema$enum), most = 20)))
  if (!is.null(schema$const)) return(as.character(schema$const))
  if (identical(schema$type, "array")) return("a list")
  if (identical(schema$type, "object")) {
    return(if (is.null(schema$properties)) "names with values" else "keys with values")
  }
  words <- c(string = "a text", number = "a number", boolean = "yes or no")
  shown <- setdiff(schema$type, if ("string" %in% schema$type) "number")
  listed(words[shown], last = "or")
}

value_shown <- function(value) {
  if (is_absent(value)) return("nothing")
  if (rlang::is_string(value)) return(sprintf("\"%s\"", shortened_text(value)))
  if (is.list(value) && length(value) == 0) return("an empty list")
  if (is.list(value) && is.null(names(value))) return("a list")
  if (is.list(value)) "keys with values" else "several values"
}

# ---- what texts hold ---------------------------------------------------------

# Problems that show without any entries.
text_problems <- function(value, holds, path) {
  tried <- switch(holds %||% "text",
    expression = , condition = function() check_code(value, holds),
    path = function() if (is_address(value)) read_address(value, NULL) else check_below(value),
    day = function() one_day(value, "day", NULL),
    size = function() figure_size(value),
    phrase = function() check_phrase_text(value),
    NULL
  )
  if (is.null(tried)) return(NULL)
  tryCatch({
    tried()
    NULL
  }, rollingledger_error = function(e) {
    list(list(path = path, says = rlang::cnd_header(e), hint = unname(e$body)))
  })
}

# Code is read, never run; and no other calls than those of the language are taken.
check_code <- function(text, holds) {
  what <- if (holds == "condition") "a condition" else "a measure"
  expr <- plain_expression(text, what, NULL)
  called <- setdiff(calls_within(expr), names_of_calls())
  if (length(called) == 0) return(invisible())
  refuse_measure(c(sprintf("There is no function `%s` for measures and conditions.", called[1]),
                   i = if (called[1] %in% names(measure_synonyms))
                     sprintf("Did you mean `%s`?", measure_synonyms[[called[1]]])
                   else nearest_hint(called[1], names_of_calls()),
                   i = "rolling-ledger help measures lists them."), call = NULL)
}

calls_within <- function(expr) {
  if (!is.call(expr)) return(character())
  fun <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else calls_within(expr[[1]])
  inner <- as.list(expr)[-1]
  inner <- Filter(function(part) !rlang::is_missing(part), inner)
  unique(c(fun, unlist(lapply(inner, calls_within))))
}

# What a calendar of weeks or of a table alone understands is looked at with that calendar, later.
check_phrase_text <- function(text) {
  problem <- read_phrase(text, ledger_calendar())$problem
  if (is.null(problem) || grepl("FY|fiscal", text, ignore.case = TRUE)) return(invisible())
  refuse_phrase(text, problem, ledger_calendar(), NULL)
}

names_of_calls <- function() {
  c(names(measure_functions), names(entry_functions), arithmetic_ops,
    comparisons, "%in%", "&", "|", "!", "(", "c", "-", "&&", "||", ":", "is_missing", "is.na",
    names(text_calls), "per_cent")
}

# A path within the folder that it is taken from.
check_below <- function(path) {
  parts <- strsplit(path, "[/\\\\]")[[1]]
  wrong <- if (!nzchar(path)) "is empty"
           else if (grepl("^([/\\\\~]|[A-Za-z]:)", path)) "names a place of its own"
           else if (any(parts == "..")) "climbs out of its folder"
           else if (grepl("[[:cntrl:]]", path)) "holds control characters"
           else if (grepl("^[A-Za-z][A-Za-z0-9+.-]*://", path)) "is an address, not a file"
  if (is.null(wrong)) return(invisible())
  refuse("brief", c(sprintf("The path \"%s\" %s.", shortened_text(path), wrong),
                    i = "Paths in a brief are below the folder that it reads or writes."),
         call = NULL)
}

# The path in a folder, which links may not lead out of: of a pattern or a folder none of its files.
path_below <- function(folder, path) {
  check_below(path)
  full <- if (folder == ".") path else file.path(folder, path)
  check_leads_below(c(full, files_read(full)), folder, path)
  full
}

# What is opened or moved is looked at, as it is then.
check_leads_below <- function(paths, folder, path) {
  real <- vapply(paths, real_path, "", USE.NAMES = FALSE)
  root <- real_path(folder)
  out <- real != root & !is_below(real, root)
  if (!any(out)) return(invisible())
  refuse("brief", c(sprintf("The path \"%s\" leads out of the folder %s.", path, folder),
                    i = "Paths in a brief are below the folder that it reads or writes."),
         call = NULL)
}

# The hosts that a brief names, where none of them will be asked.
hosts_of_brief <- function(brief) {
  addresses <- Filter(is_address, as.list(unlist(brief$tree$ledger$file)))
  hosts <- vapply(addresses, function(address) {
    tryCatch(read_address(address, NULL)$host, rollingledger_error = function(e) "")
  }, "")
  c(hosts, "localhost")
}

check_hosts <- function(hosts, call = caller_env()) {
  if (is.null(hosts) || is.character(hosts) && !anyNA(hosts)) return(hosts)
  refuse("choice", c("{allow_host} must be names of hosts, as addresses have them.",
                     i = "Such as \"db.ferry.example\" or \"localhost\"."), arg = "allow_host",
         call = call)
}

refuse_query_in_brief <- function() {
  refuse("brief", c("A brief holds no SQL, and this ledger is of a query.",
                    i = "Make the query a view of the database, and name that by {table =}."),
         call = NULL)
}

# The address of a database, which as a file must lie in the folder as well. A server is asked where
# the caller allows its host: it would be sent the password that the environment holds.
address_below <- function(folder, address, hosts = NULL) {
  at <- read_address(address, NULL)
  if (!is.null(at$query)) refuse_query_in_brief()
  if (at$kind %in% c("postgres", "clickhouse")) {
    host <- if (nzchar(at$host)) at$host else "localhost"
    if (lower_text(host) %in% lower_text(hosts)) return(address)
    refuse("brief", c(
      sprintf("The brief asks the server %s, which was not allowed.", host),
      i = paste("A password of the environment would be sent there. Where it may be asked, say",
                sprintf("{allow_host = \"%s\"}.", host))), call = NULL)
  }
  if (!is_below(real_path(at$path), real_path(folder))) {
    refuse("brief", c(sprintf("The database %s lies outside of the folder %s.", at$path, folder),
                      i = "Say the folder below which it lies when it is run: --from FOLDER."),
           call = NULL)
  }
  address
}

# "1280x800" as two numbers, in pixels.
figure_size <- function(text) {
  if (is.null(text)) return(c(1280, 800))
  size <- suppressWarnings(as.numeric(strsplit(text, "x", fixed = TRUE)[[1]]))
  if (length(size) != 2 || anyNA(size) || any(size < 200 | size > 10000)) {
    refuse("choice", c(sprintf("{size} \"%s\" is not understood.", text),
                       i = paste("It is WIDTHxHEIGHT in pixels, each from 200 to 10000, such as",
                                 "1280x800.")), arg = "size", call = NULL)
  }
  size
}
