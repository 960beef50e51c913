#!/bin/sh
# Migrates, seeds Kilnlight, starts server and worker in the background, and prints where to go. `demo.sh stop` stops them.
set -eu
cd "$(dirname "$0")/.."
HOST=${HOST:-127.0.0.1}
PORT=${PORT:-8000}
data=${UPWELLING_DATA:-$PWD/var}
pid=$data/server.pid
manage=".venv/bin/python -m upwelling.web.manage"

running() { [ -f "$pid" ] && kill -0 "$(cat "$pid")" 2>/dev/null; }

if [ "${1:-}" = stop ]; then
    if running; then kill "$(cat "$pid")" && rm -f "$pid" && echo "Stopped."; else echo "Nothing is running."; fi
    exit 0
fi

mkdir -p "$data"
if ! running; then
    $manage migrate --verbosity 0
    $manage seed_kilnlight
    nohup $manage serve --host "$HOST" --port "$PORT" > "$data/server.log" 2>&1 &
    echo $! > "$pid"
    echo "$HOST:$PORT" > "$data/server.address"
fi
address=$(cat "$data/server.address")
i=0
until .venv/bin/python -c "import urllib.request; urllib.request.urlopen('http://$address/sign-in/', timeout=2)" 2>/dev/null; do
    i=$((i + 1))
    if [ $i -gt 60 ] || ! running; then
        echo "The server did not start. Its last words, from $data/server.log:"
        tail -n 20 "$data/server.log"
        rm -f "$pid"
        exit 1
    fi
    sleep 0.5
done
cat <<MESSAGE

Upwelling is running, server and worker:  http://$address/
Sign in as technician (may change) or viewer (may look); the password of both is kilnlight-demo.
Data and log are in $data. Stop with \`make stop\`.
MESSAGE
