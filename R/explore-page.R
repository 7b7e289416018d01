# The page: its frame, and the pieces that are filled in as the question changes.

explore_frame <- function(title) {
  tags <- htmltools::tags
  page <- htmltools::tagList(
    tags$head(
      tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$meta("http-equiv" = "Content-Security-Policy", content = content_policy),
      tags$meta(name = "referrer", content = "no-referrer"),
      tags$title(title),
      # A page's own icon, so that browsers ask for none.
      tags$link(rel = "icon", href = "data:,"),
      explore_assets()
    ),
    tags$a(class = "skip", href = "#panels", "To the answer"),
    tags$header(
      tags$div(class = "top", tags$h1(title), tags$div(id = "tools", class = "tools")),
      tags$div(id = "sentence", class = "sentence"),
      tags$form(id = "ask", class = "ask", "aria-label" = "The question", hidden = NA,
                onsubmit = "return false;",
                tags$button(type = "button", class = "shut", "data-shut" = "yes",
                            "aria-label" = "Close these choices", "\u00d7"),
                lapply(c("when", "what", "which", "own", "next"), function(id) tags$div(id = id))),
      tags$div(id = "facts", class = "facts")
    ),
    tags$main(
      tags$div(id = "said", role = "status", "aria-live" = "polite"),
      tags$div(id = "strip"),
      tags$div(id = "panels", tabindex = "-1",
               lapply(seq_len(explore_limits$panels), function(i) {
                 tags$div(id = paste0("panel-", i), class = "panel-box")
               })),
      tags$div(id = "more"),
      tags$div(id = "point", class = "point", hidden = NA)
    ),
    tags$dialog(id = "behind", class = "sheet", "aria-labelledby" = "behind-title"),
    tags$dialog(id = "hand", class = "sheet", "aria-labelledby" = "hand-title"),
    tags$div(id = "busy", role = "status", "aria-live" = "polite")
  )
  attr(page, "lang") <- "en"
  page
}

# Style and script ship with the package and are served by it: nothing comes from elsewhere.
explore_assets <- function() {
  read <- function(folder, name) {
    htmltools::HTML(paste(readLines(system.file(folder, name, package = "rollingledger"),
                                    encoding = "UTF-8", warn = FALSE), collapse = "\n"))
  }
  htmltools::tagList(
    htmltools::tags$style(read("report", "page.css")),
    htmltools::tags$style(read("explore", "explore.css")),
    htmltools::tags$script(read("report", "page.js")),
    htmltools::tags$script(read("explore/vendor", "morphdom-umd.min.js")),
    lapply(paste0(c("acts", "choices", "pieces", "strip", "figure", "type", "begin"), ".js"),
           function(name) htmltools::tags$script(read("explore", name)))
  )
}

# ---- the question: sentence and facts ---------------------------------------------

# Put together as text, as spaces count in it. Each part opens its choices; the last one offers what
# is not asked yet.
sentence_piece <- function(parts, typed = "") {
  text <- vapply(parts, function(part) part$text, "")
  place <- vapply(parts, function(part) part$part, "")
  # What joins parts is no part of what is pointed at.
  lead <- regmatches(text, regexpr("^[,;]? ?", text))
  word <- function(place, words, id = NULL) {
    sprintf(paste0("<button type=\"button\" class=\"word\"%s data-open=\"%s\"",
                   " aria-expanded=\"false\" aria-controls=\"choose-%s\">%s</button>"),
            if (is.null(id)) "" else sprintf(" id=\"%s\"", id), place, place,
            htmltools::htmlEscape(words))
  }
  asked <- paste0(lead, word(place, substring(text, nchar(lead) + 1)), collapse = "")
  htmltools::HTML(paste0("<p><span class=\"asked\">", asked, ".</span> ",
                         word("more", "and \u2026", "and-more"),
                         " <button type=\"button\" class=\"quiet typing\" data-type=\"yes\"",
                         " aria-keyshortcuts=\"/\">type it</button></p>",
                         as_html(sentence_line(typed))))
}

