# Yaila: `make demo` starts it with the demo film, `make test` checks all of it.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PORT ?= 8471
export YAILA_HOME ?= $(CURDIR)/data
PY_SOURCES := $(shell find src -name '*.py')
WEB_SOURCES := $(shell find web/src web/public -type f -not -name openapi.json -not -name schema.d.ts) web/index.html web/vite.config.ts

# What does not depend on each other is set up side by side; one more than processors, as each waits now and then.
MAKEFLAGS += --jobs=3

# What Python has compiled is kept, whatever the shell says: packages come without it.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo serve test thorough test-web check check-web style-web types-web bench campaign screenshots lock format clean

demo: $(VENV)/.compiled site
	$(BIN)/yaila demo --port $(PORT)

serve: $(VENV)/.compiled site
	$(BIN)/yaila serve --port $(PORT)

test: $(VENV)/.dev $(VENV)/.compiled site check check-web test-web chromium
	$(BIN)/pytest -n 2 --dist loadfile --no-loadscope-reorder

# What is left out there, as it takes long and tells more of the same.
thorough: $(VENV)/.dev $(VENV)/.compiled site chromium
	$(BIN)/pytest -n 2 --dist loadfile -m thorough

test-web: web/.types
	cd web && npm test

check: $(VENV)/.dev
	$(BIN)/ruff check src tests bench
	$(BIN)/ruff format --check src tests bench
	$(BIN)/pyrefly check
	$(BIN)/lint-imports

check-web: style-web types-web

style-web: web/.types
	cd web && npm run lint

types-web: web/.types
	cd web && npm run check

bench: $(VENV)/.dev site
	$(BIN)/python -m bench.run

# Two hours of trouble made on purpose; `make campaign PARTS="trouble kills=20 seed=3"` for some of it.
campaign: $(VENV)/.dev site
	$(BIN)/python -m tests.campaign $(PARTS)

screenshots: $(VENV)/.dev chromium
	$(BIN)/python -m bench.screenshots

format: $(VENV)/.dev
	$(BIN)/ruff check --fix-only src tests bench
	$(BIN)/ruff format src tests bench
	cd web && npm run format

# Python: exact versions from the lock files; what demo needs, and what tests need besides.
INSTALL := $(BIN)/uv pip install --quiet --no-deps --python $(BIN)/python

# The pip that is there puts uv in, as one of its own takes seconds; where there is none, it gets its own.
UV := install --quiet --disable-pip-version-check uv==0.13.9

$(BIN)/uv:
	$(PYTHON) -c 'import sys; sys.exit("Yaila needs Python 3.11 or newer.") if sys.version_info < (3, 11) else None'
	$(PYTHON) -m venv --without-pip $(VENV)
	$(PYTHON) -m pip --python $(BIN)/python $(UV) || { $(BIN)/python -m ensurepip && $(BIN)/python -m pip $(UV); }

$(VENV)/.run: $(BIN)/uv requirements.lock pyproject.toml
	$(INSTALL) -r requirements.lock -e .
	touch $@

# What has changed since is compiled anew, or the first picture of a new version would be waited for.
$(VENV)/.compiled: $(VENV)/.run $(PY_SOURCES)
	$(BIN)/python -m compileall -q src
	$(BIN)/python -m yaila.prepare
	touch $@

$(VENV)/.dev: $(VENV)/.run requirements-dev.lock
	$(INSTALL) -r requirements-dev.lock
	touch $@

# The interface: types from the API's own description, then the built pages.
web/node_modules/.installed: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund
	touch $@

web/.types: $(VENV)/.run web/node_modules/.installed $(PY_SOURCES)
	$(BIN)/python -m yaila.api.describe > web/src/lib/api/openapi.json
	cd web && npm run --silent types
	touch $@

.PHONY: site
site: src/yaila/api/site/index.html
src/yaila/api/site/index.html: web/.types $(WEB_SOURCES)
	cd web && npm run build
	touch $@

# The browser of the distribution, for the tests that drive the real interface, and its reader of films.
.PHONY: chromium
chromium:
	@{ command -v chromium-headless-shell && command -v ffprobe; } >/dev/null || { \
	  if [ "$$(id -u)" = 0 ]; then apt-get update -qq && apt-get install -y -qq chromium-headless-shell ffmpeg; \
	  else sudo apt-get update -qq && sudo apt-get install -y -qq chromium-headless-shell ffmpeg; fi; }

lock: $(VENV)/.dev
	$(BIN)/python bench/lock.py

clean:
	rm -rf $(VENV) web/node_modules web/.types src/yaila/api/site
