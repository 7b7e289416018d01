# Makes the demo ledger of Saltmarsh Ferries, a made-up ferry line: six tables, as R data in
# data/ and as CSV in inst/extdata/. Run from the package folder: Rscript data-raw/demo.R

set.seed(20260917, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
first_day <- as.Date("2023-01-01")
last_day <- as.Date("2026-09-17")
days <- seq(first_day, last_day, by = 1)
storm <- seq(as.Date("2025-01-20"), as.Date("2025-01-26"), by = 1)

routes <- data.frame(
  route = c("Gull Rock", "Heron Isle", "Marram Bay", "Oysterby", "Tern Head", "Wickholm"),
  share = c(0.26, 0.20, 0.17, 0.15, 0.08, 0.14),
  yearly = c(1.02, 1.00, 1.04, 0.82, 1.32, 0.98),  # Oysterby shrinks, Tern Head grows
  winter = c(0.55, 0.25, 0.60, 0.70, 0.50, 0.85),  # of the summer's traffic
  base = c(9.5, 14, 7.5, 11, 18.5, 6)
)
classes <- data.frame(class = c("foot", "bicycle", "car", "van"), share = c(0.58, 0.12, 0.26, 0.04),
                      price = c(1, 1.35, 3.6, 5.2))
channels <- c("web", "app", "quay", "agent")

# Sailings and tickets ---------------------------------------------------------------------------
year_part <- (as.integer(format(days, "%j")) - 1) / 365
summer <- (1 - cos(2 * pi * (year_part - 15 / 365))) / 2
weekend <- ifelse(format(days, "%u") %in% c("5", "6", "7"), 1.35, 0.85)
elapsed <- as.numeric(days - first_day) / 365.25
expected <- sapply(seq_len(nrow(routes)), function(r) {
  with(routes[r, ], share * yearly^elapsed * (winter + (1 - winter) * summer) * weekend)
})
expected[days %in% storm, ] <- 0
sold <- 146988
cell <- sample(length(expected), sold, TRUE, prob = expected)
sailed_on <- days[(cell - 1) %% length(days) + 1]
route <- (cell - 1) %/% length(days) + 1

class <- sample(nrow(classes), sold, TRUE, classes$share)
web_grows <- as.numeric(sailed_on - first_day) / as.numeric(last_day - first_day)
channel <- ifelse(runif(sold) < 0.15 + 0.25 * web_grows, 2L,
                  sample(c(1L, 3L, 4L), sold, TRUE, c(0.45, 0.40, 0.15)))
ahead <- ifelse(channel == 3L, 0, pmin(rgeom(sold, 0.07), 120))
booked_on <- sailed_on - ahead
account <- sample(sprintf("%06d", sort(sample(999999, 5200))), sold, TRUE, prob = (1:5200)^-0.6)
passengers <- ifelse(class == 1, 1L + rpois(sold, 0.7),
                     ifelse(class == 2, 1L, 1L + rpois(sold, 1.4)))
season <- ifelse(format(sailed_on, "%m") %in% c("06", "07", "08"), 1.2, 1)
risen <- 1.03^(as.integer(format(sailed_on, "%Y")) - 2023)
per_head <- 0.55 + 0.45 * passengers
fare <- routes$base[route] * classes$price[class] * season * risen * per_head
fare <- round(round(fare / 0.05) * 0.05, 2)

tickets <- data.frame(booked_on, sailed_on, route = routes$route[route],
                      fare_class = classes$class[class],
                      channel = channels[channel], account, passengers, fare)

# Refunds: negative amounts, entered after the booking, without passengers
refunds <- tickets[sample(nrow(tickets), 3011), ]
refunds$booked_on <- pmin(refunds$booked_on + 1 + rpois(nrow(refunds), 3), last_day)
refunds$passengers <- 0L
refunds$fare <- -refunds$fare
fares <- rbind(tickets, refunds)
fares <- fares[order(fares$booked_on, fares$sailed_on), ]
fares$ticket <- sprintf("T%06d", seq_len(nrow(fares)))
fares <- fares[c("ticket", "booked_on", "sailed_on", "route", "fare_class", "channel", "account",
                 "passengers", "fare")]
twice <- fares[60000, ]  # a ticket that was entered twice; usable, so it counts until it is found
fares <- rbind(fares[1:60012, ], twice, fares[60013:nrow(fares), ])
rownames(fares) <- NULL
stopifnot(nrow(fares) == 150000)

# The small tables -------------------------------------------------------------------------------
known <- sort(unique(fares$account))
known <- known[-c(17, 901, 3033)]  # three accounts are missing from the lookup
accounts <- data.frame(
  account = known,
  holder = paste(
    sample(c("Alder", "Birk", "Cove", "Dune", "Ebb", "Fenn", "Gale", "Holm", "Inlet", "Jetty"),
           length(known), TRUE),
                 sample(c("Anna", "Ben", "Cleo", "Dan", "Edda", "Finn", "Gro", "Hugo", "Iris",
                          "Jon"), length(known), TRUE)),
  household = sprintf("H%04d", sample(3400, length(known), TRUE)),
  kind = sample(c("private", "business", "school"), length(known), TRUE, c(0.86, 0.11, 0.03)),
  town = sample(c("Saltmarsh", "Gull Rock", "Heron Isle", "Marram Bay", "Oysterby", "Wickholm"),
                length(known), TRUE)
)

from_on <- sort(sample(days, 900, TRUE))
until_on <- from_on + sample(c(30, 91, 182, 365), 900, TRUE, c(0.3, 0.3, 0.15, 0.25))
until_on[sample(900, 60)] <- NA  # passes that go on until they are ended
passes <- data.frame(pass = sprintf("P%04d", 1:900), account = sample(known, 900, TRUE),
                     route = sample(routes$route, 900, TRUE), from_on, until_on,
                     price = round(
                       as.numeric(ifelse(is.na(until_on), 365, until_on - from_on)) * 0.9, 2))

readings <- sort(sample(days, 240))
fuel <- data.frame(
  read_on = rep(readings, each = 2), vessel = rep(c("Sandpiper", "Curlew"), 240),
  litres = round(
    pmax(400,
         c(rbind(6000 + 2500 * sin(seq_along(readings)), 8000 + 3000 * cos(seq_along(readings)))) +
           rnorm(480, 0, 300)), 1)
)

month_of <- function(day) format(day, "%Y-%m")
sums <- aggregate(fare ~ route + month,
                  data.frame(fares[c("route", "fare")], month = month_of(fares$sailed_on)), sum)
targets <- data.frame(route = sums$route, month = sums$month,
                      target = round(sums$fare * rnorm(nrow(sums), 1.02, 0.06), -2))
# one target was never set
targets <- targets[!(targets$route == "Tern Head" & targets$month == "2024-02"), ]
rownames(targets) <- NULL

banked <- aggregate(fare ~ booked_on, fares, sum)
deposits <- data.frame(received_on = banked$booked_on,
                       batch = sprintf("B%05d", seq_len(nrow(banked))),
                       amount = round(banked$fare, 2))
off <- c(77, 410, 803, 1100)
deposits$amount[off] <- round(deposits$amount[off] + c(-10, 0.9, 250, -36.45), 2)
deposits <- deposits[-640, ]  # a day the bank does not have
rownames(deposits) <- NULL

# Out --------------------------------------------------------------------------------------------
tables <- list(demo_fares = fares, demo_accounts = accounts, demo_passes = passes, demo_fuel = fuel,
               demo_targets = targets, demo_deposits = deposits)
for (name in names(tables)) {
  assign(name, tables[[name]])
  save(list = name, file = file.path("data", paste0(name, ".rda")), compress = "xz", version = 3)
}

as_text <- function(table) as.data.frame(
  lapply(table, function(x) if (is.numeric(x)) x else as.character(x)))
money <- function(x) formatC(x, format = "f", digits = 2)
csv <- as_text(fares)
csv$fare <- money(fares$fare)
bad <- csv[c(20011, 48007, 90203, 110500, 131072), ]
bad$ticket <- sprintf("T%06d", 900001:900005)
bad$sailed_on[1] <- NA                                # a missing date
bad$sailed_on[2] <- "2025-02-30"                      # a date that does not exist
bad$fare[3] <- "see note"                             # an amount that is text
bad$sailed_on[4:5] <- c("2062-08-03", "2036-04-11")   # dated after the last day
at <- c(20011, 48007, 90203, 110500, 131072)
csv <- rbind(csv, bad)[order(c(seq_len(nrow(csv)), at + 0.5)), ]

write_csv_gz <- function(table, name) {
  file <- gzfile(file.path("inst", "extdata", name), "wb", compression = 9)
  on.exit(close(file))
  write.csv(table, file, row.names = FALSE, na = "", quote = FALSE)
}
# Where zopfli is there, the large ones are packed as small as gzip's format allows.
packed_smaller <- function(name) {
  if (!nzchar(Sys.which("zopfli"))) return(invisible())
  path <- file.path("inst", "extdata", name)
  system2("gzip", c("-d", path))
  system2("zopfli", c("--i15", sub("[.]gz$", "", path)))
  unlink(sub("[.]gz$", "", path))
}

write_csv_gz(csv, "fares.csv.gz")
write_csv_gz(as_text(accounts), "accounts.csv.gz")
write_csv_gz(transform(as_text(passes), price = money(price)), "passes.csv.gz")
write_csv_gz(as_text(fuel), "fuel.csv.gz")
write_csv_gz(as_text(targets), "targets.csv.gz")
write_csv_gz(transform(as_text(deposits), amount = money(amount)), "deposits.csv.gz")
for (name in c("fares.csv.gz", "accounts.csv.gz")) packed_smaller(name)
