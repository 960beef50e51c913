"""`python -m upwelling` is the command line."""

from upwelling.cli.main import main

raise SystemExit(main())
