"""Shared by all tests: kernels compiled once, web data in a folder of its own, what each test asks of the machine."""

import os
import tempfile
from pathlib import Path as FilePath

import pytest

# Processes of tests stand beside each other: libraries that each take all cores wait for one another.
for library in ("OPENBLAS", "OMP", "MKL"):
    os.environ.setdefault(f"{library}_NUM_THREADS", "1")
os.environ.setdefault("UPWELLING_INDEX_CACHE", tempfile.mkdtemp(prefix="upwelling-indexes-"))
os.environ.setdefault("UPWELLING_DATA", tempfile.mkdtemp(prefix="upwelling-tests-"))


def pytest_configure(config):
    """Several processes find kernels compiled; one alone compiles those that it comes to."""
    several = getattr(config.option, "numprocesses", None) and not hasattr(config, "workerinput")
    if several and not config.option.collectonly:
        from upwelling.core.warm import warm

        warm()


def pytest_collection_modifyitems(items):
    """Tests that drive a browser are marked by their folder."""
    for item in items:
        if "browser" in FilePath(item.path).parts:
            item.add_marker(pytest.mark.browser)
