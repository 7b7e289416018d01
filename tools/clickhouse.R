# ClickHouse servers of our own for tests, benchmarks and drills: each from a folder of its own with
# its configuration, on free ports of loopback, run by an ordinary user and stopped by its own id.
# Together they are a cluster "ferries": a shard each.

# list(ports, hosts, folder, pid(i), address(table, i), run(text, i, rows), stop_shard(i, how),
# start_shard(i), stop()); NULL where ClickHouse is not installed. `profiles` and `users` are XML of
# further ones; `inside` is what a shard is started by, such as `ip netns exec NAME`; `zones` are
# time zones of their clocks.
start_clickhouse <- function(shards = 2L, profiles = "", users = "", hosts = NULL,
                             inside = list(), zones = rep("UTC", shards)) {
  program <- c(Sys.which(c("clickhouse-server", "clickhouse")), "/usr/sbin/clickhouse-server")
  program <- unname(program[nzchar(program) & file.exists(program)])
  if (length(program) == 0) return(NULL)
  folder <- tempfile("rolling-ledger-clickhouse-", tmpdir = "/tmp")
  dir.create(folder, mode = "0755")
  hosts <- hosts %||% rep("127.0.0.1", shards)
  ports <- matrix(free_ports(3L * shards), nrow = shards,
                  dimnames = list(NULL, c("http", "tcp", "between")))
  pids <- rep(NA_integer_, shards)
  for (i in seq_len(shards)) {
    write_clickhouse_settings(file.path(folder, i), i, hosts, ports, profiles, users, zones[i])
  }
  as_user <- character()
  if (identical(Sys.info()[["effective_user"]], "root")) {
    as_user <- c("setpriv", "--reuid=nobody", "--clear-groups")
    system2("chown", c("-R", "nobody", folder))
  }
  if (basename(program[1]) == "clickhouse") program <- c(program[1], "server")
  start <- function(i) {
    at <- file.path(folder, i)
    command <- c(if (length(inside) >= i) inside[[i]], as_user, program,
                 paste0("--config-file=", file.path(at, "config.xml")))
    # The shell tells the id of what it becomes.
    line <- sprintf("cd %s && echo $$ > pid && exec %s > out.log 2>&1 < /dev/null", shQuote(at),
                    paste(shQuote(command), collapse = " "))
    system2("setsid", c("sh", "-c", shQuote(line)), wait = FALSE)
    wait_until(function() clickhouse_answers(hosts[i], ports[i, "http"]), 30,
               sprintf("ClickHouse did not start: see %s/error.log", at))
    pids[i] <<- as.integer(readLines(file.path(at, "pid")))
    invisible()
  }
  stop_shard <- function(i, how = "KILL") {
    if (is.na(pids[i])) return(invisible())
    tools::pskill(pids[i], if (how == "KILL") tools::SIGKILL else tools::SIGTERM)
    wait_until(function() !is_running(pids[i]), 30, "ClickHouse did not stop.")
    pids[i] <<- NA_integer_
  }
  for (i in seq_len(shards)) start(i)
  list(ports = ports, hosts = hosts, folder = folder, start_shard = start,
       stop_shard = stop_shard, pid = function(i) pids[i],
       address = function(table, i = 1L) {
         sprintf("clickhouse://default@%s:%d/ferries?table=%s", hosts[i], ports[i, "http"], table)
       },
       run = function(text, i = 1L, rows = NULL, database = "default") {
         clickhouse_run(hosts[i], ports[i, "http"], text, rows, database)
       },
       stop = function() {
         for (i in seq_len(shards)) try(stop_shard(i))
         unlink(folder, recursive = TRUE)
       })
}

`%||%` <- function(a, b) if (is.null(a)) b else a

is_running <- function(pid) {
  state <- tryCatch(readLines(sprintf("/proc/%d/stat", pid)), error = function(e) "",
                    warning = function(w) "")
  nzchar(state[1]) && !grepl("^[0-9]+ \\(.*\\) Z", state[1])
}

