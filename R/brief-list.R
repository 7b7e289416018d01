#' The briefs of a folder
#'
#' @param folder The path of a folder; NULL lists those that ship with the package.
#' @return A tibble with a row per brief, by category and name: `category`, `name`, `description`
#'   (texts, missing where there is none), `asks` (text: the values that must or may be given),
#'   `file` (path) and `problem` (text, missing where the brief can be read).
#' @section Errors:
#' `rollingledger_error_brief` where there is no such folder.
#' @export
#' @examples
#' list_briefs()[c("category", "name", "asks")]
list_briefs <- function(folder = NULL) {
  folder <- folder %||% system.file("briefs", package = "rollingledger")
  if (!rlang::is_string(folder) || !dir.exists(folder))
    refuse("brief", sprintf("There is no folder %s.", plain_text(folder)[1]))
  files <- brief_files(folder)
  rows <- lapply(files, function(file) {
    brief <- tryCatch(read_brief(file, NULL), rollingledger_error = function(e) e)
    if (inherits(brief, "condition")) {
      return(list(category = NA_character_, name = NA_character_, description = NA_character_,
                  asks = NA_character_, problem = rlang::cnd_header(brief)))
    }
    tree <- brief$tree
    list(category = tree$category %||% NA_character_, name = tree$name,
         description = tree$description %||% NA_character_, asks = listed(names(tree$ask), 20),
         problem = NA_character_)
  })
  column <- function(name) vapply(rows, function(row) row[[name]], "")
  category <- column("category")
  name <- column("name")
  at <- order(is.na(category), category, name, files, method = "radix")
  tibble::tibble(category = category, name = name, description = column("description"),
                 asks = column("asks"), file = files, problem = column("problem"))[at, ]
}
