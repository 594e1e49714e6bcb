# Everything that is done with the project. On a fresh machine `make demo` and `make test` need nothing before them
# but Python 3.11+, Node 20+ and make.

PYTHON := .venv/bin/python
PORT ?= 8750
FTP_PORT ?= 8721
CONTROL_PORT ?= 8780
CONSOLE_SOURCES := $(shell find console -path console/node_modules -prune -o -type f -print 2>/dev/null)

.PHONY: demo test tour console types lint screenshots clean

demo: .venv/ready src/zerrit/web/console/index.html ## start the stand-in host and the service with demo data
	@exec $(PYTHON) -m zerrit.demo --port $(PORT) --ftp-port $(FTP_PORT) --control-port $(CONTROL_PORT)

test: lint ## set up everything and run every test
	scripts/setup-chromium
	$(PYTHON) -m pytest --numprocesses 2 --dist loadfile

tour: .venv/ready ## run the main job without a person and print it
	@$(PYTHON) -m zerrit.demo.tour

console: src/zerrit/web/console/index.html ## build the console

lint: .venv/ready src/zerrit/web/console/index.html
	$(PYTHON) -m ruff check src tests
	$(PYTHON) -m ruff format --check src tests
	$(PYTHON) -m mypy
	.venv/bin/lint-imports
	cd console && npm run --silent lint

types: .venv/ready console/node_modules/ready ## make the console's types from the API again
	$(PYTHON) -m zerrit.web.openapi > console/src/api/openapi.json
	cd console && npm run --silent types

screenshots: .venv/ready src/zerrit/web/console/index.html ## take the pictures of docs/screenshots again
	scripts/setup-chromium
	$(PYTHON) -m tests.screenshots

clean:
	rm -rf .venv .demo console/node_modules src/zerrit/web/console

.venv/ready: pyproject.toml constraints.txt
	scripts/setup-python

console/node_modules/ready: console/package.json console/package-lock.json
	cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

src/zerrit/web/console/index.html: console/node_modules/ready $(CONSOLE_SOURCES)
	cd console && npm run --silent build
	@touch $@
