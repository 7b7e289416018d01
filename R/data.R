#' Demo ledger: fares of Saltmarsh Ferries
#'
#' Tickets sold by a made-up ferry line with six routes between made-up places, sailed from 1
#' January 2023 to 17 September 2026, a Thursday, so that the week, the month, the quarter and the
#' fiscal year (from 1 April) are all unfinished. Seasonal; Tern Head grows and Oysterby shrinks; a
#' storm stopped all sailings from 20 to 26 January 2025. One ticket, T060000, was entered twice.
#'
#' The same rows are in `system.file("extdata", "fares.csv.gz", package = "rollingledger")`, with
#' five more that cannot be used: a missing date, a date that does not exist, an amount that is text
#' and two dates after the last day.
#'
#' @format A data frame of 150,000 rows, one per ticket or refund, in order of booking
#'   but for the ticket that was entered a second time:
#' \describe{
#'   \item{ticket}{text, number of the ticket, "T000001" onwards} \item{booked_on}{Date, day on
#'   which the ticket was paid, or the refund paid back} \item{sailed_on}{Date, day of the sailing}
#'   \item{route}{text, the far end of the route: six places} \item{fare_class}{text, "foot",
#'   "bicycle", "car" or "van"} \item{channel}{text, "web", "app", "quay" or "agent"}
#'   \item{account}{text of six digits, leading zeros included; see [demo_accounts]}
#'   \item{passengers}{whole number of people, 0 for a refund} \item{fare}{double, in euros and
#'   cents; negative for a refund}
#' }
#' @source Made up; the seeded script is `data-raw/demo.R` in the sources.
"demo_fares"

#' Demo lookup: accounts of Saltmarsh Ferries
#'
#' Three accounts of [demo_fares] are missing from it.
#'
#' @format A data frame, one row per account:
#' \describe{
#'   \item{account}{text of six digits} \item{holder}{text, name of the holder}
#'   \item{household}{text, number of the household, shared by several accounts} \item{kind}{text,
#'   "private", "business" or "school"} \item{town}{text, where the holder lives}
#' }
#' @source Made up; `data-raw/demo.R`.
"demo_accounts"

#' Demo table: season passes of Saltmarsh Ferries
#'
#' @format A data frame of 900 rows, one per pass:
#' \describe{
#'   \item{pass}{text, number of the pass} \item{account}{text of six digits, see [demo_accounts]}
#'   \item{route}{text, the route it is good for} \item{from_on}{Date, first day}
#'   \item{until_on}{Date, day on which it ended, NA where it goes on} \item{price}{double, euros}
#' }
#' @source Made up; `data-raw/demo.R`.
"demo_passes"

#' Demo table: tank readings of Saltmarsh Ferries
#'
#' Sparse: 240 days of about 1,350.
#'
#' @format A data frame of 480 rows, one per reading:
#' \describe{
#'   \item{read_on}{Date, day of the reading} \item{vessel}{text, "Sandpiper" or "Curlew"}
#'   \item{litres}{double, fuel in the tank}
#' }
#' @source Made up; `data-raw/demo.R`.
"demo_fuel"

#' Demo table: income targets of Saltmarsh Ferries
#'
#' One target was never set: Tern Head in February 2024.
#'
#' @format A data frame, one row per route and month:
#' \describe{
#'   \item{route}{text, see [demo_fares]} \item{month}{text, such as "2026-09"}
#'   \item{target}{double, income aimed at, euros}
#' }
#' @source Made up; `data-raw/demo.R`.
"demo_targets"

#' Demo table: what the bank received from Saltmarsh Ferries
#'
#' The sum of the fares booked on each day, but for four days that differ and one that is missing.
#'
#' @format A data frame, one row per day:
#' \describe{
#'   \item{received_on}{Date, the day} \item{batch}{text, number of the deposit}
#'   \item{amount}{double, euros and cents}
#' }
#' @source Made up; `data-raw/demo.R`.
"demo_deposits"
