# Ways to ClickHouse: an address, whose answers come over HTTP. It is only read, and each statement
# takes along the settings under which no answer is a part of one.

# What an address may say beside a table, each a whole number: how many shards there must be, for
# how many seconds a statement may run, how many bytes of memory it may take on each server.
clickhouse_limits <- c(shards = 1, seconds = 1, memory = 1e6)

# Settings of every statement, where the server knows them. Without them a server may be set to
# leave out shards that are down, to stop at so many rows or seconds and give what it has, to count
# what is distinct roughly, or to take what lags behind.
clickhouse_settings <- c(
  skip_unavailable_shards = "0", fallback_to_stale_replicas_for_distributed_queries = "0",
  distributed_group_by_no_merge = "0", max_parallel_replicas = "1", load_balancing = "in_order",
  read_overflow_mode = "throw", read_overflow_mode_leaf = "throw",
  group_by_overflow_mode = "throw", sort_overflow_mode = "throw",
  result_overflow_mode = "throw", timeout_overflow_mode = "throw",
  timeout_overflow_mode_leaf = "throw", set_overflow_mode = "throw",
  distinct_overflow_mode = "throw", transfer_overflow_mode = "throw",
  join_overflow_mode = "throw", count_distinct_implementation = "uniqExact",
  decimal_check_overflow = "1", aggregate_functions_null_for_empty = "0",
  transform_null_in = "0", extremes = "0", totals_mode = "after_having_exclusive",
  prefer_column_name_to_alias = "0", wait_end_of_query = "1",
  # A server that works says so all the while; one that says nothing is gone.
  receive_timeout = "30", send_timeout = "30", connect_timeout = "10",
  cancel_http_readonly_queries_on_client_close = "1", max_query_size = "1000000000",
  max_ast_elements = "10000000", max_expanded_ast_elements = "10000000",
  max_ast_depth = "100000"
)

# Of these the ones by which an answer would be a part of one, or rough, or another.
clickhouse_needed <- setdiff(names(clickhouse_settings), c(
  "receive_timeout", "send_timeout", "connect_timeout", "wait_end_of_query",
  "cancel_http_readonly_queries_on_client_close", "max_query_size", "max_ast_elements",
  "max_expanded_ast_elements", "max_ast_depth", "load_balancing", "max_parallel_replicas",
  "fallback_to_stale_replicas_for_distributed_queries"))

clickhouse_connector <- function(at, call) {
  need_packages("curl", "ask ClickHouse", call)
  limits <- clickhouse_limits_of(at, call)
  function() {
    con <- new_http_connection(
      sprintf("%s://%s:%d", if (at$secure %||% "no" == "yes") "https" else "http",
              if (nzchar(at$host)) at$host else "localhost", at$port %||% 8123L),
      at$path, at$user %||% "", Sys.getenv("CLICKHOUSE_PASSWORD"), limits$seconds)
    con$shards <- limits$shards
    asks <- function(text) {
      tryCatch(http_rows(con, text), interrupt = function(e) stop_as_interrupted(),
               error = function(e) {
        refuse("connection", c(
          sprintf("There is no connection to ClickHouse %s.", at$path),
          i = engine_message(conditionMessage(e)),
          i = "A password is taken from CLICKHOUSE_PASSWORD."), call = call)
      })
    }
    known <- asks("SELECT name, value FROM system.settings")
    con$settings <- settings_that_apply(known, limits, call)
    con
  }
}

clickhouse_limits_of <- function(at, call) {
  limits <- list(seconds = 600)
  for (name in names(clickhouse_limits)) {
    if (is.null(at[[name]])) next
    number <- suppressWarnings(as.double(at[[name]]))
    least <- clickhouse_limits[[name]]
    if (is.na(number) || number < least || number != round(number)) {
      refuse("source", sprintf("%s=%s must be a whole number of at least %.0f.", name, at[[name]],
                               least), call = call)
    }
    limits[[name]] <- number
  }
  if (!(at$secure %||% "no") %in% c("yes", "no"))
    refuse("source", "secure= must be yes or no.", call = call)
  limits
}

# A user who may read only, and change no settings, must have those that are needed.
settings_that_apply <- function(known, limits, call) {
  now <- stats::setNames(known$value, known$name)
  asked <- c(clickhouse_settings, max_execution_time = exact_digits(limits$seconds),
             if (!is.null(limits$memory)) c(max_memory_usage = exact_digits(limits$memory)))
  asked <- asked[names(asked) %in% c(names(now), "wait_end_of_query")]
  if (now["readonly"] %in% "1") {
    differs <- intersect(clickhouse_needed, names(asked)[asked != now[names(asked)]])
    if (length(differs) > 0) {
      refuse("connection", c(
        sprintf("The user may not change settings, and %s is %s.", differs[1], now[[differs[1]]]),
        i = sprintf("So an answer could be incomplete. Have it set to %s, or readonly to 2.",
                    asked[[differs[1]]])), call = call)
    }
    return(structure(c(wait_end_of_query = "1"), fixed = TRUE))
  }
  c(asked, if (!now["readonly"] %in% "2") c(readonly = "2"))
}

clickhouse_engine <- function(connect, at) {
  engine <- new_engine(connect(), http_transport, clickhouse_dialect,
                       sprintf("ClickHouse %s", at$path), connect = connect)
  engine$watched <- list()
  engine
}
