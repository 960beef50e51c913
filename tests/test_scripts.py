"""The model of the Bench's page, tested by node's own runner: steps, groups, mattes, keys, curves' points, regions."""

import shutil
import subprocess
from pathlib import Path as FilePath

import pytest

HERE = FilePath(__file__).parent / "js"


@pytest.mark.skipif(shutil.which("node") is None, reason="There is no node here; `make test` installs one.")
@pytest.mark.parametrize("file", sorted(HERE.glob("*.test.js")), ids=lambda file: file.stem)
def test_the_model_of_the_page(file):
    done = subprocess.run(
        ["node", "--experimental-default-type=module", "--test", str(file)], capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert "# fail 0" in done.stdout