wait_until <- function(done, seconds, otherwise) {
  limit <- Sys.time() + seconds
  while (!isTRUE(done())) {
    if (Sys.time() > limit) stop(otherwise)
    Sys.sleep(0.05)
  }
}

clickhouse_answers <- function(host, port) {
  tryCatch(suppressWarnings(curl::curl_fetch_memory(
    sprintf("http://%s:%d/ping", host, port),
    handle = curl::new_handle(timeout = 2)))$status_code == 200, error = function(e) FALSE)
}

# Runs a statement; `rows` is what is inserted, as text or a file's bytes.
clickhouse_run <- function(host, port, text, rows = NULL, database = "default") {
  url <- sprintf("http://%s:%d/?database=%s&query=%s", host, port, database,
                 curl::curl_escape(text))
  body <- if (is.raw(rows)) rows else charToRaw(enc2utf8(paste(c(rows, ""), collapse = "\n")))
  handle <- curl::new_handle()
  curl::handle_setopt(handle, post = TRUE, postfieldsize = length(body), postfields = body)
  got <- curl::curl_fetch_memory(url, handle = handle)
  said <- rawToChar(got$content)
  Encoding(said) <- "UTF-8"
  if (got$status_code != 200) stop(said, call. = FALSE)
  said
}

write_clickhouse_settings <- function(folder, i, hosts, ports, profiles, users, zone) {
  dir.create(file.path(folder, "data"), recursive = TRUE)
  shard <- function(k) {
    sprintf("<shard><replica><host>%s</host><port>%d</port></replica></shard>", hosts[k],
            ports[k, "tcp"])
  }
  cluster <- paste(vapply(seq_along(hosts), shard, ""), collapse = "")
  writeLines(c(
    "<yandex>",
    sprintf("<logger><level>warning</level><log>%s/server.log</log>", folder),
    sprintf("<errorlog>%s/error.log</errorlog></logger>", folder),
    sprintf("<http_port>%d</http_port><tcp_port>%d</tcp_port>", ports[i, "http"], ports[i, "tcp"]),
    sprintf("<interserver_http_port>%d</interserver_http_port>", ports[i, "between"]),
    sprintf("<listen_host>%s</listen_host>", hosts[i]),
    sprintf("<path>%s/data/</path><tmp_path>%s/data/tmp/</tmp_path>", folder, folder),
    sprintf("<user_files_path>%s/data/files/</user_files_path>", folder),
    "<users_config>users.xml</users_config><default_profile>default</default_profile>",
    sprintf("<default_database>default</default_database><timezone>%s</timezone>", zone),
    "<mark_cache_size>67108864</mark_cache_size><max_connections>100</max_connections>",
    sprintf("<remote_servers><ferries>%s</ferries></remote_servers>", cluster),
    "</yandex>"), file.path(folder, "config.xml"))
  writeLines(c(
    "<yandex>",
    sprintf("<profiles><default></default>%s</profiles>", profiles),
    "<users><default><password></password><networks><ip>::/0</ip></networks>",
    sprintf("<profile>default</profile><quota>default</quota></default>%s</users>", users),
    "<quotas><default></default></quotas>",
    "</yandex>"), file.path(folder, "users.xml"))
}

# Writes a data frame as a table of a cluster: `name` over `name_here` on each shard, to which rows
# go as `shard` says (from 1). Dates that are all there are plain; what may be missing is Nullable.
put_into_shards <- function(cluster, table, name, shard = NULL, types = list(),
                            kept = "MergeTree() ORDER BY tuple()") {
  shards <- nrow(cluster$ports)
  if (is.null(shard)) shard <- rep_len(seq_len(shards), nrow(table))
  of <- vapply(names(table), function(column) {
    types[[column]] %||% clickhouse_type_of(table[[column]])
  }, "")
  quoted <- function(name) paste0("`", gsub("`", "\\`", gsub("\\", "\\\\", name, fixed = TRUE),
                                            fixed = TRUE), "`")
  columns <- paste(quoted(names(table)), of, collapse = ", ")
  here <- paste0(name, "_here")
  for (i in seq_len(shards)) {
    for (one in c(name, here)) {
      cluster$run(sprintf("DROP TABLE IF EXISTS ferries.%s", quoted(one)), i)
    }
    cluster$run(sprintf("CREATE TABLE ferries.%s (%s) ENGINE = %s", quoted(here), columns, kept), i)
    cluster$run(sprintf("CREATE TABLE ferries.%s (%s) ENGINE = Distributed(ferries, ferries, %s)",
                        quoted(name), columns, quoted(here)), i)
    add_to_shard(cluster, table[shard == i, , drop = FALSE], name, i)
  }
}

