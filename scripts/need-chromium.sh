#!/bin/sh
# Debian's chromium for the browser tests, installed when missing.
set -eu
[ -x /usr/bin/chromium ] && exit 0
echo "Installing Debian's chromium …"
apt-get update -qq
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium >/dev/null
