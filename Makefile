# Brood: `make demo` shows it, `make test` checks it. `make help` lists everything.
SHELL := /bin/bash
PY := .venv/bin/python
# Where the pip of the machine can install into the environment, none is put there.
OWN_PIP := $(shell python3 -c 'import pip; print(int(pip.__version__.split(".")[0]) > 22)' 2>/dev/null)
VENV = python3 -m venv $(if $(filter True,$(OWN_PIP)),--without-pip )
PIP = $(if $(filter True,$(OWN_PIP)),python3 -m pip --python $(PY),$(PY) -m pip) install -q --disable-pip-version-check --no-compile
export OPENBLAS_NUM_THREADS = 1
unexport PYTHONDONTWRITEBYTECODE

.DEFAULT_GOAL := help
.PHONY: help demo run test check-all coverage lint css screenshots bench lock clean

help: ## list the targets
	@grep -E '^[a-z-]+:.*## ' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

.venv/.made:
	@python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Brood needs Python 3.11 or newer as python3."; exit 1; }
	@$(VENV) .venv || { echo "Could not make a virtual environment: on Debian, install python3-venv first."; exit 1; }
	@touch $@

# Half of the packages are installed beside the other half: no package is in both.
.venv/.run: .venv/.made requirements/build.txt requirements/run.txt requirements/science.txt pyproject.toml
	@$(PIP) --require-hashes -r requirements/run.txt & packages=$$!; \
	$(PIP) --require-hashes -r requirements/build.txt -r requirements/science.txt && \
	$(PIP) --no-deps --no-build-isolation -e . && $(PY) -m compileall -q src && wait $$packages
	@touch $@

.venv/.test: .venv/.run requirements/test.txt
	@$(PIP) --require-hashes -r requirements/test.txt
	@touch $@

demo: .venv/.run ## make everything ready and serve the demo household on http://127.0.0.1:8000
	@.venv/bin/brood demo --data .demo

run: .venv/.run ## serve your own household on http://127.0.0.1:8000
	@.venv/bin/brood serve

# Tests in a browser wait for it: three workers keep two processors busy. Types are checked beside them.
test: .venv/.test ## install what the tests need and run them
	@bash scripts/need-chromium
	@.venv/bin/ruff check src tests scripts bench
	@.venv/bin/ruff format --check -q src tests scripts bench
	@.venv/bin/mypy & types=$$!; \
	.venv/bin/python -m pytest -n 3 --dist worksteal -m "not long"; tests=$$?; \
	wait $$types && exit $$tests

check-all: test coverage ## all of the above, then what takes hours: the long tests with coverage, the year machine, benches
	@$(PY) scripts/year_machine.py --seeds 1,2,3 --households 12 --days 365 --stride 5
	@$(MAKE) --no-print-directory bench

coverage: .venv/.test ## run all tests, long ones too, with their coverage, and hold its floor for each package
	@.venv/bin/python -m pytest -n 2 --dist worksteal --cov=src/brood --cov-report=
	@$(PY) scripts/coverage_floors.py

lint: .venv/.test ## style and strict types
	@.venv/bin/ruff check src tests scripts bench
	@.venv/bin/ruff format --check -q src tests scripts bench
	@.venv/bin/mypy

css: ## rebuild the style sheet after a change to templates or assets (needs Node and npm)
	@cd assets && npm ci --silent && npx tailwindcss -i app.css -o ../src/brood/web/static/app.css --minify

mixes: .venv/.test ## work out what every mix of treatments leads to (a quarter of an hour)
	@.venv/bin/python scripts/default_courses.py

screenshots: .venv/.test ## take the pictures in docs/screenshots from the demo household
	@bash scripts/need-chromium
	@.venv/bin/python scripts/screenshots.py

bench: .venv/.test ## measure how long a plan and a page take
	@.venv/bin/python -m pytest -q bench --benchmark-only
	@$(PY) scripts/plan_figures.py
	@$(PY) scripts/identify_figures.py
	@$(PY) scripts/loop_figures.py
	@$(PY) scripts/course_figures.py
	@$(PY) scripts/season_figures.py

lock: ## renew the locked dependencies (needs uv)
	@cd requirements && for f in build run science test; do uv pip compile -q --universal --python-version 3.11 --generate-hashes --no-header $$f.in -o $$f.txt; done

clean: ## forget the environment and the demo household
	@rm -rf .venv .demo
