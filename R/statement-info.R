# What a statement knows of itself: all that shows it, or goes on with it, reads it here. The tables
# are the whole list; docs/architecture.md shows them.

# The plan: what was asked, read, and the days that it means.
statement_fields <- c(
  handle = "a handle of the ledger, never the ledger itself",
  per = "the grain, or NULL", by = "attributes, in order",
  calendar_by = "calendar parts among them",
  on = "the date basis", where = "the condition, as a tree",
  measures = "measures by name, as trees", slots = "what is asked of the entries for them",
  asked = "the spans as they were asked: phrases, or days", spans = "the days that they mean",
  stretches = "the days with which stretches begin that its rows are made of, or NULL",
  list_all = "whether members without entries are rows",
  partial = "what is done with partial periods",
  totals = "none, period, by or both", anchor = "where periods of groups begin: ledger or group",
  scale = "in what figures are shown: ones, thousands or millions",
  anchors = "the first day of each group, where they have days of their own",
  as_of = "the as-of day", known = "the day as known on which it is, or NULL",
  calendar = "the calendar", first = "the ledger's first day on the basis", last = "and its last",
  files = "files that the ledger was read from", seen = "how many entries there were to see",
  version = "what the entries were worked out from, where that can change",
  empty = "what is to be said of spans without entries",
  rest = "what a ranking left over: label, attribute, parents, kept, sets, rows",
  ahead = "periods to come that have rows: label, from, to",
  notes = "what is to be said below the rows", id = "what tells plans apart",
  rows_seen = "what tells whether rows were changed by hand"
)

# Each column of figures.
column_fields <- c(
  kind = "measure, before, change, rank, running, rolling, share, target, per day",
  measure = "the measure behind it", decimals = "how many are shown",
  decimals_held = "how many the figures have",
  unit = "what it is counted in",
  part = "difference, pct or points of a change; of a target: what it is beside",
  notes = "what is to be said of it", base = "what is compared with", align = "how days are paired",
  within = "what a rank is taken within", keep = "how many were kept", of = "what a share is of",
  since = "where a running total begins", length = "how far back a window reaches",
  stat = "what is taken of a window", short = "what is done with short windows",
  days = "which days a figure is divided by", change = "whether it is shown as a change",
  scale = "what is shown is so many", unit_shown = "the unit, with that",
  group = "of a cross table: the block in which it stands", lines = "its heading lines",
  heads = "and its heading in files, where that is another",
  expecting = "of what is expected: days that are closed, and days with names"
)

# The plan; NULL for what is no statement and was not made of one.
statement_info <- function(s) attr(s, "plan")

# Its columns of figures by name, as column_fields has them.
columns_of <- function(s) attr(s, "columns")

# The question that a statement, or what was made of statements, answers.
question_behind <- function(x) attr(x, "question")
