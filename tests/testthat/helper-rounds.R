# Rounds of a random test: few in `make test`, all of them in the targets. Some are all where few
# are a sixth already, and otherwise a sixth, at most four times the few.
rounds <- function(few, all) {
  how <- Sys.getenv("ROLLINGLEDGER_ALL_ROUNDS")
  if (how %in% c("", "few")) return(few)
  if (how == "some" && is.numeric(all) && few < all / 6) min(round(all / 6), 4 * few) else all
}

# Whether so many are tried that chance says little.
all_rounds <- function() !Sys.getenv("ROLLINGLEDGER_ALL_ROUNDS") %in% c("", "few", "some")
