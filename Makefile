# Sparring: everything a fresh clone needs is set up by the first target you call.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin
QUIET  := --quiet --disable-pip-version-check
# What is compiled: it is built anew when it changes.
COMPILED := setup.py src/sparring/core/plant/motion.py src/sparring/core/plant/motion.pxd
export PYTHON
# Where nothing may write bytecode, every one of the hundreds of processes compiles the program anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo run test rest journeys attack study claims coverage lint bench screenshots schemas findings guide dist deb install lock clean

demo: $(VENV)/.ready        ## start the application on the demo logbook
	@tools/with-display $(BIN)/sparring demo

run: $(VENV)/.ready         ## start the application on your own logbook
	@tools/with-display $(BIN)/sparring open

test: $(VENV)/.ready-dev    ## the tests after each change: the program, a sample of each study, the journeys through each page
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -m "not whole"

rest: $(VENV)/.ready-dev    ## what `make test` leaves out: every other journey and detail
	QT_QPA_PLATFORM=offscreen SPARRING_STUDIES=ci $(BIN)/python -m pytest -m whole

coverage: $(VENV)/.ready-dev  ## the branches that the tests of the program cover: twice as long as without
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest --ignore tests/journeys --cov --cov-report=term

journeys: $(VENV)/.ready-dev  ## only the installed command on virtual screens, by real keys and clicks
	$(BIN)/python -m pytest tests/journeys

lint: $(VENV)/.ready-dev    ## style, types, layer contracts
	$(BIN)/ruff check src tests benchmarks tools board
	$(BIN)/ruff format --check --quiet src tests benchmarks tools board
	$(BIN)/mypy
	$(BIN)/mypy benchmarks
	PYTHONPATH=tests $(BIN)/lint-imports --no-logo

attack: $(VENV)/.ready-dev  ## hostile files, damaged logbooks, crashes, boards over their limits, by the thousand (a quarter of an hour)
	QT_QPA_PLATFORM=offscreen $(BIN)/python tests/hostile

claims: $(VENV)/.ready-dev   ## docs/claims.md again: how often each finding, event and ± is wrong, on benches of every kind
	PYTHONPATH=tests $(BIN)/python -W ignore -m independent.claims docs/claims.md 5 31

study: $(VENV)/.ready-dev   ## truth inside the stated intervals, 200 benches of every kind, on both benches
	PYTHONPATH=tests $(BIN)/python -m independent.study
	SPARRING_STUDIES=all QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -m study

bench: $(VENV)/.ready-dev   ## measurements, printed as ratios taken in one run
	@$(BIN)/python -m compileall -q src
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m benchmarks

screenshots: $(VENV)/.ready-dev  ## refresh docs/screenshots from the demo data
	$(BIN)/python tools/screenshots.py docs/screenshots

schemas: $(VENV)/.ready-dev      ## regenerate the shipped JSON Schemas
	$(BIN)/python tools/schemas.py

findings: $(VENV)/.ready-dev     ## regenerate the guide's chapter of findings from the rules
	$(BIN)/python tools/findings.py

guide: $(VENV)/.ready-dev   ## the user's guide and the reference of the core, as a site in build/site
	$(BIN)/mkdocs build --quiet
	@echo "build/site/index.html"

dist: $(VENV)/.ready-dev    ## a wheel and an sdist in build/dist, each installed and started in an empty environment
	tools/check-dist

deb: dist                   ## a Debian package in build/dist, made of the wheel
	tools/deb

install: $(VENV)/.ready     ## a launcher for the current user
	tools/install-launcher $(BIN)/sparring

lock: $(VENV)/.ready-dev    ## resolve the dependencies anew
	$(BIN)/uv pip compile -q pyproject.toml --extra build --universal --python-version 3.11 --generate-hashes --no-header --upgrade -o requirements.lock
	$(BIN)/uv pip compile -q pyproject.toml --extra build --extra dev -c requirements.lock --universal --python-version 3.11 --generate-hashes --no-header --upgrade -o requirements-dev.lock

clean:
	rm -f src/sparring/core/plant/*.so
	rm -rf $(VENV) build .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis

$(VENV)/.system: tools/system-packages
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Sparring needs Python 3.11 or later; $(PYTHON) is $$($(PYTHON) --version). Name another with: make PYTHON=python3.12 ..."; exit 1; }
	@tools/system-packages
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@touch $@

$(VENV)/.system-dev: tools/system-packages | $(VENV)/.system
	@tools/system-packages dev
	@touch $@

$(VENV)/.ready: requirements.lock pyproject.toml $(COMPILED) | $(VENV)/.system
	@echo "Installing the locked packages (once) ..."
	@test -e $(VENV)/.ready-dev || QUIET="$(QUIET)" tools/install-locked $(VENV) requirements.lock
	@$(BIN)/pip install $(QUIET) --no-deps --no-build-isolation --editable .
	@$(BIN)/python -m compileall -q src
	@touch $@

$(VENV)/.ready-dev: requirements-dev.lock pyproject.toml $(COMPILED) | $(VENV)/.system-dev
	@echo "Installing the locked packages for development (once) ..."
	@QUIET="$(QUIET)" tools/install-locked $(VENV) requirements-dev.lock
	@$(BIN)/pip install $(QUIET) --no-deps --no-build-isolation --editable .
	@$(BIN)/python -m compileall -q src
	@touch $@ $(VENV)/.ready