facts_piece <- function(facts, control) {
  said <- htmltools::htmlEscape(paste0(paste(facts, collapse = "; "), "."))
  htmltools::HTML(paste0("<p>", said, if (!is.null(control)) {
    sprintf(" <span class=\"%s\">%s</span>", if (control$ties) "ties" else "mind",
            htmltools::htmlEscape(control$says))
  }, "</p>"))
}

tools_piece <- function(undo, redo) {
  htmltools::tagList(
    act_button("Undo", "undo", disabled = !undo), act_button("Redo", "redo", disabled = !redo),
    act_button("First look", "hand", value = "look"),
    act_button("Briefs", "hand", value = "briefs"), act_button("Keep", "hand", value = "keep"),
    act_button("Hand over", "hand", value = "over", class = "main")
  )
}

# ---- the strip -------------------------------------------------------------------------

strip_piece <- function(state, x, periods) {
  tags <- htmltools::tags
  levels <- calendar_grain_names(x)
  days <- days_now(state, x)
  second <- if (!is.null(state$second)) days_now(state, x, state$second)
  within <- function(days) {
    held <- rep(FALSE, length(periods$label))
    for (i in seq_along(days$from)) {
      held <- held | periods$to >= days$from[i] & periods$from <= days$to[i]
    }
    held
  }
  chosen <- within(days)
  other <- within(second)
  # Days that begin or end inside a period are told from whole ones.
  whole <- any(chosen) && all(c(min(days$from) <= min(periods$from[chosen]),
                                max(days$to) >= max(periods$to[chosen])))
  most <- max(periods$entries, 1)
  # Bars of a long life stand closer than a pixel; they keep a least width and the strip scrolls.
  text <- paste0(period_days_text(periods), ": ", number_text(periods$entries),
                 ifelse(periods$entries == 1, " entry", " entries"),
                 ifelse(other, ", in the second span", ""))
  if (length(periods$label) == 0)
    return(tags$section(class = "strip", tags$p(class = "quiet", "No entry has a day then.")))
  bars <- sprintf(paste0("<div role=\"option\" id=\"bar-%d\" class=\"bar%s\" aria-selected=\"%s\"",
                         " aria-label=\"%s\" data-at=\"%d\"><i style=\"height:%.1f%%\"></i></div>"),
                  seq_along(periods$label), ifelse(other, " other", ""),
                  ifelse(chosen, "true", "false"),
                  htmltools::htmlEscape(text, attribute = TRUE), seq_along(periods$label),
                  100 * pmax(periods$entries, 0) / most)
  tags$section(
    class = "strip", "aria-label" = "Entries over the ledger's life",
    tags$div(
      class = "strip-head",
      tags$span(class = "quiet", "Entries per "),
      act_select("Periods of the strip", "level", levels, strip_level(state), id = "level",
                 unseen = TRUE),
      act_button("\u25c0 earlier", "move", value = -1, label = "One period earlier"),
      act_button("later \u25b6", "move", value = 1, label = "One period later"),
      tags$span(id = "bar-says", class = "quiet", "aria-hidden" = "true",
                if (any(chosen)) paste0(
                  if (whole) "" else "within ", count_text(sum(chosen), "period"),
                  if (whole) " chosen" else "",
                  if (any(other)) sprintf(", %s in the second span", number_text(sum(other)))))
    ),
    tags$div(class = "bars", id = "bars", role = "listbox", tabindex = "0",
             "aria-multiselectable" = "true", "aria-orientation" = "horizontal",
             "aria-label" = paste("Periods; arrow keys move, with shift a run of them, Enter",
                                  "takes it"), htmltools::HTML(paste(bars, collapse = ""))),
    tags$div(class = "strip-ends", "aria-hidden" = "true",
             tags$span(periods$label[1]), tags$span(utils::tail(periods$label, 1)))
  )
}

period_days_text <- function(periods) {
  days <- unname(span_text(periods$from, periods$to))
  ifelse(days == periods$label, days, paste0(periods$label, ", ", days))
}
