"""Files made by other programs, each made once a run in a folder of its own, from the recipe that stands in the table
of its test.
"""

import shlex
import subprocess
from pathlib import Path as FilePath

import pytest

TOOLS = {"convert": "/usr/bin/convert"}
"""Where a tool must be called by its place."""


def run(command: str, folder: FilePath) -> str:
    """One tool, its words split as a shell would; gives what it printed, fails the test with what it complained of."""
    words = shlex.split(command)
    done = subprocess.run(
        [TOOLS.get(words[0], words[0]), *words[1:]],
        cwd=folder,
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )
    assert done.returncode == 0, f"{command}\n{done.stderr[-2000:]}"
    return done.stdout


@pytest.fixture(scope="session")
def workshop(tmp_path_factory):
    """A function that gives the path of a file, made by ``recipe`` (which names it {out}; other files by their names)
    if it is not there.
    """
    folder = tmp_path_factory.mktemp("outside")

    def made(name: str, *recipes: str) -> FilePath:
        place = folder / name
        if not place.exists():
            for recipe in recipes:
                run(recipe.replace("{out}", name), folder)
        assert place.exists(), name
        return place

    return made
