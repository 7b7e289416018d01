# The server of the page: acts come in, messages go out.

# `worker` is an environment whose `now` is the worker, if there is one.
explore_server <- function(offers, token = NULL, open = list(), worker = new.env()) {
  function(input, output, session) {
    search <- shiny::isolate(session$clientData$url_search)
    problem <- request_problem(session$request, token, search)
    if (!is.null(problem)) {
      session$close()
      return(invisible())
    }
    # A page has its own list of tables: a brief that is opened brings its own.
    page <- new_turns(offers, open$state)
    folder <- tempfile("page-")
    dir.create(folder)
    send <- function(type, data) session$sendCustomMessage(type, data)
    say <- function(texts, kind = "mind") {
      send("say", list(texts = as.list(texts), kind = kind))
    }
    turn <- new.env(parent = emptyenv())
    turn$number <- 0L
    turn$worker <- worker$now
    turn$apart <- NULL
    turn$undrawn <- NULL
    session$onSessionEnded(function() {
      if (!is.null(turn$apart)) apart_stop(turn$apart)
      unlink(folder, recursive = TRUE)
    })
    show <- function(push = TRUE) {
      turn$number <- turn$number + 1L
      send("address", list(text = state_text(page$state, page$offers$base), push = push))
      # Whatever goes wrong, the page stays: it goes back to what it showed.
      tryCatch(show_page(page, turn, send, say), error = function(e) {
        say(c("This cannot be shown; the page goes back to what was there.", problem_texts(e)))
        if (!page_undoes(page)) return()
        page$after <- list()
        page$sent <- list()
        send("address", list(text = state_text(page$state, page$offers$base), push = FALSE))
        show_page(page, turn, send, say)
      })
    }
    # Of acts that came one upon the other the last is worked out.
    show_soon <- function(do) {
      first <- length(turn$due) == 0
      turn$due <- c(turn$due, do)
      if (first) later::later(function() {
        due <- turn$due
        turn$due <- NULL
        tryCatch(show(), error = function(e) say(problem_texts(e)))
        for (do in due) send("done", list(act = do))
      }, 0)
    }
    shiny::observeEvent(input$width, {
      width <- suppressWarnings(as.numeric(input$width))
      if (length(width) == 1 && !is.na(width) && abs(width - page$width) > 40) {
        page$width <- min(max(width, 200), 3000)
        if (turn$number > 0) show(push = FALSE)
      }
    })
    shiny::observeEvent(input$address, {
      text <- input$address
      if (!rlang::is_string(text)) text <- "[]"
      if (nzchar(text)) {
        near <- state_of_address(text, offers$ledger, page$offers$tables)
        page_goes_to(page, near$state)
        if (length(near$said) > 0) say(near$said)
      } else if (turn$number > 0) {
        page_goes_to(page, open$state %||% first_state(offers$ledger))
      } else if (length(open$said) > 0) say(open$said, "told")
      first <- turn$number == 0
      show(push = FALSE)
      # Values are asked for before anything else is done.
      if (first && isTRUE(open$asks) && !nzchar(text)) {
        send("sheet", list(id = "hand", open = TRUE,
                           html = as_html(ask_piece(offers[["brief"]], page))))
      }
    })
    shiny::observeEvent(input$act, {
      act <- texts_of_json(input$act)
      if (is.null(act)) {
        say("The page sent what could not be read.")
        return(send("done", list(act = "refused")))
      }
      tryCatch({
        done <- page_act(page, act, send, say, folder, turn, session)
        if (done) show_soon(act_text(act, "do"))
        else send("done", list(act = act_text(act, "do")))
      }, error = function(e) {
        say(problem_texts(e))
        send("done", list(act = "refused"))
      })
    })
    shiny::observeEvent(input$typed, {
      typed <- texts_of_json(input$typed)
      if (!all(vapply(typed[c("id", "kind", "text")], rlang::is_string, TRUE))) return()
      told <- tryCatch(typed_says(page, typed$kind, typed$text),
                       error = function(e) list(ok = FALSE, says = problem_texts(e)[1]))
      send("typed", c(list(id = typed$id), told))
    })
  }
}

