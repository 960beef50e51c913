#!/bin/sh
# Migrates, seeds Kilnlight, starts server and worker in the background, and prints where to go. `demo.sh stop` stops them.
set -eu
cd "$(dirname "$0")/.."
HOST=${HOST:-127.0.0.1}
PORT=${PORT:-8000}
data=${UPWELLING_DATA:-$PWD/var}
pid=$data/server.pid
log=$data/server.log
manage=".venv/bin/python -m upwelling.web.manage"

running() { [ -f "$pid" ] && kill -0 "$(cat "$pid")" 2>/dev/null; }

if [ "${1:-}" = stop ]; then
    if ! running; then echo "Nothing is running."; exit 0; fi
    number=$(cat "$pid")
    kill "$number"
    # The worker ends with the server, whichever way that goes.
    for _ in $(seq 150); do running || break; sleep 0.2; done
    if running; then kill -9 "$number"; fi
    rm -f "$pid"
    echo "Stopped."
    exit 0
fi

mkdir -p "$data"
follow=
# What follows the log may be gone already, and may never have begun: that is no reason to stop.
unfollow() { [ -z "$follow" ] || kill "$follow" 2>/dev/null || true; }
if ! running; then
    : > "$log"
    PYTHONUNBUFFERED=1 nohup $manage serve --demo --host "$HOST" --port "$PORT" >> "$log" 2>&1 &
    echo $! > "$pid"
    echo "$HOST:$PORT" > "$data/server.address"
    tail -n +1 -f "$log" &
    follow=$!
fi
address=$(cat "$data/server.address")
until .venv/bin/python -SE -c "import socket; socket.create_connection(('${address%:*}', ${address##*:}), 2)" 2>/dev/null; do
    if ! running; then
        unfollow
        echo "The server did not start. What it said is in $log."
        rm -f "$pid"
        exit 1
    fi
    sleep 0.2
done
unfollow
cat <<MESSAGE

Upwelling is running, server and worker:  http://$address/
Sign in as technician (may change) or viewer (may look); the password of both is kilnlight-demo.
Data and log are in $data. Stop with \`make stop\`.
MESSAGE
