# `make demo` and `make test` are the two commands a newcomer needs; each sets up what it uses.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test lint bench fuzz fuzz-minute stress mutants screenshots docs demo-data wheel clean tmux

demo: $(READY)
	$(BIN)/stomion demo

test: $(READY) tmux
	$(BIN)/pytest -n auto

lint: $(READY)
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python tools/check_docs.py

bench: $(READY)
	$(BIN)/python tools/bench.py

# Random keys, sizes and changing evidence against the screens, for ten minutes.
stress: $(READY)
	$(BIN)/python tools/stress.py

# Many more random inputs than the tests take: the walk against its oracle and the kernel, then the readers.
fuzz: $(READY)
	STOMION_EXAMPLES=$${STOMION_EXAMPLES:-5000} STOMION_KERNEL_EXAMPLES=$${STOMION_KERNEL_EXAMPLES:-300} \
	  $(BIN)/pytest -n auto tests/walk tests/space tests/wire
	$(BIN)/python tools/fuzz.py $${SECONDS_LONG:-600} $${SEED:-$$(date +%s)}

# The same readers and whole cases for a minute, always the same inputs: for every change.
fuzz-minute: $(READY)
	$(BIN)/python tools/fuzz.py 60 1

# Mutation testing needs a tool of its own, locked apart; it is no part of the tests.
mutants: $(READY)
	$(BIN)/pip install --quiet --require-hashes -r requirements-mutants.lock
	$(BIN)/python tools/mutants.py

screenshots: $(READY)
	$(BIN)/python tools/screenshots.py

docs: $(READY)
	$(BIN)/python tools/make_docs.py

demo-data: $(READY)
	$(BIN)/python tools/make_demo.py

wheel: $(READY)
	$(BIN)/python -m build --wheel --no-isolation

# The end-to-end run drives a real terminal; it is skipped with one line where tmux can't be had.
tmux:
	@command -v tmux >/dev/null || { [ "$$(id -u)" = 0 ] && command -v apt-get >/dev/null && \
	  { apt-get update -qq && apt-get install -y -qq tmux; } >/dev/null 2>&1; } || \
	  echo "tmux is missing: the terminal tests will be skipped (install the package tmux)"

$(READY): requirements.lock pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --require-hashes -r requirements.lock
	$(BIN)/pip install --quiet --no-deps --no-build-isolation -e .
	touch $@

clean:
	rm -rf $(VENV) build dist .mypy_cache .pytest_cache .ruff_cache .hypothesis
