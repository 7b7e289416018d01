# What is done on the page, as data: an act is a list of texts, list(do, ...), and gives the next
# state from this one, or is refused. Nothing is worked out here.

# The next state. `offers` is list(ledger, tables).
acted <- function(state, act, offers) {
  rlang::local_options(rollingledger.reader = "page")
  do <- act$do
  if (!rlang::is_string(do) || is.null(explore_acts()[[do]])) {
    refuse("choice", sprintf("The page has no act \"%s\".",
                             shortened_text(plain_text(do %||% "")[1])), call = NULL)
  }
  out <- explore_acts()[[do]](with_said(state, NULL), act, offers)
  problems <- schema_problems(out, explore_schema())
  if (length(problems) > 0) {
    refuse("choice", c(paste0(path_words(problems[[1]]$path), ": ", problems[[1]]$says),
                       as_hints(problems[[1]]$hint)), call = NULL)
  }
  out
}

# A state with texts that are told of it once.
with_said <- function(state, texts) {
  attr(state, "said") <- if (length(texts) > 0) texts
  state
}

act_text <- function(act, name) {
  value <- act[[name]]
  if (is.null(value) || rlang::is_string(value)) return(value)
  refuse("choice", sprintf("`%s` of the act \"%s\" must be one text.", name, act$do), call = NULL)
}

act_number <- function(act, name, most, least = 1) {
  value <- suppressWarnings(as.numeric(act_text(act, name) %||% NA))
  if (is.na(value) || value < least || value > most || value != round(value)) {
    refuse("choice", sprintf("`%s` of the act \"%s\" must be a number from %s to %s.", name, act$do,
                             least, most), call = NULL)
  }
  value
}

panel_at <- function(state) {
  at <- suppressWarnings(as.integer(state$at %||% "1"))
  if (is.na(at)) 1L else min(max(at, 1L), length(state$panels))
}

panel_now <- function(state) state$panels[[panel_at(state)]]

# The state with the panel that is pointed at changed. A figure whose entries are shown is left.
with_panel <- function(state, change, ...) {
  at <- panel_at(state)
  state$panels[[at]] <- change(state$panels[[at]], ...)
  state["behind"] <- NULL
  state
}

with_statement <- function(state, change) {
  with_panel(state, function(panel) {
    panel$statement <- change(panel$statement)
    panel
  })
}

# One value or none; none takes the key away.
with_key <- function(tree, key, value) {
  if (is.null(value) || identical(value, "") || length(value) == 0) tree[key] <- NULL
  else tree[[key]] <- value
  tree
}

# All acts, by name; each is function(state, act, offers) that gives the next state.
explore_acts <- function() {
  c(acts_on_days, acts_on_question, acts_on_conditions, acts_on_columns, acts_on_looks,
    acts_on_sentence, list(odd = act_on_oddity))
}

# "income, trips" as two texts.
several_texts <- function(text) {
  parts <- trimws(strsplit(text %||% "", ",", fixed = TRUE)[[1]])
  as.list(parts[nzchar(parts)])
}

# Phrases with a semicolon between them.
several_phrases <- function(text) {
  parts <- trimws(strsplit(text %||% "", ";", fixed = TRUE)[[1]])
  parts <- parts[nzchar(parts)]
  if (length(parts) > 0) as.list(parts)
}
