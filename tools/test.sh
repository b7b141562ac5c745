#!/usr/bin/env bash
# Everything that must be true, in the order in which it fails fastest. `make test` has installed what it needs.
set -euo pipefail
cd "$(dirname "$0")/.."
umask 022
bin=.venv/bin

step() { printf '\n== %s\n' "$*"; }

step "lint and format"
$bin/ruff check .
$bin/ruff format --check .
(cd frontend && npm run --silent lint && npm run --silent format)

step "types"
$bin/mypy
(cd frontend && npm run --silent types)

step "import contracts"
$bin/lint-imports

step "front end"
(cd frontend && npm run --silent test)

step "core, oracles, store, web, command line"
$bin/python -m pytest src tests --ignore tests/browser -n 2 --dist loadfile --no-loadscope-reorder

step "browser"
$bin/python -m pytest tests/browser
