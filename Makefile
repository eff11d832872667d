# Two commands do everything: `make start` and `make test`.
PY := .venv/bin/python
export PIP_DISABLE_PIP_VERSION_CHECK = 1
# What is never imported is never compiled; what is, is compiled once and not at every start.
LEAN := --no-compile
unexport PYTHONDONTWRITEBYTECODE
export NOMOTAX_HOME ?= $(CURDIR)/var

.PHONY: start stop test ready check check-server check-web unit browser bench client demo-data screenshots

start: .venv/.app web/dist/.built
	@$(PY) -m nomotax.cli.main up

stop:
	@test ! -x $(PY) || $(PY) -m nomotax.cli.main down

test: ready check unit browser

# Both halves are installed side by side.
ready:
	@$(MAKE) --no-print-directory -j2 --output-sync .venv/.dev web/dist/.built

check: .venv/.dev web/node_modules/.installed
	@$(MAKE) --no-print-directory -j2 --output-sync check-server check-web

check-server:
	$(PY) -m ruff check src tests bench
	$(PY) -m ruff format --check src tests bench
	$(PY) -m mypy
	.venv/bin/lint-imports

check-web:
	cd web && PATH="$(CURDIR)/.venv/node/bin:$$PATH" npm run --silent lint

unit: .venv/.dev web/node_modules/.installed
	$(PY) -m pytest tests -n 2 --dist loadgroup -m "not browser"
	cd web && PATH="$(CURDIR)/.venv/node/bin:$$PATH" npm run --silent test

browser: .venv/.dev web/dist/.built
	$(PY) -m pytest tests -n 2 -m browser

bench: .venv/.dev
	$(PY) -m bench.run
	$(PY) -m bench.suggestions
	$(PY) -m bench.suggesting
	$(PY) -m bench.reading

# The API description, the crosswalk's JSON Schema and the typed client made from them.
client: .venv/.dev web/node_modules/.installed
	$(PY) -m nomotax.cli.main documents docs
	cd web && PATH="$(CURDIR)/.venv/node/bin:$$PATH" npm run --silent client

demo-data: .venv/.app
	$(PY) -m nomotax.demo.make

screenshots: .venv/.dev web/dist/.built
	$(PY) -m tests.browser.screenshots docs/screenshots

.venv/.system:
	@sh scripts/install-system
	@touch $@

.venv/.app: requirements/app.lock pyproject.toml | .venv/.system
	.venv/bin/pip install -q $(LEAN) --require-hashes -r requirements/app.lock
	.venv/bin/pip install -q --no-deps --no-build-isolation -e .
	@touch $@

.venv/.dev: requirements/dev.lock .venv/.app
	.venv/bin/pip install -q $(LEAN) --require-hashes -r requirements/dev.lock
	@touch $@

web/node_modules/.installed: web/package-lock.json | .venv/.system
	cd web && PATH="$(CURDIR)/.venv/node/bin:$$PATH" npm ci --silent
	@touch $@

web/dist/.built: web/node_modules/.installed $(shell find web/src web/index.html web/vite.config.ts -type f 2>/dev/null)
	cd web && PATH="$(CURDIR)/.venv/node/bin:$$PATH" npm run --silent build
	@touch $@
