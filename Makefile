# Everything is built and installed below .build/; `make install` alone touches your own folders.
R ?= Rscript
BUILD := .build
LIB := $(CURDIR)/$(BUILD)/library
BIN ?= $(HOME)/.local/bin
SOURCES := DESCRIPTION NAMESPACE $(wildcard R/*.R src/*.cpp src/*.h src/Makevars src/core/*.h) \
  $(wildcard $(shell find inst -type f) data/* exec/* man/*)
WITH := R_LIBS="$(LIB)$${R_LIBS:+:$$R_LIBS}"
# Tables and pictures come out the same whatever the machine is set to.
PLAIN := LC_ALL=C.UTF-8 TZ=UTC

.PHONY: demo demo-cluster test newest test-newest test-core test-command test-random test-page \
  test-engines test-vignettes test-cluster drill fuzz soak promises site bench bench-cluster \
  screenshots check check-newest install document clean
.DELETE_ON_ERROR:

demo: $(BUILD)/installed
	@$(WITH) exec/rolling-ledger demo --dir demo-output

test: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/test.R $(BUILD)

# What takes longer or needs servers, apart: C++ with sanitizers, the command in processes of its own,
# what is tried at random, the page to point at, databases, vignettes, and clusters further below.
# With all rounds of their random tests, or ROUNDS=some, or few.
ROUNDS ?= yes
test-core test-command test-vignettes: test-%: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/test.R $(BUILD) $*
test-page: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/test.R $(BUILD) explore $(ROUNDS)
test-engines test-random: test-%: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/test.R $(BUILD) $* $(ROUNDS)
# All tests on the newest versions that CRAN has of what we stand on, in a library of their own below
# .build that is kept; the first time it takes a quarter of an hour to build.
newest: $(BUILD)/setup-test
	@$(R) tools/newest.R $(BUILD)
test-newest: newest
	@R_LIBS="$(CURDIR)/$(BUILD)/newest" MAKEFLAGS=-j2 R CMD INSTALL --preclean --no-docs \
	  --no-test-load --library="$(BUILD)/newest" . > $(BUILD)/newest.log 2>&1 || \
	  { cat $(BUILD)/newest.log; exit 1; }
	@R_LIBS="$(CURDIR)/$(BUILD)/newest" $(PLAIN) $(R) tools/test.R $(BUILD) R
# Clusters: two shards of ClickHouse, and PostgreSQL over three servers, of our own.
test-cluster: $(BUILD)/setup-cluster $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/test.R $(BUILD) cluster $(ROUNDS)
# One brief from its file and from clusters of our own.
demo-cluster: $(BUILD)/setup-cluster $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/demo-cluster.R
# What a cluster does when parts of it fail.
drill: $(BUILD)/setup-cluster $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/drill.R

# Random questions against the slow engine of tests/oracle, for as long as asked; the smallest
# question that fails is printed.
MINUTES ?= 10
SEED ?= 2
fuzz: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tests/oracle/run.R $(MINUTES) $(SEED)

# Mixed work for hours in one process, and what it holds after each hundred acts. What is freed is
# given back to the system at once, so that resident memory is what is held and not what was.
soak: MINUTES = 120
soak: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) MALLOC_MMAP_THRESHOLD_=131072 MALLOC_TRIM_THRESHOLD_=131072 \
	  MALLOC_ARENA_MAX=1 $(R) tools/soak.R $(MINUTES) $(BUILD)
# What is promised, with the figures of the runs that this makes: docs/promises.md.
promises: $(BUILD)/setup-test $(BUILD)/installed
	@$(WITH) $(PLAIN) NOT_CRAN=true $(R) tools/promises.R $(BUILD) $(ROUNDS)
# Help by topic, vignettes and news as a site in .build/site.
site: $(BUILD)/setup-site $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/site.R $(BUILD)

bench: $(BUILD)/setup-bench $(BUILD)/installed
	@$(WITH) $(R) bench/bench.R
	@$(WITH) $(R) bench/figures.R
	@$(WITH) $(R) bench/first.R
	@$(WITH) $(R) bench/why.R
	@$(WITH) $(R) bench/expected.R
	@$(WITH) $(R) bench/files.R
	@$(WITH) $(R) bench/explore.R
	@$(WITH) $(R) bench/engines.R
	@$(WITH) $(R) bench/looks.R
bench-cluster: $(BUILD)/setup-cluster $(BUILD)/installed
	@$(WITH) $(R) bench/cluster.R
	@$(WITH) $(R) bench/scale.R

screenshots: $(BUILD)/setup-screenshots $(BUILD)/installed
	@$(WITH) $(PLAIN) $(R) tools/screenshots.R

# R CMD check; CHECK=--no-tests where they have been run.
CHECK ?=
check: $(BUILD)/setup-check
	@$(R) tools/check.R $(BUILD) $(CHECK)
check-newest: newest
	@R_LIBS="$(CURDIR)/$(BUILD)/newest" $(R) tools/check.R $(BUILD) $(CHECK)

install: $(BUILD)/installed
	@mkdir -p "$(BIN)"
	@$(R) tools/install.R "$(BIN)" "$(LIB)/rollingledger"

# After a change of roxygen comments or exports.
document: $(BUILD)/setup-document
	@$(R) -e 'Rcpp::compileAttributes("."); roxygen2::update_collate(".")'
	@mkdir -p "$(LIB)" && R CMD INSTALL --no-docs --no-test-load --library="$(LIB)" . \
	  > $(BUILD)/install.log 2>&1 || { cat $(BUILD)/install.log; exit 1; }
	@$(R) tools/document.R "$(LIB)"

clean:
	rm -rf $(BUILD) demo-output src/*.o src/*.so

$(BUILD)/setup-%: tools/setup.R DESCRIPTION
	@mkdir -p $(BUILD)
	@$(R) tools/setup.R $*
	@touch $@

$(BUILD)/installed: $(SOURCES) | $(BUILD)/setup-run
	@mkdir -p "$(LIB)"
	@echo "Building rollingledger ..."
	@MAKEFLAGS=-j2 R CMD INSTALL --preclean --no-test-load --library="$(LIB)" . \
	  > $(BUILD)/install.log 2>&1 || { cat $(BUILD)/install.log; exit 1; }
	@touch $@
