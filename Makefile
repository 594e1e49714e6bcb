# Everything that is done with the project. On a fresh machine `make demo` and `make test` need nothing before them
# but Python 3.11+, Node 20+ and make.

PYTHON := .venv/bin/python
PORT ?= 8750
FTP_PORT ?= 8721
CONTROL_PORT ?= 8780
PYTHON_SOURCES := src tests benchmarks conformance fuzzing
CONSOLE_SOURCES := $(shell find console -path console/node_modules -prune -o -type f -print 2>/dev/null)

# An installed program has its bytecode beside it; without, every command would compile its modules again.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test prepared systems tour console types lint lint-python lint-console screenshots docs bench bench-console conformance fuzz api-fuzz mutants quick package mistakes drafting kills faults clean

demo: .venv/ready src/zerrit/web/console/index.html ## start the stand-in host and the service with demo data
	@exec .venv/bin/zerrit demo --port $(PORT) --ftp-port $(FTP_PORT) --control-port $(CONTROL_PORT)

test: ## set up everything and run every test
	@$(MAKE) --no-print-directory --jobs=3 --output-sync=target prepared
	$(PYTHON) -m pytest --numprocesses 3 --dist loadfile --no-loadscope-reorder

tour: .venv/ready ## run the main job without a person and print it
	@$(PYTHON) -m zerrit.demo.tour

console: src/zerrit/web/console/index.html ## build the console

prepared: lint systems conformance/node_modules/ready src/zerrit/web/console/index.html

systems: .venv/ready # after it, since both may install packages of Debian
	scripts/setup-chromium
	scripts/setup-servers

lint: lint-python lint-console

lint-python: .venv/ready
	$(PYTHON) -m ruff check $(PYTHON_SOURCES)
	$(PYTHON) -m ruff format --check $(PYTHON_SOURCES)
	$(PYTHON) -m mypy
	.venv/bin/lint-imports

lint-console: console/node_modules/ready
	cd console && npm run --silent lint

types: .venv/ready console/node_modules/ready ## make the console's types from the API again
	$(PYTHON) -m zerrit.web.openapi > console/src/api/openapi.json
	$(PYTHON) -m zerrit.settings.forms > console/src/api/serverForms.json
	$(PYTHON) -m zerrit.report.rule_forms > console/src/api/ruleForms.json
	cd console && npm run --silent types

screenshots: .venv/ready src/zerrit/web/console/index.html ## take the pictures of docs/screenshots again
	scripts/setup-chromium
	$(PYTHON) -m tests.screenshots

docs: .venv/ready ## make the pages that come from the code again: commands, findings, gamebooks, the schema of gamebooks
	$(PYTHON) -m zerrit.cli.commands_page > docs/commands.md
	$(PYTHON) -m zerrit.cli.findings_page > docs/findings.md
	$(PYTHON) -m zerrit.report.gamebook_page > docs/gamebook.md
	$(PYTHON) -m zerrit gamebook schema > docs/gamebook.schema.json

bench: .venv/ready ## measure reading and editing beside general-purpose yardsticks
	$(PYTHON) -m benchmarks.run

bench-console: .venv/ready src/zerrit/web/console/index.html ## measure what one waits for in the console
	scripts/setup-chromium
	$(PYTHON) -m benchmarks.console

conformance: .venv/ready conformance/node_modules/ready ## run the public conformance suites
	$(PYTHON) -m conformance.run

fuzz: .venv/ready ## read a million broken files, break tokens and fix them, merge mutated files; takes half an hour
	$(PYTHON) -m fuzzing.run
	$(PYTHON) -m fuzzing.fixes --write
	$(PYTHON) -m fuzzing.merging

api-fuzz: .venv/ready ## send 10,000 requests made from the OpenAPI document; takes some minutes
	$(PYTHON) -m fuzzing.api --write

mutants: .venv/ready ## break important lines one at a time, in a copy, and see that a test fails; takes half an hour
	$(PYTHON) -m fuzzing.mutants --write

quick: .venv/ready src/zerrit/web/console/index.html ## lint, the core, and the tests of what changed; under three minutes
	$(PYTHON) -m ruff check $(PYTHON_SOURCES)
	$(PYTHON) -m ruff format --check $(PYTHON_SOURCES)
	$(PYTHON) -m mypy
	$(PYTHON) -m pytest --numprocesses 3 --quiet tests/core $$(git diff --name-only --diff-filter=d HEAD -- 'tests/*/test_*.py' | grep -v '^tests/core/' || true)

package: .venv/ready src/zerrit/web/console/index.html ## build the wheel, with the console in it, into dist/
	$(PYTHON) -m pip wheel --quiet --no-deps --no-build-isolation --wheel-dir dist .

mistakes: .venv/ready ## put 250 mistakes into the demo world and count how many the checks find
	$(PYTHON) -m fuzzing.mistakes --write

drafting: .venv/ready ## measure how good drafts are, on the demo and on games of other shapes
	$(PYTHON) -m fuzzing.drafting --write

kills: .venv/ready ## kill the service 300 times in the middle of deploys and rollbacks; takes a quarter of an hour
	$(PYTHON) -m tests.killing --write

faults: .venv/ready ## let the stand-in host do everything wrong at every stage of a deploy; takes half an hour
	$(PYTHON) -m tests.faulting --write

clean:
	rm -rf .venv .demo console/node_modules conformance/node_modules src/zerrit/web/console

.venv/ready: pyproject.toml constraints.txt
	scripts/setup-python

console/node_modules/ready: console/package.json console/package-lock.json
	cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

conformance/node_modules/ready: conformance/package.json conformance/package-lock.json
	cd conformance && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
	@touch $@

src/zerrit/web/console/index.html: console/node_modules/ready $(CONSOLE_SOURCES)
	cd console && npm run --silent build
	@touch $@
