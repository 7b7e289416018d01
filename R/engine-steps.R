# Steps of a ledger in an engine: conditions, lookups, columns worked out and calendar parts, all of
# them as SQL of the questions to come.

source_with.engine_ledger <- function(x, step, call = caller_env()) {
  switch(step$step,
    keep = kept_in_engine(x, step$where, call),
    without = {
      out <- derive_ledger(x)
      out$hidden <- union(x$hidden, step$columns)
      out
    },
    lookup = looked_up_in_engine(x, step$table, step$ours, step$theirs, call),
    append = refuse("source", c(
      sprintf("Entries are not appended to %s from here.", x$label),
      i = "Add them to the table itself: the next question counts them."), call = call),
    work_out = worked_out_in_engine(x, step$name, step$tree, call),
    part = with_part_in_engine(x, step$part, step$on, call)
  )
}

# A ledger that follows on another.
derive_ledger <- function(x) {
  out <- x
  out$parent <- x
  out$looked <- new.env(parent = emptyenv())
  with_new_handle(out)
}

kept_in_engine <- function(x, where, call) {
  out <- derive_ledger(x)
  out$keeps <- c(x$keeps, list(where))
  out$kept_of <- c(x$kept_of, list(x))
  if (source_facts(out)$counts$used == 0) {
    refuse("source", c(
      sprintf("No entry passes %s.", attr(where, "text")),
      i = sprintf("The ledger has %s.", count_text(source_facts(x)$counts$used, "entry",
                                                   "entries"))), call = call)
  }
  out
}

# ---- columns worked out of others --------------------------------------------------

worked_out_in_engine <- function(x, name, tree, call) {
  out <- derive_ledger(x)
  out$hidden <- setdiff(x$hidden, name)
  column <- worked_out_sql(x, tree)
  # Without joins, what it is worked out of is written out each time, as it is then.
  if (x$engine$dialect$maps && is.null(column$join)) {
    before <- x
    before$maps_always <- TRUE
    column$made <- function(ledger) worked_out_sql(before, tree)$value
  }
  column$name <- name
  column$declared <- NULL
  out$columns[[name]] <- column
  if (!is.null(column$join)) {
    out$joins[[column$join$name]] <- column$join$piece
    out$columns[[name]]$join <- NULL
  }
  unit <- worked_out_unit(tree, x$units)
  if (!is.null(unit) && !name %in% names(x$units)) out$units[[name]] <- unit
  if (column$type %in% amount_types && !source_column(out, name)$exact) {
    tell(sprintf("`%s` has more than four decimals, so its sums are rounded in the last digits.",
                 calculation_name(name)), "rollingledger_message_rounded")
  }
  out
}

worked_out_sql <- function(x, tree) {
  if (tree$node == "column") return(column_sql(x, tree$column))
  if (tree$holds == "amounts") return(calculated_sql(x, tree))
  if (tree$fun == "band") return(band_sql(x, tree))
  text_sql(x, tree)
}

calculated_sql <- function(x, tree) {
  made <- calculation(x, tree)
  out <- if (is.null(made$real)) list(type = "scaled", value = made$whole, scale = made$decimals)
         else list(type = "double", value = x$engine$dialect$finite(made$real), calculated = TRUE)
  out$joins <- made$joins
  out
}

# list(whole, decimals), whole numbers of the smallest decimal, or list(real); with joins.
calculation <- function(x, tree) {
  dialect <- x$engine$dialect
  if (tree$node == "number") {
    made <- whole_of_values(tree$value)
    if (!is.null(made$real)) return(list(real = real_literal(dialect, made$real)))
    return(list(whole = sql("CAST(", tens_text(made$whole), " AS ", dialect$big, ")"),
                decimals = made$decimals))
  }
  if (tree$node == "column") return(column_calculated(x, tree$column))
  args <- lapply(tree$args, calculation, x = x)
  if (length(args) == 1) {
    if (tree$op == "+") return(args[[1]])
    args <- list(list(whole = sql("0"), decimals = 0L), args[[1]])
  }
  calculated_of_two(dialect, tree$op, args[[1]], args[[2]])
}

