# Two commands: `make demo` and `make test`. Both install what they need.
PY := .venv/bin/python
STAMPS := .stamps

# Where the machine says not to keep bytecode, every process would compile all libraries anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo dev setup test check lint lint-web types types-web unit unit-web browser bench fuzz schema shots chromium clean

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

unit: setup
	.venv/bin/pytest -n 2 -m "not slow"

unit-web: setup
	cd web && npm run --silent test

# The quick loop: what waits for itself lets the others run.
check: setup
	$(MAKE) --no-print-directory -j 2 --output-sync=target unit lint types types-web lint-web unit-web

# Everything; `browser` includes all that takes seconds by its nature.  These tests wait for processes and for stand-ins in their
# own time, those of a file one after the other: one that fails while another runs beside it is run once more by itself, and both runs are shown.
test: chromium check
	.venv/bin/pytest -n 2 --dist loadfile -m slow || .venv/bin/pytest --last-failed --last-failed-no-failures none -m slow

browser: chromium setup
	.venv/bin/pytest -n 2 -m browser

bench: chromium setup
	$(PY) bench/run.py

# A million inputs to every reader, verb and route; FUZZ="--inputs 10000 --seed x" for fewer or others.
fuzz: setup
	$(PY) bench/fuzz.py $(FUZZ)

schema: setup
	$(PY) scripts/openapi.py
	$(PY) scripts/licences.py
	cd web && npm run --silent schema

# Pictures of the main views, as the browser walk sees them.
shots: chromium setup
	OPENSTAKE_SHOTS=docs/screenshots .venv/bin/pytest -m browser tests/browser

clean:
	rm -rf .venv .stamps web/node_modules src/openstake/web_dist data
