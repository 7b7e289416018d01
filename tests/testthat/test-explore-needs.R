# What people come for, done on the page by mouse, by keyboard alone and on a narrow screen,
# with counts of what it takes.

button <- function(do, value, within = "") {
  sprintf("%s [data-do='%s'][data-value='%s']", within, do, value)
}
more <- function(do, value) button(do, value, "#choose-more")

# Each is list(does, shows): `does` are acts in turn; `shows` is what the sentence then says, or
# the place on the page and what it says.
press_it <- function(...) lapply(c(...), function(css) list(how = "press", css = css))
needs <- list(
  "first look, oddities" = list(press_it(button("hand", "look")),
                                list("dialog[open]", "set aside|far from|without entries")),
  "another date counts" = list(press_it(button("on", "booked")), "booked"),
  "names from a table" = list(press_it("[data-do=lookup][data-table=piers]"),
                              list("#choose-columns", "from piers by route")),
  "figures of an earlier day" = list(list(list(how = "type", css = "#as_of", text = "2026-08-31")),
                                     "31 Aug 2026"),
  "a column worked out" = list(press_it("[data-do=column_of_two][data-from=two]"),
                               list("#choose-columns", "passengers divided by fare")),
  "between two days" = list(list(list(how = "type", css = "#span", text = "2026-07-03/2026-08-09")),
                            "3 Jul to 9 Aug 2026"),
  "a moving span" = list(press_it(button("span", "month to date")), "month to date"),
  "finished periods only" = list(press_it("#partial"), "31 Aug 2026|without|finished|not over"),
  "a look-back that fits the grain" = list(press_it(button("grain", "week", "#choose-grain")),
                                           "latest [0-9]+ weeks"),
  "a season of every year" = list(list(list(how = "type", css = "#span", text = "every Q3")),
                                  "every Q3"),
  "periods by level" = list(press_it("[data-do=move][data-value='-1']"),
                            "Sep 2025 to 31 Aug 2026|to 31 Aug 2026"),
  "grain and attribute by a word each" = list(
    press_it(button("grain", "quarter", "#choose-grain"), more("by", "route")),
    "by route, each quarter"),
  "counts of people, of what is asked" = list(
    press_it(button("grain", "", "#choose-grain"), more("by", "route"),
             button("by", "channel", "#choose-by"),
             "[data-do=measure][data-code='distinct(account)']"),
    "number of accounts.*by route and channel"),
  "sections with totals" = list(c(press_it(more("by", "route")), list(
    list(how = "choose", css = "#totals", value = "by"))), "by route"),
  "entries by a condition" = list(list(
    list(how = "choose", css = "#column", value = "channel"),
    list(how = "press", css = "[data-do=members][data-only=web]")), "web"),
  "members without entries" = list(c(press_it(more("by", "route"), "#list_all")), "by route"),
  "the latest reading of each day" = list(
    press_it(button("grain", "day", "#choose-grain"),
             "[data-do=measure][data-code='balance(fare)']"), "balance of fare.*each day"),
  "so far" = list(press_it(more("step", "add_running")), "so far|running"),
  "over the last days" = list(press_it(more("step", "add_rolling")), "over|rolling"),
  "compared with a year back" = list(press_it(more("step", "add_change"),
                                              button("step_set", "1 year back")), "1 year back"),
  "several spans side by side" = list(press_it(button("span_beside", "year to date"),
                                               button("span_beside", "month to date")),
                                      "year to date.*month to date"),
  "leaders of each period" = list(press_it(more("by", "route"), button("look", "figure_leaders")),
                                  "the first [0-9]"),
  "new and lost" = list(press_it(button("look", "compare_members")), list("#panel-1", "lost|new")),
  "against a plan" = list(press_it(more("step", "add_target")), "plan"),
  "lines down the page" = list(press_it(button("look", "cross_table")), list("#panel-1", "Line")),
  "a calendar of days" = list(press_it(button("look", "figure_days")), list("#panel-1", "Days")),
  "a title and a text of one's own" = list(list(
    list(how = "type", css = "#look-heading", text = "Fares so far"),
    list(how = "type", css = "#look-text", text = "Storms closed two quays")),
    list("#panel-1", "Fares so far.*Storms closed two quays")),
  "entries behind a number" = list(
    press_it("[data-do=behind][data-panel='2'][data-row='1'][data-figure=fare]"),
    list("dialog[open]", "The entries behind it")),
  "tied to an outside list" = list(press_it(button("look", "reconcile")),
                                   list("#panel-1", "different|matched|only")),
  "kept, to be run every night" = list(list(
    list(how = "press", css = button("hand", "keep")),
    list(how = "type", css = "#keep-name", text = "Monday")),
    list("body", "rolling-ledger run .*monday")),
  "handed over for each member" = list(list(
    list(how = "press", css = more("by", "route")),
    list(how = "press", css = button("hand", "over")),
    list(how = "press", css = button("file", "page:route"))),
    list("body", "by-route|[.]html"))
)

