# Columns as a ledger keeps them, narrow and in order of day:
#   code8, code16, code32   member numbers from 0 into `members`
#   exact32, exact64        amounts times 10^decimals, as whole numbers
#   real                    amounts that four decimals cannot hold exactly
#   day                     days since 1970-01-01
# Each is list(kind, data, ...); text is touched here and never again.

# Encodes one column of the source; `order` is what core_sort_by_day() gave.
encode_column <- function(values, order) {
  if (inherits(values, "integer64")) return(encode_integer64(values, order))
  if (inherits(values, "Date")) return(day_column(day_numbers(values), order))
  if (inherits(values, "POSIXt")) values <- format(as.POSIXct(values), "%Y-%m-%d %H:%M:%S %Z")
  if (is.factor(values)) return(factor_column(values, order))
  if (is.character(values)) return(text_column(values, order))
  # a column without a single value
  if (is.logical(values) && all(is.na(values))) values <- as.double(values)
  if (is.logical(values)) return(code_column(as.integer(values), c(FALSE, TRUE), order))
  if (is.numeric(values)) return(amount_column(as.double(values), order))
  NULL  # lists and the like: named in ledger$left_out and refused where they are used
}

text_column <- function(values, order) {
  encoded <- attr(values, "encoded") %||% core_encode_text(values, core_threads())
  members <- utf8_members(encoded$members)
  codes <- encoded$codes
  if (anyDuplicated(members)) {  # one text in two encodings
    first <- match(members, members)
    codes <- (match(first, unique(first)) - 1L)[codes + 1L]
    members <- unique(members)
  }
  if (order$used < length(codes)) {  # members of rows set aside are no members
    used <- codes[core_source_rows(order$sorter, core_threads())]
    held <- tabulate(used + 1L, length(members)) > 0
    codes <- ifelse(held, cumsum(held) - 1L, NA_integer_)[codes + 1L]
    members <- members[held]
  }
  packed_codes(codes, members, order)
}

# Text in UTF-8. Bytes that are not, and say no encoding, are read as Latin-1 and said; R would
# write them as <e9>, which may be the text of another member.
utf8_members <- function(members) {
  odd <- which(Encoding(members) %in% c("unknown", "bytes") & !is.na(members) &
                 !validUTF8(members))
  out <- members
  if (length(odd) > 0) {
    bytes <- members[odd]
    Encoding(bytes) <- "latin1"
    out[odd] <- bytes
    tell(paste("Text without a stated encoding holds bytes that are not UTF-8, such as in",
               sprintf("\"%s\": they are read as Latin-1.", enc2utf8(bytes[1]))))
  }
  plain <- Encoding(out) == "unknown"
  Encoding(out[plain]) <- "UTF-8"
  enc2utf8(out)
}

factor_column <- function(values, order) {
  known <- utf8_members(levels(values))
  members <- factor(known, levels = known, ordered = is.ordered(values))
  code_column(as.integer(values) - 1L, members, order)
}

# Member numbers from 0, NA for missing, which becomes a member of its own.
code_column <- function(codes, members, order) {
  if (is.logical(members)) codes <- codes + 0L
  absent <- is.na(codes)
  if (any(absent)) {
    codes[absent] <- length(members)
    # What only rows set aside lack is no member.
    if (order$used == length(codes) ||
        any(absent[core_source_rows(order$sorter, core_threads())])) {
      members[length(members) + 1L] <- NA  # keeps factors factors and dates dates
    } else codes[absent] <- 0L
  }
  packed_codes(codes, members, order)
}

packed_codes <- function(codes, members, order) {
  width <- if (length(members) <= 256) 1L else if (length(members) <= 65536) 2L else 4L
  data <- core_put_codes(codes, order$sorter, width, core_threads())
  list(kind = paste0("code", 8L * width), data = data, members = members)
}

day_column <- function(days, order) {
  list(kind = "day", has_missing = anyNA(days), decimals = 0L,
       data = core_put_codes(days, order$sorter, 4L, core_threads()))
}

amount_column <- function(values, order) {
  scale <- core_amount_scale(values)
  kind <- if (!scale$exact) "real" else if (scale$fits32) "exact32" else "exact64"
  list(kind = kind, decimals = scale$decimals, has_missing = scale$has_missing,
       sum_of_sizes = scale$sum_of_sizes,
       data = core_put_amounts(values, order$sorter, kind, scale$decimals, core_threads()))
}

# Whole numbers `of_64_bits`; `large` where a double cannot tell them all apart.
encode_integer64 <- function(values, order) {
  bits <- as.double(unclass(values))
  column <- list(kind = "exact64", decimals = 0L, has_missing = TRUE,
                 sum_of_sizes = core_sum_of_sizes(bits),
                 data = core_put_bits(bits, order$sorter, core_threads()))
  column$of_64_bits <- TRUE
  column$large <- any(abs(core_amounts_back(column)) >= 2^53, na.rm = TRUE)
  column
}

is_code_column <- function(column) startsWith(column$kind, "code")

# Identifiers that only digits hold: they are told apart, shown and compared as text.
is_large <- function(column) isTRUE(column$large)

# Whether a column holds no value at all, and so nothing says what it would hold.
all_missing <- function(column) {
  if (is_code_column(column)) all(is.na(column$members))
  else if (column$kind == "day") all(is.na(column$data))
  else all(is.na(core_amounts_back(column)))
}

# The column as member numbers, for grouping: amounts and days are numbered by their values, large
# whole numbers by their digits.
grouping_column <- function(column) {
  if (is_code_column(column)) return(column)
  # The entries are in order already.
  standing <- core_sort_by_day(integer(length(column$data)), core_threads())
  if (is_large(column)) {
    values <- core_whole_text(column$data)
    members <- sort(unique(values), method = "radix")
    return(code_column(match(values, members) - 1L, members, standing))
  }
  told <- core_number_members(told_apart_column(column))
  members <- if (column$kind == "day") as_date(told$values) else told$values
  if (told$has_missing) members[length(members) + 1L] <- NA
  packed_codes(told$codes, members, standing)
}

# Amounts that are not exact, as they are told apart and compared: by 15 digits, so that 0.1 + 0.2
# is 0.3. Their sums are those of all digits.
told_apart_column <- function(column) {
  if (column$kind == "real") column$data <- core_rounded_to_15(column$data)
  column
}

# Place of each member in the order in which people expect them; a missing member comes last.
# Text is ordered by its bytes, so that the order is the same on every machine.
member_ranks <- function(members) {
  at <- if (is.factor(members)) order(as.integer(members)) else order(members, method = "radix")
  ranks <- integer(length(members))
  ranks[at] <- seq_along(at)
  ranks
}
