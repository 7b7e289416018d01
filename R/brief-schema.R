# What a brief may hold, as a JSON Schema (draft 2020-12) made from the table of fields. The checker
# follows it, and it ships, so that editors can. Beside the words of the standard each text says
# what it holds (`holds`): a phrase, a condition, a path ..., which the checker looks into.

# ---- values of fields --------------------------------------------------------

# One text; YAML reads 2026 as a number, so that numbers will do.
schema_text <- function(holds = "text", ...) list(type = c("string", "number"), holds = holds, ...)

schema_list <- function(items) list(type = "array", items = items, minItems = 1)

one_or_several <- function(items) list(anyOf = list(items, schema_list(items)))

# Values of which all, some or none have a name: an object, or a list of values and objects.
partly_named <- function(values) {
  either <- list(anyOf = list(schema_named(values), values))
  list(anyOf = list(schema_named(values), schema_list(either), values))
}

# An object of named values of one kind.
schema_named <- function(values) {
  list(type = "object", additionalProperties = values, minProperties = 1)
}

schema_object <- function(properties, required = character(), ...) {
  c(list(type = "object", properties = properties),
    if (length(required) > 0) list(required = as.list(required)),
    list(additionalProperties = FALSE), list(...))
}

# Of what is no text: that, or <name>, which stands for a value that is asked for.
or_asked <- function(schema) {
  list(anyOf = list(schema, list(type = "string", pattern = paste0("^", placeholder, "$"),
                                 holds = "placeholder")))
}

# What a field of a verb may be in a brief.
field_schema <- function(one) {
  schema <- switch(one$kind,
    measure = , column = , attribute = , text = schema_text(),
    columns = , attributes = , texts = , choices = one_or_several(schema_text()),
    measures = , named_code = schema_named(schema_text("expression")),
    condition = one_or_several(schema_text("condition")),
    choice = , grain = if (is.character(one$choices)) or_asked(list(enum = as.list(one$choices)))
                       else schema_text(),
    flag = or_asked(list(type = "boolean")),
    number = or_asked(list(type = "number")),
    day = schema_text("day"),
    # A look back such as "period before" is no phrase of its own.
    phrase = if (isTRUE(one$needed) || identical(one$default, "all"))
      list(anyOf = c(list(schema_text("phrase")),
                     if (identical(one$default, "all")) list(schema_by_grain()),
                     list(schema_named(schema_text("phrase")))))
      else schema_text(),
    phrases = partly_named(schema_text("phrase")),
    pairs = partly_named(schema_text()),
    table = list(type = c("string", "number"), holds = "path"),
    list(type = c("string", "number", "boolean"), holds = "text")
  )
  c(schema, list(description = help_sentence(gsub("[{}]", "`", one$help))))
}

# A phrase for each grain of which one is taken.
schema_by_grain <- function() {
  phrases <- stats::setNames(rep(list(schema_text("phrase")), length(grains)), grains)
  schema_object(stats::setNames(list(c(schema_object(phrases), list(minProperties = 2))),
                                "by grain"), "by grain")
}

# The fields of a verb as properties; `...` is called by what it takes.
verb_properties <- function(verb, leave = character()) {
  fields <- fields_of(verb)
  fields <- fields[setdiff(names(fields), leave)]
  names(fields)[names(fields) == "..."] <- dots_name(verb)
  lapply(fields, field_schema)
}

needed_fields <- function(verb, leave = character()) {
  fields <- fields_of(verb)
  setdiff(names(fields)[vapply(fields, function(one) one$needed, TRUE)], leave)
}

verb_schema <- function(verb, leave = character(), more = list()) {
  schema_object(c(more, verb_properties(verb, leave)), needed_fields(verb, leave))
}

# An object with exactly one of some keys.
one_of_keys <- function(choices) {
  schema_object(choices, minProperties = 1, maxProperties = 1)
}

# ---- parts of a brief --------------------------------------------------------

ask_kinds <- c("day", "phrase", "number", "choice", "member", "text")

