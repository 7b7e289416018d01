# Who may open the page: this machine alone, unless a host is told; then whoever has the address
# with its token.

loopback_hosts <- c("127.0.0.1", "localhost", "::1")

# A token that cannot be guessed: 128 bits from the system's source of random numbers.
new_token <- function() {
  source <- "/dev/urandom"
  bytes <- if (file.exists(source)) {
    con <- file(source, "rb", raw = TRUE)
    on.exit(close(con))
    readBin(con, "raw", 16L)
  } else {
    rlang::check_installed("openssl", reason = "to make a token for a page that others can open.")
    openssl::rand_bytes(16L)
  }
  paste(format(bytes), collapse = "")
}

# Why a request is refused: a text, or NULL. A page of another site could make a browser ask this
# one, by a name of its own or from its own script: neither the host nor the origin would then be
# this page's. `search` is the query of the page's address.
request_problem <- function(request, token, search = request$QUERY_STRING) {
  host <- request$HTTP_HOST %||% ""
  name <- sub("^\\[(.*)\\].*$", "\\1", sub(":[0-9]+$", "", host))
  if (is.null(token) && nzchar(host) && !name %in% loopback_hosts)
    return("This page is for the machine it runs on.")
  origin <- request$HTTP_ORIGIN
  if (!is.null(origin) && !identical(sub("^https?://", "", origin), host))
    return("This page takes nothing from other pages.")
  if (is.null(token) || same_text(shiny::parseQueryString(search %||% "")$token, token))
    return(NULL)
  "This page needs the token of its address."
}

# Compared in a time that does not tell how much of it is right.
same_text <- function(given, token) {
  if (!rlang::is_string(given)) return(FALSE)
  a <- utf8ToInt(given)
  b <- utf8ToInt(token)
  length(a) == length(b) && sum(bitwXor(a, b)) == 0
}

# What the browser is told: nothing comes from elsewhere. It stands in the page, and in its heads.
content_policy <- paste0(
  "default-src 'self'; script-src 'self' 'unsafe-inline' 'unsafe-eval'; ",
  "style-src 'self' 'unsafe-inline'; ",
  "img-src 'self' data:; font-src 'self' data:; connect-src 'self' ws: wss:; object-src 'none'; ",
  "base-uri 'none'; form-action 'none'")

# The heads of what is sent for the page itself: no other page shows it within itself, nothing is
# told to pages that it leads to, and nothing of it is kept by the browser.
page_heads <- list(
  "Content-Security-Policy" = paste0(content_policy, "; frame-ancestors 'none'"),
  "X-Frame-Options" = "DENY", "Referrer-Policy" = "no-referrer",
  "X-Content-Type-Options" = "nosniff", "Cache-Control" = "no-store")

# An app that sends them with every answer of its own.
with_page_heads <- function(app) {
  answer <- app$httpHandler
  app$httpHandler <- function(request) {
    out <- answer(request)
    if (inherits(out, "httpResponse")) out$headers <- utils::modifyList(out$headers, page_heads)
    out
  }
  app
}
