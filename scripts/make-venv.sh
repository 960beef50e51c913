#!/bin/sh
# Makes .venv with Python 3.11 and installs a lock file into it, hashes checked. Installs Debian's venv package if missing.
set -eu
cd "$(dirname "$0")/.."
python=$(command -v /usr/bin/python3.11 || command -v python3.11 || true)
if [ -z "$python" ]; then
    echo "Installing Python 3.11 from Debian …"
    apt-get update -qq && apt-get install -y -qq python3.11 python3.11-venv
    python=/usr/bin/python3.11
fi
if [ ! -x .venv/bin/pip ]; then
    rm -rf .venv
    if ! "$python" -m venv .venv >/dev/null 2>&1; then
        echo "Installing Python's venv module from Debian …"
        apt-get update -qq && apt-get install -y -qq python3.11-venv
        rm -rf .venv
        "$python" -m venv .venv
    fi
fi
echo "Installing $1 …"
# A lock names every package there is to install, so nothing is resolved anew: an old pip takes a newer release for
# a package asked for with an extra ("coverage[toml]") and then refuses it. "check" proves that the lock is whole.
.venv/bin/pip install --quiet --no-compile --no-deps --disable-pip-version-check --require-hashes -r "$1"
.venv/bin/pip check --disable-pip-version-check
# The project itself, as a path file: nothing to build, so no build tools are fetched.
site=$(.venv/bin/python -c 'import sysconfig; print(sysconfig.get_path("purelib"))')
echo "$PWD/src" > "$site/upwelling.pth"
sh scripts/write-launcher.sh .venv/bin/upwelling "$PWD/.venv/bin/python"
