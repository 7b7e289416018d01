# Where the texts of a figure stand when it is drawn at a size: a data frame of label, left, right,
# bottom and top in pixels.
text_boxes <- function(p, width, height) {
  path <- withr::local_tempfile(fileext = ".svg")
  grDevices::svg(path, width / 96, height / 96)
  on.exit(grDevices::dev.off())
  print(p)
  grid::grid.force()
  found <- grid::grid.grep("text|titleGrob", grep = TRUE, global = TRUE, viewports = TRUE)
  boxes <- lapply(found, function(path) {
    grob <- grid::grid.get(path)
    if (!inherits(grob, "text")) return(NULL)
    grid::seekViewport(attr(path, "vpPath"))
    on.exit(grid::upViewport(0))
    boxes_of_text(grob, attr(path, "vpPath"))
  })
  out <- do.call(rbind, boxes)
  out[c("left", "right", "bottom", "top")] <- 96 * out[c("left", "right", "bottom", "top")]
  unique(out[nzchar(trimws(out$label)), ])
}

boxes_of_text <- function(grob, path) {
  labels <- as.character(grob$label)
  labels[is.na(labels)] <- ""
  n <- length(labels)
  each <- function(value) rep_len(value, n)
  gp <- grob$gp
  inches <- function(values, along) grid::convertUnit(values, "inches", along, "location",
                                                      valueOnly = TRUE)
  just <- function(own, numeric_own) {
    if (!is.null(numeric_own)) return(numeric_own)
    c(left = 0, right = 1, centre = 0.5, center = 0.5, bottom = 0, top = 1)[[own]]
  }
  hjust <- each(just(if (grob$just[1] %in% c("left", "right")) grob$just[1] else "centre",
                     grob$hjust))
  vjust <- each(just(if (utils::tail(grob$just, 1) %in% c("top", "bottom"))
    utils::tail(grob$just, 1) else "centre", grob$vjust))
  at <- grid::deviceLoc(grob$x, grob$y, valueOnly = TRUE)
  sizes <- vapply(seq_len(n), function(i) {
    own <- lapply(unclass(gp), function(value) {
      if (length(value) > 1) value[(i - 1L) %% length(value) + 1L] else value
    })
    one <- grid::textGrob(labels[i], gp = do.call(grid::gpar, own))
    c(grid::convertWidth(grid::grobWidth(one), "inches", valueOnly = TRUE),
      grid::convertHeight(grid::grobHeight(one), "inches", valueOnly = TRUE))
  }, c(0, 0))
  turned <- each(grob$rot) %in% c(90, 270)
  wide <- ifelse(turned, sizes[2, ], sizes[1, ])
  high <- ifelse(turned, sizes[1, ], sizes[2, ])
  left <- each(at$x) - ifelse(turned, vjust, hjust) * wide
  bottom <- each(at$y) - ifelse(turned, hjust, vjust) * high
  data.frame(label = labels, left = left, right = left + wide, bottom = bottom,
             top = bottom + high)
}

# What is wrong with where texts stand: beyond the picture, or on each other.
text_faults <- function(boxes, width, height, slack = 1.5) {
  out <- boxes[boxes$left < -slack | boxes$right > width + slack | boxes$bottom < -slack |
                 boxes$top > height + slack, ]
  faults <- sprintf("beyond the picture: %s", out$label)
  for (i in seq_len(nrow(boxes) - 1)) {
    j <- seq.int(i + 1L, nrow(boxes))
    over <- pmin(boxes$right[i], boxes$right[j]) - pmax(boxes$left[i], boxes$left[j])
    up <- pmin(boxes$top[i], boxes$top[j]) - pmax(boxes$bottom[i], boxes$bottom[j])
    touched <- j[over > slack & up > slack]
    faults <- c(faults, sprintf("%s on %s", boxes$label[i], boxes$label[touched]))
  }
  gsub("\n", " ", faults)
}

# Figures of every kind with short or long names, for a size.
figures_at <- function(width, height, long) {
  withr::local_options(rollingledger.canvas = c(width, height))
  table <- demo_fares
  if (long) {
    routes <- sort(unique(table$route))
    names <- paste(routes, c("by the northern lighthouse and the old harbour wall",
                             "and the marshes of the southern reach, summer boats",
                             "with its sand bars, the pier and the fishing quays",
                             "old town landing stage beside the customs house hall",
                             "point with a call at the bird observatory (weekend)",
                             "and all the smaller stops along the eastern channel"))
    table$route <- names[match(table$route, routes)]
  }
  x <- ledger(table, on = c(sailed = "sailed_on"), units = c(fare = "EUR"))
  monthly <- statement(x, per = "month", by = "route", span = "2025-04/..", income = total(fare))
  year <- statement(x, by = "route", span = "2026", income = total(fare))
  figures <- list(
    trend = figure_trend(monthly), panels = figure_trend(monthly, panels = "route"),
    leaders = figure_leaders(statement(x, per = "month", by = "route", span = "2026",
                                       income = total(fare)), keep = 2),
    bars = figure_columns(year), stacked = figure_columns(
      statement(x, per = "quarter", by = "route", span = "2025-04/..", income = total(fare)),
      arrange = "stacked"),
    columns = figure_columns(statement(x, per = "month", span = "2025-10/..",
                                       income = total(fare))),
    change = figure_change(statement(x, by = "route", span = "last month", income = total(fare))),
    years = figure_years(statement(x, per = "month", income = total(fare))),
    millions = figure_trend(statement(x, per = "month", income = total(fare)) |>
                              add_running(income), income_running),
    members = figure_members(statement(x, per = "month", span = "2026", new = newcomers(account),
                                       back = returning(account), lost = lapsed(account))))
  unlist(lapply(names(figures), function(name) {
    faults <- text_faults(text_boxes(figures[[name]], width, height), width, height)
    if (length(faults) > 0) paste0(name, " at ", width, " x ", height, ": ", faults)
  }))
}
