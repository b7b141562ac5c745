#!/usr/bin/env bash
# Brings a machine to where the demo can start (with --tests: where the tests can run; with --compiler: where C can
# be compiled). Skips what is there.
set -euo pipefail
cd "$(dirname "$0")/.."
umask 022

with_tests=no
with_compiler=no
for argument in "$@"; do
  [ "$argument" = "--tests" ] && with_tests=yes
  [ "$argument" = "--compiler" ] && with_compiler=yes
done

say() { printf 'setup: %s\n' "$*"; }
fail() {
  printf 'setup: %s\n' "$*" >&2
  exit 1
}

python=
for candidate in python3.11 python3; do
  if "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    python=$candidate
    break
  fi
done

# --- system packages ---
packages=()
[ -n "$python" ] || packages+=(python3)
[ -n "$python" ] && "$python" -c 'import ensurepip' 2>/dev/null || packages+=(python3-venv)
compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || command -v initdb >/dev/null || packages+=(postgresql)
command -v git >/dev/null || packages+=(git)
if [ $with_tests = yes ]; then
  command -v chromium >/dev/null || packages+=(chromium)
  command -v chromedriver >/dev/null || packages+=(chromium-driver)
fi
if [ $with_compiler = yes ]; then
  command -v gcc >/dev/null || packages+=(gcc libc6-dev)
  "${python:-python3}" -c 'import sys, sysconfig, os; sys.exit(not os.path.exists(sysconfig.get_path("include") + "/Python.h"))' \
    2>/dev/null || packages+=(python3-dev)
fi
if [ ${#packages[@]} -gt 0 ]; then
  if [ "$(id -u)" != 0 ]; then
    fail "these Debian packages are missing: ${packages[*]}. Install them: sudo apt-get install ${packages[*]}"
  fi
  command -v apt-get >/dev/null || fail "these packages are missing and there is no apt-get: ${packages[*]}"
  say "installing ${packages[*]}"
  export DEBIAN_FRONTEND=noninteractive
  apt-get update -qq
  apt-get install -y -qq --no-install-recommends "${packages[@]}" >/dev/null
  [ -n "$python" ] || python=python3
fi
command -v node >/dev/null || fail "Node 20 or newer is missing"
node -e 'process.exit(Number(process.versions.node.split(".")[0]) < 20 ? 1 : 0)' ||
  fail "Node 20 or newer is needed, this is $(node --version)"

# --- Python packages ---
wanted=$(cat requirements/dev.txt requirements/uv.txt pyproject.toml | sha256sum | cut -d' ' -f1)
if [ "$(cat .venv/.installed 2>/dev/null || true)" != "$wanted" ]; then
  say "installing Python packages into .venv"
  [ -x .venv/bin/python ] && .venv/bin/python -c 'import pip' 2>/dev/null || "$python" -m venv --clear .venv
  .venv/bin/python -m pip install --quiet --require-hashes -r requirements/uv.txt
  VIRTUAL_ENV="$PWD/.venv" .venv/bin/uv pip install --quiet --compile-bytecode --require-hashes -r requirements/dev.txt
  VIRTUAL_ENV="$PWD/.venv" .venv/bin/uv pip install --quiet --no-deps --editable .
  echo "$wanted" >.venv/.installed
fi

# --- the front end ---
wanted=$(sha256sum frontend/package-lock.json | cut -d' ' -f1)
if [ "$(cat frontend/node_modules/.installed 2>/dev/null || true)" != "$wanted" ]; then
  say "installing npm packages"
  (cd frontend && npm ci --silent --no-fund --no-audit)
  echo "$wanted" >frontend/node_modules/.installed
fi
# What the build writes into src itself (components.d.ts) does not count.
sources=$(find frontend/src frontend/public frontend/index.html frontend/vite.config.ts frontend/package-lock.json \
  -type f ! -name components.d.ts -exec sha256sum {} + | sort | sha256sum | cut -d' ' -f1)
if [ ! -f frontend/dist/index.html ] || [ "$(cat frontend/dist/.built 2>/dev/null || true)" != "$sources" ]; then
  say "building the front end"
  (cd frontend && npm run --silent build -- --logLevel warn)
  echo "$sources" >frontend/dist/.built
fi
