#!/usr/bin/env bash
# Everything that must be true, in the order in which it fails fastest. `make test` has installed what it needs.
set -euo pipefail
cd "$(dirname "$0")/.."
umask 022
bin=.venv/bin

step() { printf '\n== %s\n' "$*"; }

# The front end is looked at beside the rest; what it said is printed when that is through.
said=$(mktemp)
trap 'rm -f "$said"' EXIT
(cd frontend && npm run --silent lint && npm run --silent format && npm run --silent types && npm run --silent test) \
    >"$said" 2>&1 &
frontend=$!

step "lint and format"
$bin/ruff check .
$bin/ruff format --check .

step "types"
$bin/mypy

step "import contracts"
$bin/lint-imports

step "front end: lint, format, types, tests"
if wait "$frontend"; then cat "$said"; else
    cat "$said"
    exit 1
fi

step "core, oracles, store, web, command line, browser"
$bin/python -m pytest src tests -n 2 --dist loadfile --no-loadscope-reorder
