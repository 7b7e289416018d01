# Hands that use the page in a browser: by mouse, by keyboard alone; each counts what it takes.

sentence_shown <- function(b) gsub("\\s+", " ", browser_text(b, "#sentence .asked"))

# Tab after Tab until what has the focus is meant by `css`: how many it took.
tab_to <- function(b, css, most = 150) {
  for (taken in 0:most) {
    if (isTRUE(run_script(b, paste(
      "var e = document.activeElement;",
      "return !!e && e.matches(arguments[0]) && e.offsetParent !== null;"), css))) return(taken)
    press(b, "Tab")
  }
  stop("Tab never came to ", css, call. = FALSE)
}

# list(press, type, choose, counts): `press(css)` a button, `type(css, text)` into a field with
# Enter, `choose(css, value)` of a select. They do not wait.
mouse_hand <- function(b) {
  counts <- c(presses = 0, keys = 0, pixels = 0)
  at <- c(640, 400)
  go <- function(css) {
    # The way of the pointer, and what is scrolled to have it in sight.
    place <- unlist(run_script(b, paste(
      "var e = document.querySelector(arguments[0]), from = window.scrollY;",
      "var r = e.getBoundingClientRect();",
      "if (r.top < 0 || r.bottom > innerHeight) e.scrollIntoView({block: 'center'});",
      "r = e.getBoundingClientRect();",
      "return [r.left + r.width / 2, r.top + r.height / 2, Math.abs(window.scrollY - from)];"),
      css))
    counts[["pixels"]] <<- counts[["pixels"]] + sqrt(sum((place[1:2] - at)^2)) + place[3]
    counts[["presses"]] <<- counts[["presses"]] + 1
    at <<- place[1:2]
    driver(b, "POST", sprintf("%s/element/%s/click", b$session, element(b, css)))
  }
  open <- function(css) while (!is.null(opener <- opener_of(b, css))) go(opener)
  list(
    press = function(css) {
      open(css)
      go(css)
    },
    type = function(css, text) {
      open(css)
      go(css)
      counts[["keys"]] <<- counts[["keys"]] + nchar(text) + 1
      type_into(b, css, paste0(text, key_codes[["Enter"]]))
    },
    choose = function(css, value) {
      open(css)
      go(css)
      counts[["presses"]] <<- counts[["presses"]] + 1
      choose(b, css, value)
    },
    counts = function() counts)
}

keyboard_hand <- function(b) {
  keys <- 0
  go <- function(css) keys <<- keys + tab_to(b, css)
  open <- function(css) while (!is.null(opener <- opener_of(b, css))) {
    go(opener)
    press(b, "Enter")
    keys <<- keys + 1
  }
  is_box <- function(css) isTRUE(run_script(
    b, "return document.querySelector(arguments[0]).type === 'checkbox';", css))
  list(
    press = function(css) {
      open(css)
      go(css)
      press(b, if (is_box(css)) "Space" else "Enter")
      keys <<- keys + 1
    },
    type = function(css, text) {
      open(css)
      go(css)
      press(b, strsplit(text, "")[[1]])
      press(b, "Enter")
      keys <<- keys + nchar(text) + 1
    },
    choose = function(css, value) {
      open(css)
      go(css)
      label <- run_script(b, paste(
        "return Array.from(document.querySelector(arguments[0]).options)",
        ".find(o => o.value === arguments[1]).text;"), css, value)
      press(b, strsplit(label, "")[[1]])
      keys <<- keys + nchar(label)
    },
    counts = function() c(presses = 0, keys = keys, pixels = 0))
}

# Takes one of the values of a select.
choose <- function(b, css, value) {
  reach(b, css)
  run_script(b, paste("var e = document.querySelector(arguments[0]); e.value = arguments[1];",
                      "e.dispatchEvent(new Event('change', {bubbles: true}));"), css, value)
}

axe_file <- function() testthat::test_path("..", "..", ".build", "node", "node_modules", "axe-core",
                                           "axe.min.js")

expect_accessible <- function(b, where) {
  file <- axe_file()
  if (!file.exists(file)) return(invisible())
  if (!isTRUE(run_script(b, "return !!window.axe;")))
    run_script(b, paste(readLines(file, warn = FALSE), collapse = "\n"))
  found <- run_script_later(b, paste(
    "var done = arguments[arguments.length - 1];",
    "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'best-practice']})",
    ".then(r => done(r.violations.map(v => v.id + ': ' + v.help + ' | ' +",
    "v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' ; '))));"))
  expect_identical(unlist(found), NULL, info = where)
}
