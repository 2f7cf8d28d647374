# Shared by script/demo and script/test: finds or installs what they need. Sourced, never run.

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; else sudo -n "$@" 2>/dev/null || sudo "$@"; fi
}

# need COMMAND-TEST PACKAGE... : installs the Debian packages unless the test succeeds.
need() {
  local test=$1
  shift
  if ! eval "$test" >/dev/null 2>&1; then
    echo "installing $*" >&2
    as_root env DEBIAN_FRONTEND=noninteractive apt-get update -q >/dev/null
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "$@" >/dev/null
  fi
}

find_python() {
  local name
  for name in python3 python3.13 python3.12 python3.11; do
    if "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$name"
      return
    fi
  done
  return 1
}

# python_ready LOCK... : a virtual environment with exactly what the lock files pin, made again only when they change.
python_ready() {
  need find_python python3
  local python
  python=$(find_python)
  need "$python -c 'import ensurepip, venv'" python3-venv
  [ -x .venv/bin/python ] || "$python" -m venv .venv
  local stamp
  stamp=$(cat "$@" pyproject.toml | sha256sum)
  if [ "$(cat ".venv/stamp-$#-$(basename "${@: -1}")" 2>/dev/null)" != "$stamp" ]; then
    echo "installing Python packages" >&2
    local lock
    for lock in "$@"; do .venv/bin/pip install -q --disable-pip-version-check --require-hashes -r "$lock" 2>/dev/null \
      || .venv/bin/pip install --disable-pip-version-check --require-hashes -r "$lock"; done
    .venv/bin/pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e . 2>/dev/null \
      || .venv/bin/pip install --disable-pip-version-check --no-deps --no-build-isolation -e .
    echo "$stamp" > ".venv/stamp-$#-$(basename "${@: -1}")"
  fi
}

postgres_ready() {
  need 'ls /usr/lib/postgresql/*/bin/initdb' postgresql
}

# What the PDF maker draws text with.
pdf_ready() {
  need '.venv/bin/python -W ignore -c "import weasyprint"' libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0
}
