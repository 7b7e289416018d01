test_that("an address holds the whole page, and gives it again", {
  offers <- explore_offers()
  state <- acts_done(
    rollingledger:::first_state(offers$ledger), offers, list(do = "grain", value = "week"),
    list(do = "by", value = "route"), list(do = "look", value = "figure_leaders"),
    list(do = "condition", value = "route != \"R\u00f8d < \\\"Havn\\\"\""), list(do = "panel_more"),
    list(do = "own_days"), list(do = "look", value = "table"),
    list(do = "behind", panel = "2", row = "3", figure = "fare"),
    list(do = "behind_set", field = "seek", value = "web"))
  text <- rollingledger:::state_text(state)
  again <- rollingledger:::state_of_address(text, offers$ledger, offers$tables)
  expect_identical(again$said, character())
  expect_identical(rollingledger:::state_text(again$state), text)
  expect_identical(again$state$behind$seek, "web")
})

test_that("a wrong address gives the nearest right page and says what was left out", {
  offers <- explore_offers()
  at <- function(tree) rollingledger:::state_of_address(
    as.character(jsonlite::toJSON(tree, auto_unbox = TRUE)), offers$ledger, offers$tables)
  panel <- list(statement = list(per = "month", by = list("route"),
                                 measures = list(fare = "total(fare)", odd = "total(colour)"),
                                 where = list("channel == \"web\"", "hue > 3"),
                                 steps = list(list(add_rank = list(m = "fare", keep = 2)))),
                look = list(figure_trend = list(wings = "4")))
  near <- at(list(span = "last 6 months", panels = list(panel)))
  kept <- near$state$panels[[1]]
  expect_identical(names(kept$statement$measures), "fare")
  expect_identical(unlist(kept$statement$where), "channel == \"web\"")
  expect_identical(kept$statement$steps[[1]]$add_rank$keep, "2")
  expect_identical(near$state$span, "last 6 months")
  expect_length(near$said, 3)
  expect_match(near$said, "wings", all = FALSE)
  expect_match(near$said, "colour", all = FALSE)
  expect_match(near$said, "hue", all = FALSE)
  # Days the ledger does not have: all of them instead.
  near <- at(list(span = "2099", panels = list(panel)))
  expect_identical(near$state$span, "all")
  expect_match(near$said, "span", all = FALSE)
  # No paths are read, and no functions are run.
  steal <- list(statement = list(measures = list(fare = "total(fare)"), steps = list(list(
    add_target = list(m = "fare", targets = "/etc/passwd")))))
  near <- at(list(panels = list(steal)))
  expect_null(near$state$panels[[1]]$statement$steps)
  expect_match(near$said, "No table \"/etc/passwd\" is offered", all = FALSE)
  ran <- list(statement = list(measures = list(x = "system(\"touch /tmp/owned\")")))
  near <- at(list(panels = list(ran)))
  expect_match(near$said, "system", all = FALSE)
  for (text in c("[", "null", "7", "\"x\"", "{}", "[[[[[[[[[[[[1]]]]]]]]]]]]",
                 strrep("a", 50000), "{\"panels\":[]}", "{\"panels\":{\"a\":1}}", "\xff\xfe")) {
    near <- rollingledger:::state_of_address(text, offers$ledger)
    expect_identical(near$state, rollingledger:::first_state(offers$ledger))
    expect_match(near$said[length(near$said)], "fresh page")
  }
})

# A tree with something taken out, put in or put in another's place, anywhere.
harmed <- function(tree) {
  odd <- list("", "x", "-1", "<script>alert(1)</script>", "'); DROP TABLE fares; --", "9e99",
              list(), list("a"), list(per = "month"), "last blue moon", "route", "$(rm -rf /)",
              "total(fare)", "figure_days", strrep("z", 300), "\u202e", "2026-02-30", NULL)
  if (!is.list(tree) || length(tree) == 0 || stats::runif(1) < 0.15) {
    return(odd[[sample.int(length(odd) - 1L, 1)]])
  }
  i <- sample.int(length(tree), 1)
  what <- stats::runif(1)
  if (what < 0.2) tree[[i]] <- NULL
  else if (what < 0.3 && !is.null(names(tree))) names(tree)[i] <- sample(c("per", "zz", ""), 1)
  else if (what < 0.4) tree <- c(tree, tree[i])
  else {
    new <- harmed(tree[[i]])
    if (is.null(new)) tree[[i]] <- NULL else tree[[i]] <- new
  }
  tree
}

test_that("random addresses give a page that answers", {
  skip_on_cran()
  offers <- explore_offers(explore_fares(300))
  x <- offers$ledger
  set.seed(15)
  base <- acts_done(
    rollingledger:::first_state(x), offers, list(do = "by", value = "route"),
    list(do = "step", value = "add_rank"), list(do = "step", value = "add_rolling"),
    list(do = "members", column = "channel", value = "web"), list(do = "panel_more"),
    list(do = "look", value = "figure_trend"), list(do = "panel", value = "2"),
    list(do = "look", value = "compare_spans"), list(do = "own_days"))
  fresh <- left_out <- whole <- 0
  times <- rounds(30, 1000)
  schema <- rollingledger:::explore_schema()
  for (i in seq_len(times)) {
    tree <- base
    for (k in seq_len(sample(1:4, 1))) tree <- harmed(tree)
    text <- as.character(jsonlite::toJSON(tree, auto_unbox = TRUE, null = "null"))
    if (stats::runif(1) < 0.1) text <- substr(text, 1, sample.int(nchar(text), 1))
    near <- rollingledger:::state_of_address(text, x, offers$tables)
    expect_length(rollingledger:::schema_problems(near$state, schema), 0)
    page <- rollingledger:::new_turns(offers, near$state)
    made <- rollingledger:::page_pieces(page)
    for (panel in near$state$panels) {
      expect_null(rollingledger:::panel_answer(near$state, panel, offers)$problem, info = text)
    }
    # Whatever it held is shown as text.
    expect_no_match(unlist(made$pieces), "<script", info = text)
    if (any(grepl("fresh", near$said))) fresh <- fresh + 1
    else if (length(near$said) > 0) left_out <- left_out + 1 else whole <- whole + 1
  }
  expect_gt(fresh, times / 50)
  expect_gt(left_out, times / 5)
  expect_gt(whole, times / 50)
})
