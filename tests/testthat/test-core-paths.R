# Paths and the command on other systems, as far as can be told on one.

test_that("a path is below a folder by whole parts, and absolute in the forms of each system", {
  below <- own("is_below")
  expect_identical(below(c("/a/b", "/a/bc", "/a", "/ab/c", "/a/b/c"), "/a"),
                   c(TRUE, TRUE, FALSE, FALSE, TRUE))
  expect_identical(below(c("C:/data/x", "C:/database/x"), "C:/data/"), c(TRUE, FALSE))
  expect_true(below("/x", "/"))
  absolute <- own("is_absolute_path")
  expect_true(all(absolute(c("/a", "C:/a", "c:\\a", "\\\\server\\a"))))
  expect_false(any(absolute(c("a/b", "a:b", "./a", "..", "C:a", "~a"))))
  # Nothing parts paths in another way.
  folder <- testthat::test_path("..", "..", "R")
  skip_if_not(dir.exists(folder))
  for (file in setdiff(list.files(folder, full.names = TRUE),
                       file.path(folder, "core-paths.R"))) {
    lines <- sub("#.*", "", readLines(file))
    expect_no_match(lines, "normalizePath|OS[.]type|parallel::", info = basename(file))
  }
})

test_that("briefs refuse what leads out in the words of any system", {
  for (path in c("/etc/passwd", "C:/x.csv", "c:\\x.csv", "\\\\server\\x.csv", "..\\x.csv",
                 "a\\..\\..\\x.csv", "a/../../x.csv", "~/x.csv", "C:x.csv")) {
    expect_error(own("check_below")(path), class = "rollingledger_error_brief", info = path)
  }
  for (path in c("x.csv", "a/x.csv", "a.b/x..csv", "..a/x")) expect_null(own("check_below")(path))
})

test_that("where processes cannot be copied the page works answers out itself, and asks plainly", {
  withr::local_options(rollingledger.explore_apart = 0)
  x <- ledger(demo_fares[1:200, ], on = c(sailed = "sailed_on"))
  namespace <- asNamespace("rollingledger")
  was <- own("on_unix")
  set <- function(value) {
    unlockBinding("on_unix", namespace)
    assign("on_unix", value, namespace)
    lockBinding("on_unix", namespace)
  }
  set(function() FALSE)
  withr::defer(set(was))
  expect_false(own("can_work_apart")())
  expect_null(own("start_worker")(list(ledger = x)))
  expect_s3_class(explore_app(x), "shiny.appobj")
})

test_that("the batch file calls the command as its first line does", {
  folder <- testthat::test_path("..", "..", "exec")
  skip_if_not(dir.exists(folder))
  batch <- readLines(file.path(folder, "rolling-ledger.bat"))
  first <- readLines(file.path(folder, "rolling-ledger"), 1)
  flags <- regmatches(first, gregexpr("--[a-z-]+(=[A-Z]+)?", first))[[1]]
  expect_gt(length(flags), 1)
  call <- grep("^Rscript", batch, value = TRUE)
  for (flag in flags) expect_match(call, flag, fixed = TRUE)
  for (set in c("R_ENVIRON_USER", "R_ENABLE_JIT=0")) {
    expect_match(first, set, fixed = TRUE)
    expect_match(batch, paste("set", set), fixed = TRUE, all = FALSE)
  }
  # All arguments go on, and the status comes back.
  expect_match(call, "\"%~dp0rolling-ledger\" %[*]$")
  expect_identical(batch[length(batch)], "exit /b %ERRORLEVEL%")
  expect_true(all(nchar(batch) < 100))
})
