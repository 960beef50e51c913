"""Django's command line for this application: `python -m upwelling.web.manage`."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.umask(0o077)  # what the application keeps is read by its own account alone
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upwelling.web.settings")
    execute_from_command_line(sys.argv)
