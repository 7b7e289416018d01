# Spans from how they were put together, not from their phrases: list(kind, ...) with kind "all",
# "point" (grain, label), "range" (from, to: points), "this", "to date", "last", "latest",
# "trailing" (unit, n), "every" (month), "every days" (from, to as month and day); `back` is list(n,
# unit) or NULL; `yearly` repeats in every year.

counted <- function(n, unit) if (n == 1) unit else paste0(n, " ", unit, "s")

phrase_of <- function(spec) {
  base <- switch(spec$kind,
    all = "all", point = spec$label, range = paste0(spec$from$label, "/", spec$to$label),
    "up to" = paste0("../", spec$label),
                 this = paste("this", spec$unit),
    "to date" = paste(spec$unit, "to date"), last = paste("last", counted(spec$n, spec$unit)),
                 latest = paste("latest", counted(spec$n, spec$unit)),
    trailing = paste("trailing", counted(spec$n, spec$unit)),
                 every = paste("every", month.name[spec$month]),
    "every days" = sprintf("every %02d-%02d/%02d-%02d", spec$from[1], spec$from[2], spec$to[1],
                           spec$to[2])
  )
  paste0(base, if (!is.null(spec$back))
    sprintf(", %d %s%s back", spec$back$n, spec$back$unit, if (spec$back$n == 1) "" else "s"),
         if (isTRUE(spec$yearly)) ", every year")
}

is_moving <- function(spec) spec$kind %in% c("this", "to date", "last", "latest", "trailing")

# A data frame of spans: from, to, complete, grain (of the last period); NA where there is no
# beginning.
span_days_of <- function(spec, cal, as_of, first) {
  one <- function(from, to, complete, grain) data.frame(
    from = from, to = to, complete = complete, grain = grain)
  back <- spec$back
  if (isTRUE(spec$yearly)) {
    years <- 0:(parts_of(as_of)$year - parts_of(first)$year + 1L)
    spec$yearly <- NULL
    all <- do.call(rbind, lapply(rev(years), function(n) {
      spec$back <- if (n > 0) list(n = n, unit = "year")
      span_days_of(spec, cal, as_of, first)
    }))
    return(all[all$from <= as_of & all$to >= first, ])
  }
  if (spec$kind == "all") return(one(first, as_of, TRUE, "day"))
  if (spec$kind == "up to") {
    spec$kind <- "point"
    days <- span_days_of(spec, cal, as_of, first)
    # What is open begins where the ledger does, and nowhere before its own end.
    days$from <- min(first, days$to)
    return(days)
  }
  if (spec$kind == "every") {
    periods <- periods_of(cal, "month")
    at <- which(as.integer(substr(periods$label, 6, 7)) == spec$month & periods$from <= as_of &
                periods$to >= first)
    if (length(at) == 0) return(NULL)
    return(one(periods$from[at], periods$to[at], periods$to[at] <= as_of, "month"))
  }
  if (spec$kind == "every days") {
    years <- seq.int(parts_of(first)$year - 1L, parts_of(as_of)$year + 1L)
    over <- spec$to[1] * 100 + spec$to[2] < spec$from[1] * 100 + spec$from[2]
    from <- day_of(years, spec$from[1], spec$from[2])
    to <- day_of(years + over, spec$to[1], spec$to[2])
    held <- from <= as_of & to >= first
    if (!any(held)) return(NULL)
    return(one(from[held], to[held], to[held] <= as_of, "day"))
  }
  if (spec$kind %in% c("point", "range")) {
    ends <- if (spec$kind == "point") list(spec, spec) else list(spec$from, spec$to)
    moved <- lapply(ends, function(end) if (is.null(back)) period_called(cal, end$grain, end$label)
                                        else period_back(
                                          cal, end$grain, end$label, back$n, back$unit))
    return(one(moved[[1]]$from, moved[[2]]$to, moved[[2]]$to <= as_of, ends[[2]]$grain))
  }
  now <- period_with(cal, spec$unit, as_of)
  periods <- periods_of(cal, spec$unit)
  if (spec$kind %in% c("this", "last")) {
    last <- now$at - (spec$kind == "last")
    first_label <- periods$label[last - (spec$n %||% 1L) + 1L]
    ends <- lapply(c(first_label, periods$label[last]),
                   function(label) if (is.null(back)) period_called(cal, spec$unit, label)
                                   else period_back(cal, spec$unit, label, back$n, back$unit))
    return(one(ends[[1]]$from, ends[[2]]$to, ends[[2]]$to <= as_of, spec$unit))
  }
  day <- if (is.null(back)) as_of
         else day_within_back(cal, if (spec$kind == "trailing") "day" else spec$unit, as_of, back$n,
                              back$unit)
  if (spec$kind == "trailing")
    return(one(day_back(cal, day, spec$n, spec$unit, ends = TRUE) + 1L, day, TRUE, "day"))
  here <- period_with(cal, spec$unit, day)
  one(periods$from[here$at - (spec$n %||% 1L) + 1L], day, here$to == day, spec$unit)
}

`%||%` <- function(a, b) if (is.null(a)) b else a
