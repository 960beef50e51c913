"""Shared by all tests: kernels compiled once, and web data in a folder of its own."""

import os
import tempfile

os.environ.setdefault("UPWELLING_INDEX_CACHE", tempfile.mkdtemp(prefix="upwelling-indexes-"))
os.environ.setdefault("UPWELLING_DATA", tempfile.mkdtemp(prefix="upwelling-tests-"))
