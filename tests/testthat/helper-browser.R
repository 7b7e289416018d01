# A real browser, driven over the W3C WebDriver protocol (https://www.w3.org/TR/webdriver2/), and
# the page in a process of its own.

# Why there is no browser to test with, or NULL.
no_browser <- function() {
  if (!nzchar(Sys.which("chromedriver"))) return("chromedriver is not installed")
  if (!nzchar(Sys.which("chromium"))) return("chromium is not installed")
  for (package in c("shiny", "curl", "processx")) {
    if (!rlang::is_installed(package)) return(paste("the package", package, "is not installed"))
  }
}

# Waits until `done` is TRUE.
wait_until <- function(done, seconds = 60, what = "what was waited for") {
  end <- Sys.time() + seconds
  repeat {
    if (isTRUE(done())) return(invisible(TRUE))
    if (Sys.time() > end) stop("There never came ", what, call. = FALSE)
    Sys.sleep(0.02)
  }
}

start_browser <- function(width = 1280, height = 800, tries = 3) {
  port <- free_ports(1)
  b <- new.env()
  b$at <- sprintf("http://127.0.0.1:%d", port)
  b$process <- processx::process$new("chromedriver", paste0("--port=", port))
  ready <- function() {
    # One whose port was taken meanwhile ends at once.
    !b$process$is_alive() ||
      tryCatch(isTRUE(driver(b, "GET", "/status")$ready), error = function(e) FALSE)
  }
  came <- tryCatch(wait_until(ready, 40, "chromedriver"), error = function(e) e)
  if (inherits(came, "error") || !b$process$is_alive()) {
    b$process$kill_tree()
    if (tries == 1) stop("There never came chromedriver", call. = FALSE)
    return(start_browser(width, height, tries - 1))
  }
  args <- c("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
            "--disable-background-networking", "--disable-component-update", "--disable-sync",
            "--force-device-scale-factor=1", "--hide-scrollbars",
            sprintf("--window-size=%d,%d", width, height),
            paste0("--user-data-dir=", tempfile("chromium")))
  made <- driver(b, "POST", "/session", list(capabilities = list(alwaysMatch = list(
    browserName = "chrome", "goog:chromeOptions" = list(args = as.list(args))))))
  b$session <- paste0("/session/", made$sessionId)
  b
}

stop_browser <- function(b) {
  try(driver(b, "DELETE", b$session), silent = TRUE)
  b$process$kill_tree()
}

# One call of the protocol; gives its value.
driver <- function(b, method, path, body = NULL) {
  handle <- curl::new_handle(customrequest = method, timeout = 60)
  if (method == "POST") {
    if (length(body) == 0) body <- structure(list(), names = character())
    json <- jsonlite::toJSON(body, auto_unbox = TRUE, null = "null")
    curl::handle_setopt(handle, postfields = enc2utf8(as.character(json)))
    curl::handle_setheaders(handle, "Content-Type" = "application/json; charset=utf-8")
  }
  answer <- curl::curl_fetch_memory(paste0(b$at, path), handle)
  text <- rawToChar(answer$content)
  Encoding(text) <- "UTF-8"
  value <- jsonlite::fromJSON(text, simplifyVector = FALSE)$value
  if (answer$status_code >= 400)
    stop("browser: ", value$error, ": ", substr(value$message, 1, 400), call. = FALSE)
  value
}

visit <- function(b, url) driver(b, "POST", paste0(b$session, "/url"), list(url = url))
refresh <- function(b) driver(b, "POST", paste0(b$session, "/refresh"))
go_back <- function(b) driver(b, "POST", paste0(b$session, "/back"))
go_forward <- function(b) driver(b, "POST", paste0(b$session, "/forward"))

browser_size <- function(b, width, height) {
  driver(b, "POST", paste0(b$session, "/goog/cdp/execute"), list(
    cmd = "Emulation.setDeviceMetricsOverride",
    params = list(width = width, height = height, deviceScaleFactor = 1, mobile = FALSE)))
}

run_script <- function(b, script, ...) {
  driver(b, "POST", paste0(b$session, "/execute/sync"), list(script = script, args = list(...)))
}

run_script_later <- function(b, script, ...) {
  driver(b, "POST", paste0(b$session, "/execute/async"), list(script = script, args = list(...)))
}

element <- function(b, css) {
  found <- driver(b, "POST", paste0(b$session, "/element"),
                  list(using = "css selector", value = css))
  found[[1]]
}

browser_text <- function(b, css) run_script(
  b, "var e = document.querySelector(arguments[0]); return e ? e.innerText : null;", css)

browser_count <- function(b, css) run_script(
  b, "return document.querySelectorAll(arguments[0]).length;", css)

browser_picture <- function(b, file) {
  data <- driver(b, "GET", paste0(b$session, "/screenshot"))
  writeBin(jsonlite::base64_dec(data), file)
  invisible(file)
}

# What has to be pressed before an element can be: the choices of a part of the sentence, the
# columns of a way to measure, what is folded; NULL where it is in sight.
opener_of <- function(b, css) {
  run_script(b, paste(
    "var e = document.querySelector(arguments[0]); if (!e) return null;",
    "document.querySelectorAll('[data-opens]').forEach(o => delete o.dataset.opens);",
    "var fold = e.closest('[data-fold][hidden]'), sheet = e.closest('.choice[hidden]');",
    "var more = e.closest('details:not([open])');",
    "var part = sheet && sheet.id.slice(7), word = `.word[data-open='${part}']`;",
    "if (sheet) return document.querySelector(word) ? word :",
    "  document.getElementById('choose-more').hidden ? '#and-more' :",
    "  `#choose-more [data-open='${part}']`;",
    "if (fold) return `[data-unfold='${fold.id}']`;",
    "if (more && !e.closest('summary')) {",
    "  more.querySelector('summary').dataset.opens = 'now'; return '[data-opens=now]'; }",
    "return null;"), css)
}

