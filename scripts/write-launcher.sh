#!/bin/sh
# Writes the command "upwelling" to the file named, for the Python named: write-launcher.sh FILE PYTHON
set -eu
cat > "$1" <<SCRIPT
#!$2
from upwelling.cli.main import main

# The guard is for processes that begin by importing this file: a farm's workers, and readers of foreign files.
if __name__ == "__main__":
    raise SystemExit(main())
SCRIPT
chmod +x "$1"
