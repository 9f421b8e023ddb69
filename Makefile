# Two commands matter: `make demo` starts the desktop with the sample project, `make test` runs the tests.
# Each does all the set-up a fresh machine needs.

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo run test test-core mutants sample-figures lint check bench screenshots picture format-docs catalogue-docs demo-data clean

demo: $(VENV)/ready
	@tools/desktop.sh --demo

run: $(VENV)/ready
	@tools/desktop.sh $(FILE)

test: $(VENV)/ready-dev
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -n auto --dist worksteal $(ARGS)

# The core alone, without Qt; with THOROUGH=1 ten times as many drawn examples.
test-core: $(VENV)/ready-dev
	@THOROUGH=$(THOROUGH) $(BIN)/python -m pytest tests/core -p no:pytest-qt -n auto --dist worksteal $(ARGS)

# Breaks the core in N small ways and lists what no test of the core notices; half an hour or more.
mutants: $(VENV)/ready-dev
	@$(BIN)/python tools/mutants.py -n $(or $(N),200) --seed $(or $(SEED),1)

# Writes anew what the program says of the sample; look at the difference before you keep it.
sample-figures: $(VENV)/ready-dev
	@PYTHONPATH=tests $(BIN)/python tests/sample_figures.py

# Writes the table of docs/catalogue.md anew: what each box says, what the model gives.
catalogue-docs: $(VENV)/ready-dev
	@PYTHONPATH=tests $(BIN)/python tests/catalogue_rows.py

lint: $(VENV)/ready-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/codespell
	$(BIN)/python tools/words.py
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest benchmarks --collect-only -qq >/dev/null || { echo 'A benchmark cannot be loaded.' >&2; exit 1; }

check: lint test

bench: $(VENV)/ready-dev
	@QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest benchmarks --benchmark-enable -p no:xdist -s -q

screenshots: $(VENV)/ready
	@QT_QPA_PLATFORM=offscreen $(BIN)/python tools/screenshots.py

# A picture of the virtual display that `make demo` started: make picture OUT=there.png
picture: $(VENV)/ready
	@$(BIN)/python tools/picture.py $(or $(OUT),picture.png)

format-docs: $(VENV)/ready
	@$(BIN)/python -m vastwatch.files.schema docs/format/vastwatch-project.schema.json

demo-data: $(VENV)/ready
	@$(BIN)/python tools/build_demo.py

$(VENV)/ready: requirements.txt pyproject.toml tools/setup.sh
	@tools/setup.sh $(PYTHON) $(VENV) requirements.txt
	@touch $@

$(VENV)/ready-dev: requirements.txt requirements-dev.txt pyproject.toml tools/setup.sh
	@tools/setup.sh $(PYTHON) $(VENV) requirements-dev.txt
	@touch $@ $(VENV)/ready

clean:
	rm -rf $(VENV) build dist .pytest_cache .mypy_cache .ruff_cache .import_linter_cache .hypothesis
