# The two commands of a newcomer: `make demo` and `make test`. Both install what they need, and are quick again.

SHELL := /bin/bash
PYTHON ?= python3
BIN := .venv/bin
PORT ?= 8321
HAVE_LAB := { command -v ip && command -v nft && command -v dnsmasq && command -v udhcpc; } > /dev/null
INSTALL := apt-get update -qq && apt-get install -y -qq --no-install-recommends
unexport PYTHONDONTWRITEBYTECODE # hundreds of processes in the tests would each compile every module anew
SITE := octaplan/server/site/index.html
SOURCES := $(shell find frontend/src frontend/public -type f) frontend/index.html frontend/vite.config.ts

.PHONY: demo quick test test-thorough ready lab chromium-headless-shell lint unit browser front dev build bench truth hands docs api screenshots clean

demo: $(SITE) ## Build everything and serve the demo portfolio
	@$(HAVE_LAB) || echo "Rehearsals and the bench of real packets need what this machine lacks: make lab installs it"
	$(BIN)/octaplan serve --demo --data demo-data --port $(PORT)

quick: .venv/installed frontend/node_modules/installed ## What one runs before each commit: linters, core, formats
	printf '%s\n' "$(BIN)/mypy octaplan" "cd frontend && npx eslint --cache --cache-location node_modules/.cache/eslint ." \
	  "cd frontend && npx tsc --noEmit" "$(BIN)/ruff check --quiet ." "$(BIN)/ruff format --quiet --check ." \
	  "$(BIN)/lint-imports --no-logo" "$(BIN)/python -m tests --quick tests.core tests.formats" | \
	  xargs -P $$(nproc) -I{} sh -c '{}'

test: ready lint unit browser ## All linters and tests

ready: ## What the tests need, fetched side by side
	$(MAKE) --no-print-directory -j2 .venv/installed frontend/node_modules/installed & \
	$(MAKE) --no-print-directory lab chromium-headless-shell & wait -n && wait -n

lab: ## What rehearsals and the bench of real packets are made with
	@$(HAVE_LAB) || $(INSTALL) iproute2 nftables dnsmasq-base udhcpc

chromium-headless-shell: ## The browser of the tests
	@command -v $@ > /dev/null || $(INSTALL) $@

.venv/installed: requirements.lock requirements-uv.lock pyproject.toml
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --require-hashes -r requirements-uv.lock
	$(BIN)/uv pip install --quiet --compile-bytecode --require-hashes -r requirements.lock
	$(BIN)/uv pip install --quiet --no-deps -e .
	touch $@

frontend/node_modules/installed: frontend/package-lock.json
	cd frontend && npm ci --no-audit --no-fund
	touch $@

$(SITE): .venv/installed frontend/node_modules/installed $(SOURCES)
	cd frontend && npm run --silent build
	touch $@

build: $(SITE)

lint: .venv/installed frontend/node_modules/installed ## Linters of both sides, and tests of what pages are made of
	printf '%s\n' "$(BIN)/mypy octaplan" "cd frontend && npx eslint ." "cd frontend && npm run --silent test" \
	  "cd frontend && npx tsc --noEmit" \
	  "cd frontend && npx prettier --check --log-level warn ." "$(BIN)/lint-imports --no-logo" \
	  "$(BIN)/ruff check ." "$(BIN)/ruff format --check ." | xargs -P $$(nproc) -I{} sh -c '{}'

front: frontend/node_modules/installed
	cd frontend && npm run --silent test

unit: .venv/installed ## All tests but those in a browser, side by side
	$(BIN)/python -m tests tests.core tests.worker tests.lab tests.link tests.formats tests.store tests.server tests.test_cli tests.test_docs \
	  tests.test_benchmarks

browser: chromium-headless-shell $(SITE) ## The tests in a real browser, side by side
	$(BIN)/python -m tests tests.browser

test-thorough: ready lint $(SITE) ## All linters and tests, with many more examples of each property
	$(BIN)/python -m tests --thorough

truth: .venv/installed ## What the walk says beside what a real network does, on a thousand plans made at random
	$(BIN)/python -m tests.trials.truth

hands: .venv/installed ## Cut staging at two hundred moments, and stage twenty boxes at once
	$(BIN)/python -m tests.trials.hands

dev: .venv/installed frontend/node_modules/installed ## Both sides with reload; the pages are at port 5173
	trap 'kill 0' EXIT; \
	$(BIN)/uvicorn --factory octaplan.server.dev:create --reload --reload-dir octaplan --port 8321 & \
	cd frontend && npm run --silent dev

bench: .venv/installed ## The core's speed beside what else one could do, measured in the same run
	$(BIN)/python -m benchmarks.check
	$(BIN)/python -m benchmarks.boxes
	$(BIN)/python -m benchmarks.traffic
	$(BIN)/python -m benchmarks.texts
	$(BIN)/python -m benchmarks.imports
	$(BIN)/python -m benchmarks.pages
	$(BIN)/python -m benchmarks.people

docs: .venv/installed ## Write what documentation and pages take from the code: rules, schemas, fields
	PYTHONPATH=. $(BIN)/python tools/docs.py

api: .venv/installed frontend/node_modules/installed ## Write the API's description and the types made from it
	$(BIN)/python -m octaplan.server.openapi > frontend/openapi.json
	cd frontend && npm run --silent api

screenshots: $(SITE) ## Take the pictures of docs/screenshots again
	$(BIN)/python tools/screenshots.py

clean:
	rm -rf .venv frontend/node_modules octaplan/server/site demo-data
