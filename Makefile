# `make demo` and `make test` do all the set-up that they need, in .venv.

PYTHON ?= python3
BIN := .venv/bin

.PHONY: demo test bench clean

.venv/installed: pyproject.toml
	$(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -e '.[dev]'
	touch $@

demo: .venv/installed
	$(BIN)/ypsiform demo demo-out --force

test: .venv/installed
	$(BIN)/python -m pytest

bench: .venv/installed
	$(BIN)/python benchmarks/bench.py

clean:
	rm -rf .venv demo-out build dist
	find . -name __pycache__ -type d -prune -exec rm -rf {} +
