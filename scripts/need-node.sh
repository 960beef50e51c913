#!/bin/sh
# A node that runs the tests of the page's model, Debian's where the machine has none.
set -eu
command -v node >/dev/null && exit 0
echo "Installing Debian's node …"
apt-get update -qq
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends nodejs >/dev/null