tens_text <- function(whole) sprintf("%.0f", whole)

real_literal <- function(dialect, value) {
  sql(dialect$real(sprintf("%.17g", value), dialect))
}

column_calculated <- function(x, name) {
  check_column_of_cells(x, name, "A column worked out of")
  column <- column_sql(x, name)
  facts <- source_column(x, name)
  if (!facts$exact) {
    number <- sql_number(x$engine$dialect, column$value, column$type, column$scale %||% 0L)
    return(list(real = as_double(x$engine$dialect, number), joins = column$joins))
  }
  whole <- sql_whole(x$engine$dialect, column, facts$decimals)
  list(whole = sql("CAST(", whole, " AS ", x$engine$dialect$big, ")"), decimals = facts$decimals,
       joins = column$joins)
}

calculated_of_two <- function(dialect, op, a, b) {
  joins <- c(a$joins, b$joins)
  real <- function(one) {
    if (!is.null(one$real)) one$real
    else sql("(", as_double(dialect, one$whole), " / ", power_of_ten(one$decimals), ")")
  }
  if (op == "/") {
    return(list(real = sql("CASE WHEN ", real(b), " = 0 THEN NULL ELSE ", real(a), " / ", real(b),
                           " END"), joins = joins))
  }
  exact <- is.null(a$real) && is.null(b$real)
  # More decimals than these would not fit whole numbers of an engine.
  if (exact && op == "*" && a$decimals + b$decimals <= 12L) {
    return(list(whole = sql("(", a$whole, " * ", b$whole, ")"),
                decimals = a$decimals + b$decimals, joins = joins))
  }
  if (exact && op != "*") {
    decimals <- max(a$decimals, b$decimals)
    moved <- function(one) sql(one$whole, " * ", power_of_ten(decimals - one$decimals))
    return(list(whole = sql("(", moved(a), " ", op, " ", moved(b), ")"), decimals = decimals,
                joins = joins))
  }
  list(real = sql("(", real(a), " ", op, " ", real(b), ")"), joins = joins)
}

# Bands as ordered members, as in memory.
band_sql <- function(x, tree) {
  edges <- unlist(tree$with)
  of <- calculated_sql(x, tree$of)
  number <- number_told_apart(x, NULL, of)
  labels <- band_labels(edges)
  whens <- Map(function(edge, label) {
    sql("WHEN ", number, " < ", real_literal(x$engine$dialect, edge), " THEN ", bound(label))
  }, edges, labels[-length(labels)])
  value <- sql("CASE WHEN ", number, " IS NULL THEN NULL ", sql_list(unname(whens), " "), " ELSE ",
               bound(labels[length(labels)]), " END")
  list(type = "text", value = x$engine$dialect$as_text(value, "band"), levels = labels,
       ordered = TRUE, joins = of$joins)
}

# Text worked out member by member, here, and bound as a table from old to new.
text_sql <- function(x, tree) {
  functions <- list()
  inner <- tree
  while (inner$node == "call" && inner$fun != "band") {
    functions <- c(list(inner[c("fun", "with")]), functions)
    inner <- inner$of
  }
  base <- if (inner$node == "column") column_sql(x, inner$column) else band_sql(x, inner)
  # Of the members that there are when a question is asked, of the ledger as it was before.
  mapped_sql(x, base, function() {
    members <- if (inner$node == "column") plain_text(source_members(x, inner$column)$values)
               else base$levels
    members <- members[!is.na(members)]
    made <- enc2utf8(members)
    for (one in functions) made <- enc2utf8(text_by_function(one$fun, made, one$with))
    list(from = members, to = made)
  })
}

