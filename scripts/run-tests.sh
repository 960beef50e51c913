#!/bin/sh
# The whole suite: the tests in a browser beside all others, as each leaves half of two cores idle. Kernels are compiled first, once.
set -u
cd "$(dirname "$0")/.."
python=.venv/bin/python
# Many processes are begun: where the environment says that compiled modules are not kept, each would take seconds more.
unset PYTHONDONTWRITEBYTECODE
said=$(mktemp)
trap 'rm -f "$said"' EXIT
$python -c "from upwelling.core.warm import warm; warm()" || exit 1
$python -m pytest -m browser tests/browser --durations=15 > "$said" 2>&1 &
browser=$!
$python -m pytest -m "not browser" -n 2 --durations=15 "$@"
others=$?
wait $browser
browsing=$?
cat "$said"
[ $others -eq 0 ] && [ $browsing -eq 0 ]
