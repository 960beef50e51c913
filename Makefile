# Two commands do everything on a fresh Debian machine with Python 3.11 and root: `make demo` and `make test`.
PORT ?= 8000
HOST ?= 127.0.0.1
PYTHON = .venv/bin/python
MANAGE = $(PYTHON) -m upwelling.web.manage

.PHONY: demo run stop test quick coverage check bench tables screenshots layers

demo: .venv/.runtime
	@PORT=$(PORT) HOST=$(HOST) sh scripts/demo.sh

# The application on its own data, without the demonstration: `upwelling user add` makes the first account.
run: .venv/.runtime
	$(MANAGE) migrate --verbosity 0
	$(MANAGE) serve --host $(HOST) --port $(PORT)

stop:
	@sh scripts/demo.sh stop

test: .venv/.dev
	@sh scripts/need-chromium.sh
	@sh scripts/need-outside.sh
	@sh scripts/need-node.sh
	@$(MAKE) --no-print-directory check
	@sh scripts/run-tests.sh

# What needs neither browser nor patience: every test that takes under two seconds, minutes in all.
quick: .venv/.dev
	@$(MAKE) --no-print-directory check
	$(PYTHON) -m pytest -m "not browser and not slow" -n 2

# How much of the code the tests run that need no browser; half as long again as without counting.
coverage: .venv/.dev
	$(PYTHON) -m pytest -m "not browser" -n 2 --cov=upwelling --cov-report=term:skip-covered

layers: .venv/.dev
	$(PYTHON) scripts/draw_layers.py

check: .venv/.dev
	.venv/bin/ruff check .
	.venv/bin/ruff format --check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	$(MANAGE) makemigrations --check --dry-run

bench: .venv/.dev
	$(PYTHON) benchmarks/run.py
	$(PYTHON) benchmarks/intake.py
	$(PYTHON) benchmarks/drag.py
	$(PYTHON) -m benchmarks.feel
	$(PYTHON) -m benchmarks.going
	$(PYTHON) -m benchmarks.wall
	$(PYTHON) benchmarks/renderings.py
	$(PYTHON) benchmarks/frames.py
	$(PYTHON) benchmarks/matching.py
	$(PYTHON) benchmarks/layers.py

tables: .venv/.dev
	$(PYTHON) benchmarks/tables.py

screenshots: .venv/.dev
	$(PYTHON) scripts/screenshots.py http://$(HOST):$(PORT)

.venv/.runtime: requirements.lock pyproject.toml
	sh scripts/make-venv.sh requirements.lock
	@touch $@

.venv/.dev: requirements-dev.lock pyproject.toml
	sh scripts/make-venv.sh requirements-dev.lock
	@touch $@ .venv/.runtime
