# Rounds of a random test: few in `make test`; all of them, or a sixth, in the targets.
rounds <- function(few, all) {
  how <- Sys.getenv("ROLLINGLEDGER_ALL_ROUNDS")
  if (how == "few") return(few)
  if (how == "some" && is.numeric(all)) max(few, round(all / 6)) else if (nzchar(how)) all else few
}

# Whether so many are tried that chance says little.
all_rounds <- function() !Sys.getenv("ROLLINGLEDGER_ALL_ROUNDS") %in% c("", "few", "some")
