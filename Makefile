# Two commands do everything on a fresh Debian machine with Python 3.11 and root: `make demo` and `make test`.
PORT ?= 8000
HOST ?= 127.0.0.1
PYTHON = .venv/bin/python
MANAGE = $(PYTHON) -m upwelling.web.manage

.PHONY: demo stop test check bench tables screenshots

demo: .venv/.runtime
	@PORT=$(PORT) HOST=$(HOST) sh scripts/demo.sh

stop:
	@sh scripts/demo.sh stop

test: .venv/.dev
	@sh scripts/need-chromium.sh
	@sh scripts/need-outside.sh
	@$(MAKE) --no-print-directory check
	$(PYTHON) -m pytest

check: .venv/.dev
	.venv/bin/ruff check .
	.venv/bin/mypy
	.venv/bin/lint-imports
	$(MANAGE) makemigrations --check --dry-run

bench: .venv/.dev
	$(PYTHON) benchmarks/run.py
	$(PYTHON) benchmarks/intake.py
	$(PYTHON) benchmarks/drag.py
	$(PYTHON) benchmarks/renderings.py

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