# Shows the state: pieces at once, then what takes longer, unless something newer was asked for.
show_page <- function(page, turn, send, say) {
  number <- turn$number
  current <- function() identical(number, turn$number)
  # Figures that were not drawn, as something newer came, are to be drawn with that.
  for (i in turn$undrawn) page$sent[[paste0("panel-", i)]] <- NULL
  take <- function(made) {
    page$sent <- made$keys
    turn$undrawn <- made$figures
    send("pieces", list(pieces = made$pieces, at = panel_at(page$state),
                        behind = !is.null(page$state$behind)))
  }
  take_drawn <- function(drawn) {
    turn$undrawn <- NULL
    for (one in drawn$figures) send("figure", one)
    send("pieces", list(pieces = list(facts = drawn$facts), at = panel_at(page$state),
                        behind = !is.null(page$state$behind)))
    send("ready", list(number = number))
  }
  if (!is.null(turn$apart)) apart_stop(turn$apart)
  turn$apart <- NULL
  if (!is.null(turn$worker) && entries_used(page$offers$ledger) >= apart_entries()) {
    turn$apart <- start_apart(turn$worker, page_request(page))
    return(watch_apart(turn, send, say, current, function(step, value) {
      if (step == 1) take(value) else take_drawn(value)
    }))
  }
  made <- page_pieces(page)
  take(made)
  # Acts that came meanwhile are taken first.
  later::later(function() {
    if (!current()) return()
    tryCatch(take_drawn(page_drawings(page, made$figures)),
             error = function(e) say(problem_texts(e)))
  }, 0.001)
}

# Follows work that is done apart; `take` is called with the number and value of each step.
watch_apart <- function(turn, send, say, current, take) {
  handle <- turn$apart
  began <- Sys.time()
  look <- function() {
    if (handle$over) return()
    step <- handle$told
    for (news in apart_news(handle)) {
      step <- step + 1L
      if (!is.null(news$problem)) say(news$problem) else if (current()) take(step, news$value)
    }
    if (handle$over) return(send("working", list(on = FALSE)))
    seconds <- as.numeric(difftime(Sys.time(), began, units = "secs"))
    if (seconds > 0.7) {
      send("working", list(on = TRUE, says = paste0(
        apart_progress(handle) %||% "Working it out", sprintf(", %.0f s", seconds))))
    }
    later::later(look, if (seconds < 1) 0.02 else 0.1)
  }
  look()
}

# ---- acts that are not about the state alone ------------------------------------------

# Does an act; TRUE where the page is to be shown again.
page_act <- function(page, act, send, say, folder, turn, session) {
  do <- act_text(act, "do")
  own <- page_deeds[[do %||% ""]]
  if (is.null(own)) {
    state <- acted(page$state, act, page$offers)
    # A sentence says itself what becomes of the question.
    said <- c(attr(state, "said"), if (do != "sentence") fit_said(page$state, state, act))
    if (length(said) > 0) say(said, "told")
    state <- with_said(state, NULL)
    return(page_goes_to(page, state))
  }
  own(list(page = page, act = act, send = send, say = say, folder = folder, turn = turn,
           session = session))
}

