"""The Kilnlight set, small, made once a session."""

import pytest

from upwelling.core.simulate.kilnlight_set import TAKES, Studio


@pytest.fixture(scope="session")
def kilnlight(tmp_path_factory):
    """The whole set at 640 × 360, on disk."""
    folder, studio = tmp_path_factory.mktemp("kilnlight"), Studio(640, 4)
    for take in TAKES:
        studio.write(take, folder)
    return folder
