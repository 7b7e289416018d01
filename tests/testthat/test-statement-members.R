test_that("new, kept and lost members, with their figures", {
  x <- demo_ledger()
  m <- compare_members(x, "account", now = "2026-08", before = "2025-08", income = total(fare),
                       trips = entries())
  held <- function(month) demo_fares[format(demo_fares$sailed_on, "%Y-%m") == month, ]
  now <- held("2026-08")
  before <- held("2025-08")
  standing <- split(m$account, m$standing)
  expect_setequal(standing$new, setdiff(now$account, before$account))
  expect_setequal(standing$kept, intersect(now$account, before$account))
  expect_setequal(standing$lost, setdiff(before$account, now$account))
  expect_equal(sum(m$income_a), sum(now$fare))
  expect_equal(sum(m$income_b), sum(before$fare))
  expect_true(all(m$trips_b[m$standing == "new"] == 0))
  expect_false(is.unsorted(-m$income_a[m$standing == "new"]))
  counts <- lengths(standing)[c("new", "kept", "lost")]
  expect_match(format(m, width = 200),
               do.call(sprintf,
                       c("account: %s new, %s kept and %s lost",
                         as.list(format(counts, big.mark = ",", trim = TRUE)))), all = FALSE)
  distinct <- statement(x, spans = c("2026-08", "2025-08"), riders = distinct(account))$riders
  expect_identical(as.double(c(counts[1] + counts[2], counts[3] + counts[2])), distinct)
  same <- compare_members(x, "account", "2026-08", "2026-08", income = total(fare))
  expect_identical(unique(same$standing), "kept")
  expect_true(all(same$income_difference == 0))
})

test_that("members within groups, and without a member", {
  table <- data.frame(day = as.Date(c("2026-01-01", "2026-02-01", "2026-02-02", "2026-02-03")),
                      route = c("a", "a", "b", "b"), account = c("x", "x", "x", NA))
  m <- compare_members(ledger(table, on = "day"), "account", "2026-02", "2026-01", by = "route")
  expect_identical(m$route, c("b", "a"))
  expect_identical(m$standing, c("new", "kept"))
  expect_refused(
    compare_members(ledger(table, on = "day"), c("route", "account"), "2026-02", "2026-01"),
                 "one attribute", "choice")
  expect_refused(compare_members(ledger(table, on = "day"), "acount", "2026-02", "2026-01"),
                 "Did you mean `account`", "column")
})
