# Two commands do everything: `make demo` and `make test`. Both make the environment first.
PYTHON ?= python3
VENV ?= .venv
BIN := $(VENV)/bin
# How long `make attack` goes on.
SECONDS ?= 3600
# Modules are compiled once, not at every start, whatever the shell says.
export PYTHONDONTWRITEBYTECODE =

.PHONY: help demo test test-all coverage lint types tests attack bench bench-compare bench-large fit pictures docs reference architecture data clean

help:
	@echo "make demo       install Igual and run the full example on the sample data"
	@echo "make test       install it with the tools, then lint, check types and run the tests"
	@echo "make test-all   the built wheel on every Python from 3.11 on that is here, and with the oldest packages named"
	@echo "make attack     an hour of changed files, odd rulebooks and killed runs, with a new seed each time"
	@echo "make coverage   which lines the tests reach"
	@echo "make bench-compare KEPT=FILE  figures of the last run beside those of a kept one"
	@echo "make bench      figures of speed and memory beside named peers (takes some minutes)"
	@echo "make bench-large  a million values against a million entries (takes ten minutes or more)"
	@echo "make fit        fit the numbers of matching again (wants the shared data)"
	@echo "make reference  write docs/reference.md from the docstrings"
	@echo "make docs       build the docs site in build/site (broken links fail)"
	@echo "make pictures   take the pictures of docs/screenshots again (on Debian)"
	@echo "make data       make the sample data again"

$(BIN)/python:
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
	  { echo "Igual needs Python 3.11 or newer: make PYTHON=python3.12 ..." >&2; exit 1; }
	$(PYTHON) -m venv $(VENV)

$(VENV)/.installed: pyproject.toml | $(BIN)/python
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e .
	@touch $@

$(VENV)/.installed-dev: pyproject.toml | $(BIN)/python
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	@touch $@ $(VENV)/.installed

$(VENV)/.installed-bench: pyproject.toml | $(BIN)/python
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev,bench]'
	@touch $@ $(VENV)/.installed-dev $(VENV)/.installed

demo: $(VENV)/.installed
	$(BIN)/igual demo igual-demo

# Types are checked beside the tests.
test: lint
	@$(MAKE) --no-print-directory -j2 types tests

lint: $(VENV)/.installed-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: $(VENV)/.installed-dev
	$(BIN)/mypy

# Two test at a time: threads of libraries would only wait for those of the other.
tests: $(VENV)/.installed-dev
	@bash tools/install_for_tests.sh
	OMP_NUM_THREADS=1 POLARS_MAX_THREADS=1 $(BIN)/python -m pytest

# Each in an environment of its own, from the built wheel; the last with the oldest packages that pyproject.toml names.
test-all: $(VENV)/.installed-dev
	@bash tools/install_for_tests.sh
	PYTHON=$(BIN)/python bash tools/test_all.sh

attack: $(VENV)/.installed-dev
	$(BIN)/python -m tests.attack --seconds $(SECONDS)

coverage: $(VENV)/.installed-dev
	$(BIN)/python -m pip install --quiet --disable-pip-version-check 'pytest-cov>=7' 'coverage>=7.10'
	$(BIN)/python -m pytest --cov=igual --cov-report=term:skip-covered --cov-fail-under=90

bench-compare: $(VENV)/.installed-bench
	$(BIN)/python -m benchmarks compare $(KEPT)

bench: $(VENV)/.installed-bench
	$(BIN)/python -m benchmarks

bench-large: $(VENV)/.installed-bench
	$(BIN)/python -m benchmarks large

fit: $(VENV)/.installed-bench
	PYTHONPATH=. $(BIN)/python tools/fit_matching.py
	PYTHONPATH=. $(BIN)/python tools/fit_names.py
	PYTHONPATH=. $(BIN)/python tools/fit_lookalikes.py

architecture: $(VENV)/.installed
	$(BIN)/python tools/draw_architecture.py

reference: $(VENV)/.installed-dev
	$(BIN)/python tools/make_reference.py

docs: $(VENV)/.installed-dev
	$(BIN)/python tools/make_site.py

pictures: $(VENV)/.installed-dev
	PATH="$(CURDIR)/$(BIN):$$PATH" bash tools/take_pictures.sh

data: $(VENV)/.installed
	$(BIN)/python tools/make_demo_data.py

clean:
	rm -rf $(VENV) igual-demo dist .mypy_cache .ruff_cache .pytest_cache .hypothesis