page_deeds <- list(
  undo = function(on) page_undoes(on$page),
  redo = function(on) page_redoes(on$page),
  # What was not answered is not asked: the page goes back to what it shows.
  stop = function(on) {
    was <- on$turn$apart
    if (is.null(was) || was$over) return(FALSE)
    apart_stop(was)
    on$send("working", list(on = FALSE))
    on$say("Stopped.", "told")
    # Where the numbers stand on the page already, its picture alone was stopped.
    if (!was$answers || was$told > 0 || !page_undoes(on$page)) return(FALSE)
    on$page$after <- list()
    on$turn$number <- on$turn$number + 1L
    on$send("address", list(text = state_text(on$page$state, on$page$offers$base), push = FALSE))
    FALSE
  },
  hand = function(on) {
    on$send("sheet", list(id = "hand", open = TRUE,
                          html = as_html(hand_piece(act_text(on$act, "value"), on$page))))
    FALSE
  },
  odd = function(on) {
    state <- acted(on$page$state, on$act, on$page$offers)
    on$send("sheet", list(id = "hand", open = FALSE))
    page_goes_to(on$page, state)
  },
  keep = function(on) {
    file <- page_saved(on$page$state, on$page$offers, act_text(on$act, "name"),
                       act_text(on$act, "category"), identical(act_text(on$act, "replace"), "yes"),
                       asks_ticked(on$page$state, on$act))
    on$say(sprintf("Kept as %s. Run it again: %s", file,
                   run_of_kept(file, on$page$state, on$page$offers)), "told")
    on$send("sheet", list(id = "hand", open = FALSE))
    FALSE
  },
  brief = function(on) {
    brief <- brief_offered(on$page$offers, act_text(on$act, "value"))
    if (length(brief$tree$ask) > 0 && is.null(on$act$ready)) {
      on$send("sheet", list(id = "hand", open = TRUE, html = as_html(ask_piece(brief, on$page))))
      return(FALSE)
    }
    values <- brief_values(brief, on$act)
    opened <- state_of_brief(brief, asked_values(brief, values, NULL), on$page$offers)
    on$page$offers$tables <- c(opened$tables, on$page$offers$tables)
    nearest <- state_that_answers(opened$state, ledger_with_columns(on$page$offers, opened$state),
                                  on$page$offers$tables)
    said <- c(opened$said, sub("^Left out of the address", "Left out of the brief", nearest$said))
    if (length(said) > 0) on$say(said)
    on$send("sheet", list(id = "hand", open = FALSE))
    page_goes_to(on$page, nearest$state)
  },
  code = function(on) {
    on$send("copied", list(what = "R code",
                           text = paste(unclass(page_code(on$page$state, on$page$offers)),
                                        collapse = "\n")))
    FALSE
  },
  command = function(on) {
    on$send("copied", list(what = "command line", text = panel_command(on$page$state,
                                                                       on$page$offers)))
    FALSE
  },
  file = function(on) {
    kind <- act_text(on$act, "value")
    page <- on$page
    give <- function(file) {
      on$send("file", list(url = file_address(on$session, file), name = basename(file)))
      on$say(sprintf("%s is written.", basename(file)), "told")
    }
    if (is.null(on$turn$worker)) {
      give(page_file(kind, page$state, page$offers, on$folder, page$kept))
      return(FALSE)
    }
    if (!is.null(on$turn$apart)) apart_stop(on$turn$apart)
    on$turn$apart <- start_apart(on$turn$worker, page_request(page, kind, on$folder))
    watch_apart(on$turn, on$send, on$say, function() TRUE, function(step, file) give(file))
    FALSE
  }
)

asks_ticked <- function(state, act) {
  names <- names(asks_of_page(state))
  ticked <- vapply(names, function(name) {
    identical(act_text(act, paste0("ask_", name)), "yes")
  }, TRUE)
  names[ticked]
}

# Values typed for a brief, each by its own name; what is left empty is not given.
brief_values <- function(brief, act) {
  values <- list()
  for (name in names(brief$tree$ask)) {
    given <- act_text(act, paste0("value_", name))
    if (is.null(given) || !nzchar(given)) next
    many <- flag_of(brief$tree$ask[[name]]$many)
    values[[name]] <- if (many) unlist(several_texts(given)) else given
  }
  values
}

# A file that was written, at an address of this session's own.
file_address <- function(session, path) {
  type <- c(html = "text/html", csv = "text/csv", png = "image/png", svg = "image/svg+xml",
            xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
  session$registerDataObj(basename(tempfile("file")), path, function(data, req) {
    shiny::httpResponse(200L, type[[tools::file_ext(data)]], readBin(data, "raw", file.size(data)),
                        headers = list("Content-Disposition" = sprintf(
                          "attachment; filename=\"%s\"", basename(data)),
                          "X-Content-Type-Options" = "nosniff", "Cache-Control" = "no-store"))
  })
}
