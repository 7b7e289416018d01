# Runs the command in this process; gives what it printed, what it said, and its status.
command <- function(...) {
  said <- withr::local_tempfile()
  con <- file(said, "w")
  sink(con, type = "message")
  on.exit({ sink(type = "message"); close(con) })
  out <- utils::capture.output(status <- rollingledger:::cli_main(c(...)))
  sink(type = "message")
  close(con)
  on.exit()
  list(out = out, said = readLines(said), status = status)
}

fares_csv <- c("sailed,booked,route,fare", "2026-01-30,2026-01-02,Oysterby,10.10",
               "2026-01-31,2026-01-31,Wickholm,20.25",
               "2026-02-01,2026-01-20,Oysterby,-5.00", "x,2026-01-20,Oysterby,1.00",
               "2026-04-10,2026-04-09,Wickholm,7.00")
