# The sentence of the page, typed: the same question as by pointing, read and completed meanwhile.

test_that("a typed sentence is the panel's question, and what the page then says reads the same", {
  offers <- explore_offers(tables = list(plan = demo_targets))
  page <- page_on(offers)
  names <- own("page_names")(page$offers)
  for (text in c("fare each month by route, latest 3 months, only channel web, fare above 10",
                 "and accounts", "fare, month to date and last month, without channel web",
                 "entries by route, 2025, booked", "without groups",
                 "fare each month, this year, against 1 year back, against the target plan",
                 "fare by route and weekday, this year, as a cross table across weekday",
                 "fare each month by route, latest 12 months, as leaders",
                 "fare by route, last month against 2026-07",
                 "new and lost accounts, last month against 2026-07",
                 "why did fare change, last month against 1 year back",
                 "what is unusual each week by route, fare")) {
    goes(page, list(do = "sentence", value = text))
    now <- own("panel_now")(page$state)
    told <- own("panel_answer")(page$state, now, page$offers)
    expect_null(told$problem, info = text)
    # What is shown, and what stands in the line to be typed, are the question that is there.
    asked <- asked_alone(own("question_to_say")(page$state, now, page$offers))
    for (said in c(own("typed_sentence")(page$state, now, page$offers), sentence_of(page))) {
      read <- own("read_question")(said, names)
      expect_null(read$problem, info = paste(text, "|", said))
    }
    read <- own("read_question")(own("typed_sentence")(page$state, now, page$offers), names)
    expect_identical(asked_alone(read$question), asked, info = text)
  }
  before <- page$state
  expect_error(goes(page, list(do = "sentence", value = "fare by rout")), "Did you mean `route`",
               class = "rollingledger_error")
  expect_error(goes(page, list(do = "sentence", value = " ")), "The sentence is empty",
               class = "rollingledger_error")
  expect_identical(page$state, before)
  known <- "entries each month, known on 2026-08-01 and on 2026-09-01"
  expect_error(goes(page, list(do = "sentence", value = known)), "The page has no look",
               class = "rollingledger_error")
  expect_true(own("page_undoes")(page))
})

test_that("while it is typed the sentence is told as understood, and what could come next", {
  page <- page_on(explore_offers())
  says <- function(text) own("typed_says")(page, "sentence", text)
  told <- says("fare each month, latest 3 months")
  expect_true(told$ok)
  expect_identical(told$says, "Fare, each month, latest 3 months.")
  told <- says("fare by rout")
  expect_false(told$ok)
  expect_match(told$says, "not understood at \"rout\". Did you mean `route`", fixed = TRUE)
  offered <- function(text) {
    told <- says(text)
    stats::setNames(vapply(told$offers, `[[`, "", "says"), vapply(told$offers, `[[`, "", "text"))
  }
  members <- offered("fare, only channel ")
  expect_setequal(names(members), unique(demo_fares$channel))
  expect_match(members[["web"]], "^channel, [0-9,]+ entries$")
  expect_identical(offered("fare, latest 3 mon")[["latest 3 months"]], "1 Jul to 17 Sep 2026")
  expect_true("route" %in% names(offered("fare by rou")))
  # What is offered stands in the place of what was begun.
  expect_identical(says("fare by rou")$from, 8L)
})