ask_schema <- function() {
  schema_object(list(
    kind = list(enum = as.list(ask_kinds), description = "What kind of value it is."),
    says = schema_text(description = "What is asked, in words for who runs it."),
    default = c(one_or_several(list(type = c("string", "number"), holds = "text")), list(
      description = paste("What it is where nothing is given; \"ask\" where it must be given;",
                          "without a default it may be left out."))),
    choices = c(schema_list(schema_text()), list(description = "With choice: what may be chosen.")),
    of = schema_text(description = "With member: the attribute whose members may be chosen."),
    many = list(type = "boolean", description = "Several values may be given.")
  ), "kind")
}

ledger_steps <- c("work_out", "keep_entries", "add_attributes")

ledger_schema <- function() {
  schema_object(c(
    list(file = c(one_or_several(list(type = "string", holds = "path")),
                  list(description = "The file of entries, or several of one layout."))),
    # A brief holds no SQL: a table or a view is named.
    verb_properties("ledger", leave = c("calendar", "query")),
    list(calendar = verb_schema("ledger_calendar"),
         steps = list(type = "array", items = one_of_keys(
           lapply(stats::setNames(nm = ledger_steps), verb_schema))))
  ), c("file", "on"))
}

statement_steps <- function() sort(ls(verb_actions))

statement_schema <- function() {
  schema_object(c(
    verb_properties("statement"),
    list(steps = list(type = "array", items = one_of_keys(
           lapply(stats::setNames(nm = statement_steps()), verb_schema)))),
    lapply(stats::setNames(nm = comparing_verbs()), verb_schema)
  ))
}

comparing_verbs <- function() names(asked_of_ledgers())

# What is made of a statement and shown: verbs asked of statements that add nothing to them.
shown_verbs <- function() {
  setdiff(c(verbs_of("statement"), verbs_of("explanation"), verbs_of("list")), ls(verb_actions))
}

# Of each thing that can be shown, beside its own fields: the statement it is of, a heading, and the
# file that it is written to.
show_schema <- function(page = TRUE) {
  common <- list(
    of = schema_text(description = "The statement that is shown, by its name."),
    heading = schema_text(description = "Words above it."),
    file = list(type = "string", holds = "path", description = "The file it is written to.")
  )
  told <- list(type = "object", additionalProperties = schema_text(),
               description = "What tells the row: period and attributes.")
  shown <- lapply(stats::setNames(nm = shown_verbs()), function(verb) {
    size <- if (startsWith(verb, "figure_")) list(size = schema_text("size"))
    own <- if (verb == "entries_behind") list(row_of = told)
    verb_schema(verb, more = c(common, size, own))
  })
  book <- verb_properties("write_workbook", leave = c("file", "overwrite"))
  shown <- c(list(table = schema_object(c(common, book))), shown)
  if (!page) {
    return(one_of_keys(c(shown, list(heading = schema_text(), text = schema_text()))))
  }
  inner <- list("$ref" = "#/$defs/part")
  page <- schema_object(list(
    file = list(type = "string", holds = "path", description = "The page, a .html file."),
    title = schema_text(description = "The title of the page."),
    content = list(type = "array", items = inner, minItems = 1,
                   description = "What the page shows, in order.")
  ), "content")
  one_of_keys(c(list(page = page), shown))
}

# The whole layout. It ships as briefs/brief.schema.json, which a test holds to this.
brief_schema <- function() made_once$schema %||% (made_once$schema <- layout_of_briefs())

# The only part that others refer to.
schema_referred <- function() brief_schema()[["$defs"]]$part

made_once <- new.env(parent = emptyenv())

layout_of_briefs <- function() {
  c(list("$schema" = "https://json-schema.org/draft/2020-12/schema",
         title = "A brief of Rolling Ledger"),
    schema_object(list(
      brief = list(const = 1, description = "The layout of the brief, which is 1."),
      name = schema_text(description = "What the brief is called."),
      category = schema_text(description = "What it is listed under."),
      description = schema_text(description = "What it is for, in a sentence."),
      ledger = ledger_schema(),
      ask = schema_named(ask_schema()),
      statements = schema_named(statement_schema()),
      show = list(type = "array", items = show_schema())
    ), c("brief", "name", "ledger", "statements")),
    list("$defs" = list(part = show_schema(page = FALSE))))
}

brief_schema_text <- function() {
  as.character(jsonlite::toJSON(brief_schema(), auto_unbox = TRUE, digits = NA))
}
