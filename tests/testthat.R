library(testthat)
library(rollingledger)
test_check("rollingledger")
