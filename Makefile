# Two commands: `make demo` and `make test`. Both install what they need.
PY := .venv/bin/python
STAMPS := .stamps

# Where the machine says not to keep bytecode, every process would compile all libraries anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo dev setup test check prove tests lint lint-web types types-web unit unit-web browser bench fuzz mutants schema shots chromium clean

demo: setup
	.venv/bin/openstake demo

# The demo for whoever changes the program: the server starts again when Python changes, the pages change at once.
dev: setup
	$(PY) scripts/dev.py

setup: $(STAMPS)/python $(STAMPS)/web

$(STAMPS)/python: pyproject.toml requirements.lock
	@mkdir -p $(STAMPS)
	test -x .venv/bin/uv || (python3 -m venv .venv && .venv/bin/pip install --quiet --disable-pip-version-check uv)
	.venv/bin/uv pip install --quiet --python $(PY) -c requirements.lock -e '.[dev]'
	touch $@

$(STAMPS)/npm: web/package.json web/package-lock.json
	@mkdir -p $(STAMPS)
	cd web && npm ci --silent
	touch $@

$(STAMPS)/web: $(STAMPS)/npm $(shell find web/src web/public web/worker web/index.html web/vite.config.ts -type f)
	cd web && npm run --silent build -- --logLevel warn
	touch $@

# Debian's Chromium and its driver, for the browser tests only; GeographicLib's tools for one reference test.
chromium:
	@test -x /usr/bin/chromium -a -x /usr/bin/chromedriver -a -x /usr/bin/GeoConvert || \
	  (apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
	   chromium chromium-driver geographiclib-tools >/dev/null)

lint: setup
	.venv/bin/ruff check src tests scripts bench
	.venv/bin/ruff format --check --quiet src tests scripts bench
	.venv/bin/lint-imports

lint-web: setup
	cd web && npm run --silent lint

types: setup
	.venv/bin/mypy

# The front end's types come from docs/openapi.json, which a unit test holds against the program.
types-web: setup
	cd web && npm run --silent types
	cd web && npx --no-install openapi-typescript ../docs/openapi.json --default-non-nullable=false -o ../.stamps/schema.d.ts >/dev/null && cmp src/api/schema.d.ts ../.stamps/schema.d.ts

# A tenth of the repeats of simulations, and nothing that takes seconds by its nature.
unit: setup
	OPENSTAKE_REPEATS=few .venv/bin/pytest -n 2 --dist worksteal -m "not slow"

# Every test with all its repeats, on both cores whatever file a test stands in.
tests: setup chromium
	.venv/bin/pytest -n 2 --dist worksteal --durations=10 --durations-min=0

unit-web: setup
	cd web && npm run --silent test

# The quick loop: what waits for itself lets the others run.
check: setup
	$(MAKE) --no-print-directory -j 2 --output-sync=target unit lint types types-web lint-web unit-web

# Everything.
test: setup chromium
	$(MAKE) --no-print-directory lint types types-web lint-web unit-web
	$(MAKE) --no-print-directory tests

# What takes long and adds certainty: five times the repeats, every reader fuzzed, mutants of the source, the measurements.
prove: setup chromium
	OPENSTAKE_REPEATS=more .venv/bin/pytest -n 2 --dist worksteal --durations=10
	$(PY) bench/fuzz.py $(FUZZ)
	$(PY) scripts/mutants.py $(MUTANTS)
	$(PY) bench/run.py

browser: chromium setup
	.venv/bin/pytest -n 2 -m browser

bench: chromium setup
	$(PY) bench/run.py

# Two hundred mutants drawn by a seed: MUTANTS="--count 40 --seed x --part core" for others.
mutants: setup
	$(PY) scripts/mutants.py $(MUTANTS)

# A million inputs to every reader, verb and route; FUZZ="--inputs 10000 --seed x" for fewer or others.
fuzz: setup
	$(PY) bench/fuzz.py $(FUZZ)

schema: setup
	$(PY) scripts/tables.py
	$(PY) scripts/openapi.py
	$(PY) scripts/licences.py
	cd web && npm run --silent schema

# Pictures of the main views, as the browser walk sees them.
shots: chromium setup
	OPENSTAKE_SHOTS=docs/screenshots .venv/bin/pytest -m browser tests/browser

clean:
	rm -rf .venv .stamps web/node_modules src/openstake/web_dist data
