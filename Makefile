# The two commands of this project. Both work on a fresh machine and again at once the second time.

.PHONY: demo demo-large test compiled nightly bench pictures clean

demo: ## install what is missing, build, start the databases, serve the demo
	@tools/setup.sh
	@exec .venv/bin/python -m jalan.demo.start

demo-large: ## serve a made-up estate of a million columns (made the first time, about two minutes)
	@tools/setup.sh
	@exec .venv/bin/python bench/demo_large.py

test: ## lint, types, import contracts, core, store, web, browser
	@tools/setup.sh --tests
	@tools/test.sh

compiled: ## optional: the parser and the resolver as C, in .jalan/compiled, tested (some minutes)
	@tools/setup.sh --tests --compiler
	@.venv/bin/python -m tools.compiled
	@JALAN_COMPILED=1 PYTHONPATH=.jalan/compiled .venv/bin/python -m pytest tests/core tests/corpus tests/oracle -n 2 --dist loadfile

bench: ## speed, beside real references, in one run
	@tools/setup.sh --tests
	@.venv/bin/python bench/extract.py
	@[ ! -f .jalan/compiled/built ] || PYTHONPATH=.jalan/compiled .venv/bin/python bench/extract.py
	@.venv/bin/python bench/history.py
	@.venv/bin/python bench/scan.py
	@.venv/bin/python bench/tables.py
	@.venv/bin/python bench/intake.py
	@.venv/bin/python bench/ledger.py
	@.venv/bin/python bench/change.py
	@.venv/bin/python bench/graph.py --size small medium large
	@.venv/bin/python bench/answers.py --size medium large

nightly: ## random queries and scripts against PostgreSQL, other engines where they are, faults in the core (about an hour)
	@tools/setup.sh --tests
	@JALAN_NIGHTLY=1 JALAN_ORACLE_EXAMPLES=2000 .venv/bin/python -m pytest tests/oracle tests/core/test_robustness.py tests/core/test_graph.py tests/store/test_fuzzed_files.py tests/store/test_past.py tests/store/test_relinking.py tests/store/test_difference.py
	@.venv/bin/python -m tools.acceptance
	@.venv/bin/python -m tools.try_pages
	@.venv/bin/python -m tools.mutants

pictures: ## refresh docs/screenshots from the demo data
	@tools/setup.sh --tests
	@.venv/bin/python -m tools.pictures

clean: ## remove what was installed and built here; the demo's databases too
	rm -rf .venv .jalan frontend/node_modules frontend/dist
