"""The application's settings with deadly work added, limits that are soon reached, and the worker's real ways."""

from upwelling.web.settings import *  # noqa: F403
from upwelling.web.settings import INSTALLED_APPS

INSTALLED_APPS = [*INSTALLED_APPS, "tests.web.deadly"]
TASK_MEMORY = 4 * 2**30