# Doubles go as their bytes: as text the last of their digits may be read wrongly.
add_to_shard <- function(cluster, table, name, i) {
  if (nrow(table) == 0) return(invisible())
  quoted <- gsub("`", "\\`", gsub("\\", "\\\\", paste0(name, "_here"), fixed = TRUE), fixed = TRUE)
  described <- strsplit(cluster$run(sprintf("DESCRIBE TABLE ferries.`%s`", quoted), i), "\n")[[1]]
  described <- gsub("\\'", "'", described, fixed = TRUE)
  types <- vapply(strsplit(described, "\t", fixed = TRUE), `[`, "", 2)
  reals <- grepl("Float64", types)
  columns <- unname(lapply(table, tabs_text))
  columns[reals] <- lapply(table[reals], bytes_text)
  stage <- sprintf("stage_%s", basename(tempfile("")))
  of <- sprintf("c%d %s", seq_along(types), ifelse(reals, "Nullable(String)", types))
  cluster$run(sprintf("CREATE TABLE ferries.%s (%s) ENGINE = Memory", stage,
                      paste(of, collapse = ", ")), i)
  cluster$run(sprintf("INSERT INTO ferries.%s FORMAT TabSeparated", stage), i,
              rows = do.call(paste, c(columns, sep = "\t")))
  shown <- ifelse(
    reals, sprintf("CASE WHEN c%1$d IS NULL THEN NULL ELSE reinterpretAsFloat64(unhex(c%1$d)) END",
                   seq_along(types)), sprintf("c%d", seq_along(types)))
  cluster$run(sprintf("INSERT INTO ferries.`%s` SELECT %s FROM ferries.%s", quoted,
                      paste(shown, collapse = ", "), stage), i)
  cluster$run(sprintf("DROP TABLE ferries.%s", stage), i)
}

bytes_text <- function(values) {
  bytes <- matrix(toupper(format(writeBin(as.double(values), raw(), endian = "little"))), nrow = 8)
  text <- do.call(paste0, lapply(1:8, function(i) bytes[i, ]))
  text[is.na(values) & !is.nan(values)] <- "\\N"
  text
}

clickhouse_type_of <- function(values) {
  if (inherits(values, "Date")) return(if (anyNA(values)) "Nullable(Date)" else "Date")
  if (inherits(values, "POSIXt")) return("Nullable(DateTime)")
  if (is.character(values) || is.factor(values)) return("Nullable(String)")
  if (is.logical(values)) return("Nullable(UInt8)")
  if (is.integer(values)) "Nullable(Int32)" else "Nullable(Float64)"
}

tabs_text <- function(values) {
  if (inherits(values, "POSIXt")) values <- format(values, "%s", tz = "UTC")
  if (is.logical(values)) values <- as.integer(values)
  text <- as.character(values)
  if (is.double(values) && !is.object(values)) {
    text <- sprintf("%.15g", values)
    longer <- which(suppressWarnings(as.double(text)) != values)
    text[longer] <- sprintf("%.17g", values[longer])
  }
  text <- tolower_numbers(values, enc2utf8(text))
  for (mark in list(c("\\", "\\\\"), c("\t", "\\t"), c("\n", "\\n"), c("\r", "\\r"))) {
    text <- gsub(mark[1], mark[2], text, fixed = TRUE)
  }
  text[is.na(values) & !is.nan(values_if_number(values))] <- "\\N"
  text
}

values_if_number <- function(values) if (is.double(values)) as.double(values) else 0

# "Inf" and "NaN" are written in small letters there.
tolower_numbers <- function(values, text) if (is.double(values)) tolower(text) else text
