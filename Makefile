# make demo | test | bench | screens | fuzz | faults | mutants | explore | hands | lint: each sets up what it needs by itself, in the versions of
# requirements.lock. make open puts the newest of all that pyproject.toml allows in their place (and make test then tests them);
# make lock writes down what is installed, make deb builds a Debian package that holds all but the system's libraries.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.installed

.PHONY: demo test bench screens fuzz faults mutants explore hands lint setup open lock deb

setup: $(STAMP)

$(STAMP): pyproject.toml requirements.lock tools/system_libraries.sh
	@bash tools/system_libraries.sh
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check -c requirements.lock -e '.[dev]'
	@touch $(STAMP)

open: setup
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --upgrade --upgrade-strategy eager -e '.[dev]'

lock: setup
	$(BIN)/python -m pip freeze --exclude-editable | sort -f > requirements.lock

deb: setup
	$(BIN)/python tools/make_deb.py

demo: setup
	$(BIN)/vettore demo

lint: setup
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports

test: lint
	QT_QPA_PLATFORM=offscreen OPENBLAS_NUM_THREADS=1 $(BIN)/python -m pytest -n auto --dist worksteal

bench: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m benchmarks

screens: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screens.py

fuzz: setup
	OPENBLAS_NUM_THREADS=1 $(BIN)/python -m tools.fuzz --seconds $(or $(SECONDS),120)

faults: setup
	OPENBLAS_NUM_THREADS=1 $(BIN)/python -m tools.faults --kills $(or $(KILLS),40)

mutants: setup
	OPENBLAS_NUM_THREADS=1 $(BIN)/python tools/mutants.py $(ARGS)

# The property tests with fresh seeds, for SECONDS; what they find becomes an @example.
explore: setup
	QT_QPA_PLATFORM=offscreen OPENBLAS_NUM_THREADS=1 $(BIN)/python -m tools.explore --seconds $(or $(SECONDS),120)

# Random hands on the real window, for SECONDS with each of SEEDS; what fails is kept in tests/app/hands.
hands: setup
	$(BIN)/python -m tools.hands --seconds $(or $(SECONDS),120) --seeds $(or $(SEEDS),1-6)