test_that("every need is met by pointing, by keyboard alone, and on a narrow screen", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  folder <- withr::local_tempdir()
  page <- start_page(c(
    "x <- suppressMessages(ledger(system.file('extdata/fares.csv.gz', package = 'rollingledger'),",
    "  on = c(sailed = 'sailed_on', booked = 'booked_on'), units = c(fare = 'EUR'),",
    "  amounts = c('fare', 'passengers')))",
    "piers <- data.frame(route = unique(demo_fares$route), pier = c('North', 'South'))"),
    sprintf("tables = list(plan = demo_targets, piers = piers), briefs = '%s'", folder))
  withr::defer(stop_page(page))
  b <- start_browser()
  withr::defer(stop_browser(b))
  all_hands <- list(mouse = list(mouse_hand, 1280), keyboard = list(keyboard_hand, 1280),
                    narrow = list(mouse_hand, 390))
  took <- list()
  for (hand in names(all_hands)) {
    browser_size(b, all_hands[[hand]][[2]], 800)
    for (name in names(needs)) {
      unlink(Sys.glob(file.path(folder, "*")))
      open_page(b, page$at)
      own <- all_hands[[hand]][[1]](b)
      shows <- needs[[name]][[2]]
      met <- tryCatch({
        for (act in needs[[name]][[1]]) {
          does <- function() switch(act$how, press = own$press(act$css),
                                    type = own$type(act$css, act$text),
                                    choose = own$choose(act$css, act$value))
          # What is opened or written on its own draws no answer anew.
          if (grepl("data-do='(hand|file)'|keep|behind", act$css)) {
            does()
            Sys.sleep(0.3)
          } else then_ready(b, does())
        }
        said <- function() gsub("\\s+", " ", if (is.character(shows)) sentence_shown(b)
                                else paste(browser_text(b, shows[[1]]), collapse = " "))
        wait_until(function() grepl(if (is.character(shows)) shows else shows[[2]], said()), 60,
                   "what was asked for")
        TRUE
      }, error = function(e) paste(conditionMessage(e), ":", sentence_shown(b)))
      expect_identical(met, TRUE, info = paste(name, hand))
      wide <- run_script(b, "return document.documentElement.scrollWidth - window.innerWidth;")
      expect_lte(wide, 0)
      took[[hand]] <- rbind(took[[hand]], own$counts())
    }
  }
  sums <- lapply(took, function(own) round(colSums(own)))
  cat(sprintf("%d needs: by mouse %.0f presses, %.0f keys and a way of %.0f pixels; ",
              length(needs), sums$mouse[["presses"]], sums$mouse[["keys"]],
              sums$mouse[["pixels"]]),
      sprintf("by keyboard %.0f keys; 390 wide %.0f presses, %.0f keys, %.0f pixels.\n",
              sums$keyboard[["keys"]], sums$narrow[["presses"]], sums$narrow[["keys"]],
              sums$narrow[["pixels"]]), sep = "")
  # None takes more than a handful of presses.
  expect_lte(max(took$mouse[, "presses"]), 10)
})

test_that("at 320 pixels, and at twice the size of letters, nothing leaves the page", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  page <- start_page(paste(
    "x <- ledger(demo_fares, on = c(sailed = 'sailed_on', booked = 'booked_on'),",
    "units = c(fare = 'EUR'))"))
  withr::defer(stop_page(page))
  b <- start_browser()
  withr::defer(stop_browser(b))
  # A screen of 1280 at 200 % has 640 pixels of its own.
  for (width in c(640, 320)) {
    browser_size(b, width, if (width == 640) 400 else 640)
    open_page(b, page$at)
    wide <- function() run_script(
      b, "return document.documentElement.scrollWidth - window.innerWidth;")
    for (part in c("what", "grain", "days", "on", "more")) {
      click(b, sprintf("[data-open=%s]", part))
      expect_lte(wide(), 0)
      # What is opened can be reached: it scrolls within the screen.
      expect_true(isTRUE(run_script(b, paste(
        "var r = document.querySelector('#ask').getBoundingClientRect();",
        "return r.left >= -1 && r.right <= window.innerWidth + 1;"))))
    }
    press(b, "Escape")
    for (look in c("table", "figure_trend", "figure_change", "report_tiles")) {
      then_ready(b, click(b, button("look", look)))
      expect_lte(wide(), 0)
    }
    expect_accessible(b, paste(width, "pixels wide"))
  }
})

test_that("the edge of a band is pressed, and dragged to where it is meant", {
  skip_on_cran()
  why <- no_browser()
  if (!is.null(why)) skip(paste("The page is not tested in a browser:", why))
  page <- start_page("x <- ledger(demo_fares, on = c(sailed = 'sailed_on'))")
  withr::defer(stop_page(page))
  b <- start_browser()
  withr::defer(stop_browser(b))
  browser_size(b, 1280, 800)
  open_page(b, page$at)
  then_ready(b, click(b, button("bands_of", "fare")))
  edges <- unlist(run_script(b, paste("return Array.from(document.querySelectorAll(",
                                      "'button.edge:not([disabled])')).map(e => e.dataset.edge);")))
  at <- function(i) sprintf("button.edge[data-edge='%s']", edges[i])
  pressed <- function() unlist(run_script(b, paste(
    "return Array.from(document.querySelectorAll('button.edge[aria-pressed=true]'))",
    ".map(e => e.dataset.edge);")))
  chosen <- function() run_script(
    b, "return document.querySelector('[data-group=bands] [data-part=edges]').value;")
  click(b, at(2))
  click(b, at(6))
  expect_identical(pressed(), edges[c(2, 6)])
  drag(b, at(2), at(4))
  expect_identical(pressed(), edges[c(4, 6)])
  expect_identical(chosen(), paste(edges[c(4, 6)], collapse = ","))
  # It passes no other edge over, and what is not held stays.
  drag(b, at(4), at(6))
  expect_length(pressed(), 2)
  drag(b, at(1), at(3))
  expect_identical(pressed()[length(pressed())], edges[6])
  # A press takes it away again.
  click(b, at(6))
  expect_false(edges[6] %in% pressed())
})
