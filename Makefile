# `make demo` and `make test` do all the set-up that they need, in .venv.

PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test test-all damage fuzz plans values same score calibrate bench speed clean

# Installing with the pip that is there saves a quarter of the time that making another one costs.
INSTALL = $$($(BIN)/python -m pip --version > /dev/null 2>&1 && echo $(BIN)/python -m pip \
	|| echo $(PYTHON) -m pip --python $(BIN)/python) \
	install --quiet --disable-pip-version-check --no-compile

# What running the program needs; the rest only its tests do.
.venv/running: pyproject.toml
	$(PYTHON) -m venv --without-pip .venv
	$(PYTHON) -m pip --python $(BIN)/python --version > /dev/null 2>&1 || $(BIN)/python -m ensurepip
	$(INSTALL) -e .
	touch $@

.venv/installed: .venv/running
	$(INSTALL) -e '.[dev]'
	touch $@

# What the tests of the page in a browser need beside a Chromium; without npm they are skipped.
node_modules/.package-lock.json: package-lock.json
	if command -v npm > /dev/null; then npm ci --silent; else echo "No npm: pages are not tested."; fi

demo: .venv/running
	$(BIN)/ypsiform demo demo-out --force

test: .venv/installed node_modules/.package-lock.json
	$(BIN)/python -m pytest

# Every ordered pair of platforms and themes, and more generated sites: about half an hour.
test-all: .venv/installed node_modules/.package-lock.json
	YPSIFORM_PAIRS=all $(BIN)/python -m pytest

# Some 300 damages of each kind to what is written for each platform and theme: about ten minutes.
damage: .venv/installed
	YPSIFORM_DAMAGES=100 $(BIN)/python -m pytest tests/test_damage.py

# Every field of each platform's files set to every odd value: about half an hour on one processor.
values: .venv/installed
	$(BIN)/python -m tests.every_value $(if $(SEED),--seed $(SEED))

# Damaged files of every kind, 50,000 of them under a new seed: about half an hour on two processors.
fuzz: .venv/installed
	$(BIN)/python -m tests.fuzz --count $(or $(COUNT),50000) $(if $(SEED),--seed $(SEED))

# Plans as drafted and edited, and conversions run again, 20,000 under a new seed: 25 minutes.
plans: .venv/installed
	$(BIN)/python -m tests.plans --count $(or $(COUNT),20000) $(if $(SEED),--seed $(SEED))

# Every command on the files of the demo and the tests, before (BASE, a commit) and now: six minutes.
same: .venv/installed
	$(BIN)/python tools/same.py $(or $(BASE),HEAD)

# How many unknown exports a first profile reads exactly, 1,000 of each half: two minutes.
score: .venv/installed
	$(BIN)/python -m tests.score --count 1000

# The margin below which a first profile is marked, found again: two minutes.
calibrate: .venv/installed
	$(BIN)/python -m tests.score --count 1000 --calibrate

bench: .venv/installed
	$(BIN)/python benchmarks/bench.py
	$(BIN)/python benchmarks/readers.py
	$(BIN)/python benchmarks/shapes.py

# What conversions cost against scripts that check nothing (docs/speed.md): a quarter of an hour.
speed: .venv/installed
	$(INSTALL) -e '.[bench]'
	$(BIN)/python benchmarks/speed.py

clean:
	rm -rf .venv node_modules demo-out build dist
	find . -name __pycache__ -type d -prune -exec rm -rf {} +