# Opens what an element of the page stands in, as a person would.
reach <- function(b, css) {
  for (turn in 1:4) {
    opener <- opener_of(b, css)
    if (is.null(opener)) return(invisible())
    driver(b, "POST", sprintf("%s/element/%s/click", b$session, element(b, opener)))
  }
}

# A click, as a person's, on what is in sight.
click <- function(b, css) {
  reach(b, css)
  run_script(b, "document.querySelector(arguments[0]).scrollIntoView({block: 'center'});", css)
  driver(b, "POST", sprintf("%s/element/%s/click", b$session, element(b, css)))
}

type_into <- function(b, css, text, clear = TRUE) {
  reach(b, css)
  id <- element(b, css)
  if (clear) {
    run_script(b, "document.querySelector(arguments[0]).select();", css)
    text <- paste0("\ue017", text)
  }
  driver(b, "POST", sprintf("%s/element/%s/value", b$session, id), list(text = text))
}

# Keys to what has the focus: texts, or names of keys.
key_codes <- c(Enter = "\ue007", Tab = "\ue004", Escape = "\ue00c", Left = "\ue012", Up = "\ue013",
               Right = "\ue014", Down = "\ue015", Home = "\ue011", End = "\ue010",
               Shift = "\ue008", Space = " ")
press <- function(b, ..., shift = FALSE) {
  keys <- unname(ifelse(c(...) %in% names(key_codes), key_codes[c(...)], c(...)))
  acts <- unlist(lapply(keys, function(key) list(list(type = "keyDown", value = key),
                                                 list(type = "keyUp", value = key))),
                 recursive = FALSE)
  if (shift) acts <- c(list(list(type = "keyDown", value = key_codes[["Shift"]])), acts,
                       list(list(type = "keyUp", value = key_codes[["Shift"]])))
  driver(b, "POST", paste0(b$session, "/actions"),
         list(actions = list(list(type = "key", id = "keys", actions = acts))))
}

# A click while shift is held.
click_with_shift <- function(b, css) {
  place <- run_script(b, paste(
    "var r = document.querySelector(arguments[0]).getBoundingClientRect();",
    "return [Math.round(r.left + r.width / 2), Math.round(r.bottom - 5)];"), css)
  wait <- list(type = "pause", duration = 0)
  driver(b, "POST", paste0(b$session, "/actions"), list(actions = list(
    list(type = "key", id = "keys", actions = list(
      list(type = "keyDown", value = key_codes[["Shift"]]), wait, wait, wait,
      list(type = "keyUp", value = key_codes[["Shift"]]))),
    list(type = "pointer", id = "mouse", parameters = list(pointerType = "mouse"),
         actions = list(wait, list(type = "pointerMove", x = place[[1]], y = place[[2]],
                                   duration = 0),
                        list(type = "pointerDown", button = 0), list(type = "pointerUp",
                                                                     button = 0), wait)))))
}

# Mouse: a drag from one place of an element to another, in parts of its width.
drag <- function(b, from, to) {
  place <- function(css) run_script(b, paste(
    "var r = document.querySelector(arguments[0]).getBoundingClientRect();",
    "return [Math.round(r.left + r.width / 2), Math.round(r.bottom - 5)];"), css)
  a <- place(from)
  z <- place(to)
  move <- function(p, ms) list(type = "pointerMove", x = p[[1]], y = p[[2]], duration = ms)
  driver(b, "POST", paste0(b$session, "/actions"), list(actions = list(list(
    type = "pointer", id = "mouse", parameters = list(pointerType = "mouse"),
    actions = list(move(a, 0), list(type = "pointerDown", button = 0), move(z, 200),
                   list(type = "pointerUp", button = 0))))))
}

# ---- the page ------------------------------------------------------------------------

# The page in an R process of its own: list(at, process, log). `code` makes `x`; `args` are further
# arguments of explore(), as text.
start_page <- function(code, args = "") {
  port <- free_ports(1)
  script <- tempfile(fileext = ".R")
  log <- tempfile("page")
  writeLines(c(sprintf(".libPaths(%s)", paste(deparse(.libPaths()), collapse = "")),
               "library(rollingledger)", code,
               sprintf("explore(x, port = %d, open = FALSE%s)", port,
                       if (nzchar(args)) paste0(", ", args) else "")), script)
  process <- processx::process$new(file.path(R.home("bin"), "Rscript"), script, stdout = log,
                                   stderr = log)
  page <- list(at = sprintf("http://127.0.0.1:%d/", port), process = process, log = log)
  wait_until(function() tryCatch(curl::curl_fetch_memory(page$at)$status_code == 200,
                                 error = function(e) FALSE), 60,
             paste("the page:", paste(readLines(log), collapse = "\n")))
  page
}

stop_page <- function(page) page$process$kill_tree()

# Numbers of messages that the page has had; acts are answered when they have grown.
page_counts <- function(b) run_script(b, paste(
  "var d = document.body.dataset;",
  "return [Number(d.turn || 0), Number(d.ready || 0), Number(d.done || 0), Number(d.acts || 0)];"))

# Does something on the page and waits until it is answered, figures and all.
then_ready <- function(b, expr, seconds = 60) {
  before <- page_counts(b)
  force(expr)
  wait_until(function() {
    now <- page_counts(b)
    now[[3]] > before[[3]] && now[[3]] == now[[4]] && now[[2]] > before[[2]]
  }, seconds, "an answer of the page")
  invisible()
}

open_page <- function(b, url) {
  visit(b, "about:blank")
  visit(b, url)
  wait_until(function() page_counts(b)[[2]] > 0, what = "the page's first answer")
}