# A column from a table of texts from the members of another: LEFT JOIN of bound values.
mapped_sql <- function(x, base, mapping) {
  most <- if (isTRUE(x$maps_always)) Inf else x$engine$dialect$most_mapped
  if (most >= 0L && length((now <- mapping())$from) <= most) {
    return(list(type = "text", value = x$engine$dialect$mapped(base$value, "text", now$from,
                                                               now$to), joins = base$joins))
  }
  name <- next_join(x)
  piece <- function(ledger) {
    now <- mapping()
    table <- if (length(now$from) == 0) sql("(SELECT '' AS k1, '' AS k2)")
             else x$engine$dialect$json_table(json_rows(now$from, now$to), 2)
    sql("LEFT JOIN ", table, " AS ", name, " ON ", base$value, " = ", name, ".k1")
  }
  list(type = "text", value = x$engine$dialect$as_text(sql(name, ".k2"), "mapped"),
       joins = c(base$joins, name), join = list(name = name, piece = piece))
}

next_join <- function(x) sprintf("j%d", length(x$joins) + 1L)

# ---- calendar parts -----------------------------------------------------------------

with_part_in_engine <- function(x, part, on, call) {
  out <- derive_ledger(x)
  out$hidden <- setdiff(x$hidden, part)
  day <- x$columns[[x$on[[on]]]]
  if (part == "hour") {
    type <- date_type(x, x$on[[on]])
    if (!type %in% c("moment", "instant", "iso timed")) refuse_hour(x$on[[on]], call)
    value <- x$engine$dialect$hour(day$value, type, x$time_zone)
    out$columns[[part]] <- list(name = part, type = "whole", value = value, joins = day$joins)
    return(out)
  }
  in_numbers <- !is.factor(part_of_days(x, part, on)$values)
  if (x$engine$dialect$maps) {
    out$columns[[part]] <- list(name = part, type = if (in_numbers) "whole" else "text",
                                made = function(x) part_mapped(x, part, on, in_numbers),
                                ordered = !in_numbers, part = list(part = part, on = on))
    return(out)
  }
  name <- next_join(x)
  # The days are those that there are when a question is asked.
  out$joins[[name]] <- function(x) join_of_part(x, part, on, name)
  value <- sql(name, ".k2")
  value <- if (in_numbers) sql("CAST(", x$engine$dialect$as_text(value, "mapped"), " AS INTEGER)")
           else x$engine$dialect$as_text(value, "mapped")
  out$columns[[part]] <- list(name = part, type = if (in_numbers) "whole" else "text",
                              value = value, joins = name, ordered = !in_numbers,
                              part = list(part = part, on = on))
  out
}

# The days from the first that holds entries to the last, and what each is: list(days, values).
part_of_days <- function(x, part, on) {
  base <- engine_look(x)$bases[[on]]
  there <- if (is.finite(base$first)) c(base$first, base$last) else rep(engine_look(x)$as_of, 2)
  kept_in(ledger_cache(x), list("part of days", part, on, there), function() {
    days <- seq.int(there[1], there[2])
    list(days = days, values = calendar_parts[[part]]$of_days(days, x$calendar))
  })
}

part_mapped <- function(x, part, on, in_numbers) {
  dialect <- x$engine$dialect
  known <- part_of_days(x, part, on)
  day <- day_sql(x, x$on[[on]])
  value <- dialect$mapped(day$value, if (startsWith(day$type, "iso")) "text" else "day",
                          iso_day(known$days), plain_text(known$values))
  if (in_numbers) sql("CAST(", value, " AS ", dialect$long, ")") else value
}

join_of_part <- function(x, part, on, name) {
  known <- part_of_days(x, part, on)
  table <- x$engine$dialect$json_table(json_rows(iso_day(known$days), known$values), 2)
  day <- day_sql(x, x$on[[on]])
  key <- sprintf(if (startsWith(day$type, "iso")) "%s.k1" else "CAST(%s.k1 AS date)", name)
  sql("LEFT JOIN ", table, " AS ", name, " ON ", day$value, " = ", key)
}
