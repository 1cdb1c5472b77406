# Two commands do everything: `make demo` and `make test`. Both set up what is missing first.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test test-fast search lint shots bench detectors mutants clean

demo: $(READY)
	@$(BIN)/deep-tally demo

test: $(READY) lint
	@$(BIN)/python tools/run_tests.py

# What says most in a minute, for the loop while working.
test-fast: $(READY)
	@$(BIN)/python tools/run_tests.py --fast

# New examples for the property tests, twenty times as many: what it finds becomes an example of the suite.
search: $(READY)
	@DEEP_TALLY_SEARCH=20 $(BIN)/python tools/run_tests.py -q -m hypothesis

lint: $(READY)
	$(BIN)/ruff format --check
	$(BIN)/ruff check
	$(BIN)/mypy

shots: $(READY)
	@$(BIN)/deep-tally demo --shot docs/screenshots

detectors: $(READY)
	@PYTHONPATH=tests $(BIN)/python tools/prove_detectors.py

# Small faults put into the heart one by one: make mutants MODULES="check/rules/length.py compare/containment.py" SAMPLE=40
mutants: $(READY)
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[mutants]'
	@PYTHONPATH=tests $(BIN)/python tools/mutants.py --sample $(or $(SAMPLE),0) $(MODULES)

bench: $(READY)
	@$(BIN)/python benchmarks

$(READY): pyproject.toml constraints.txt tools/check_system.py
	@$(PYTHON) tools/check_system.py
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -c constraints.txt -e '.[dev]'
	$(BIN)/deep-tally prepare
	@touch $@

clean:
	rm -rf $(VENV) build dist src/*.egg-info .pytest_cache .mypy_cache .ruff_cache .hypothesis
