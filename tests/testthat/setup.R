# Messages and tables come out the same wherever the tests run.
withr::local_options(width = 100, cli.unicode = FALSE, cli.num_colors = 1L,
                     rollingledger.rows = NULL,
                     # what messages say is tested where they belong
                     rlib_message_verbosity = "quiet",
                     .local_envir = teardown_env())
withr::local_envvar(TZ = "UTC", LINES = NA, .local_envir = teardown_env())
