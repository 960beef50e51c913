"""The Kilnlight set, small, made once a session."""

import pytest

from tests.studio import SmallStudio
from upwelling.core.simulate.kilnlight_set import TAKES


@pytest.fixture(scope="session")
def kilnlight(tmp_path_factory):
    """The whole set at half its size, on disk."""
    folder, studio = tmp_path_factory.mktemp("kilnlight"), SmallStudio(2)
    for take in TAKES:
        studio.write(take, folder)
    return folder
