# What is expected, in words: by which way, how far off that was, and what is special.

# Each way: the weeks it goes by, and what its lift is.
ways_of_expecting <- data.frame(
  weeks = c(4, 8, 13, 4, 8, 13, 26, 52, 4, 8, 13, 4, 13),
  lift = rep(c("", "last year's lift", "half of last year's lift",
               "the lift of a period's last days"), c(3, 5, 3, 2)))

way_in_words <- function(total) {
  way <- ways_of_expecting[(total$way - 1) %% nrow(ways_of_expecting) + 1, ]
  paste0("the weekday averages of the last ", way$weeks, " weeks",
         if (nzchar(way$lift) && is.finite(total$lift))
           sprintf(", times %s, %s", number_text(total$lift, 2), way$lift),
         if (total$way > nrow(ways_of_expecting)) "; holidays as they were before")
}

# How the total was reckoned, and how far off that was.
expected_notes <- function(name, m, plan, told) {
  if (length(told$outlooks) == 0) {
    return(sprintf(
      "%s: missing, as no period shown from its first day is unfinished, or for want of 28 days",
      name))
  }
  unlist(lapply(told$outlooks, function(one) {
    total <- one$total
    if (all(is.na(one$end))) {
      return(sprintf("%s: %s: nothing is expected%s", name, one$period,
                     if (isTRUE(one$turned > 0)) ", as it would not have the sign of before"
                     else if (is.null(total) && one$ahead) " of a period to come"
                     else if (is.null(total)) ", for want of 3 periods before"
                     else ", for want of 28 days"))
    }
    if (is.null(total) || total$way == 0) {
      return(if (way_of_expecting(plan$measures[[m]]) == "distinct") sprintf(
        "%s: %s by the share of members seen at this point of earlier periods", name, one$period)
        else sprintf("%s: %s by its parts, each expected on its own", name, one$period))
    }
    by <- way_in_words(total)
    if (one$ahead) by <- sprintf("what is expected up to its end (%s), less that up to its start",
                                 by)
    c(sprintf("%s: %s by %s%s", name, one$period, by,
              if (total$is_tested) missed_words(total, one$ahead)
              else "; last year could not be tested"),
      if (isTRUE(total$is_zero) || isTRUE(total$zero > 0))
        sprintf("%s: %s: no less than zero is expected of what never was", name, one$period),
      if (isTRUE(one$turned > 0)) sprintf(
        "%s: %s: %s would not have the sign of before, and nothing is expected of %s", name,
        one$period, count_text(one$turned, "row"), if (one$turned == 1) "it" else "them"),
      if (!one$ahead) member_notes(name, plan, total), broken_note(name, total, plan$measures[[m]]))
  }))
}

member_notes <- function(name, plan, total) {
  if (length(plan$by) == 0) return(NULL)
  of <- function(count, says) if (count > 0) sprintf("%s: %s %s", name,
                                                     count_text(count, "member"), says)
  c(if (total$fits) sprintf("%s: members are fitted to what is expected of all", name)
    else sprintf("%s: members are each expected on their own, and need not add up to all", name),
    of(total$members$new, "with fewer than 28 days: nothing is expected of them"),
    of(total$members$ended, "without entries in the last 28 days: nothing more is expected"))
}

broken_note <- function(name, total, tree) {
  one <- total$broken
  if (is.null(one)) return(NULL)
  decimals <- tree_decimals(tree)
  text <- number_text(unlist(one) / 10^decimals, decimals)
  sprintf("%s: the last 4 weeks brought %s, outside of what was to be expected, %s to %s", name,
          text[1], text[2], text[3])
}

# "; 12 finished months at this point would have been missed by 2.1 % in the middle, 6 % at most".
missed_words <- function(total, ahead = FALSE) {
  past <- past_periods(total)
  past <- past[!is.na(past$said), ]
  if (nrow(past) == 0) return("")
  off <- 100 * abs(past$said - past$came) / abs(if (ahead) past$came else past$whole)
  off <- off[is.finite(off)]
  if (length(off) == 0) return("")
  sprintf("; %s %s would have been missed by %s %% in the middle, %s %% at most",
          count_text(length(off), paste("finished", total$periods$grain)),
          if (ahead) "as far ahead" else "at this point",
          number_text(stats::median(off), 1), number_text(max(off), 1))
}
