"""The script behind "make demo": its own steps, with a server that stands in for the real one."""

import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

import pytest

SCRIPT = Path(__file__).parents[2] / "scripts" / "demo.sh"
SERVER = """#!/bin/sh
case "$*" in
  *upwelling.web.manage*) {serve} ;;
  *) exec {python} "$@" ;;
esac
"""
COMES_UP = "echo Seeding; exec {python} -m http.server --bind 127.0.0.1 $PORT"


@pytest.fixture
def demo(tmp_path):
    """Runs the script in a folder of its own."""
    (tmp_path / ".venv" / "bin").mkdir(parents=True)
    (tmp_path / "bin").mkdir()
    (tmp_path / "scripts").mkdir()
    shutil.copy(SCRIPT, tmp_path / "scripts")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]

    def run(*words, serve=COMES_UP):
        python = tmp_path / ".venv" / "bin" / "python"
        python.write_text(SERVER.format(serve=serve.format(python=sys.executable), python=sys.executable))
        python.chmod(0o755)
        path = f"{tmp_path / 'bin'}:{os.environ['PATH']}"
        return subprocess.run(
            ["/bin/sh", str(tmp_path / "scripts" / "demo.sh"), *words],
            env={"PATH": path, "PORT": str(port)},
            capture_output=True,
            text=True,
            timeout=120,
        )

    yield run
    run("stop")


@pytest.mark.parametrize("tail", ["", "#!/bin/sh\nexit 1\n"], ids=["as it is", "gone at once"])
def test_the_address_is_printed_whatever_becomes_of_the_log(demo, tmp_path, tail):
    """On a busy machine what follows the log may begin before there is one, and be gone when it is to be ended."""
    if tail:
        (tmp_path / "bin" / "tail").write_text(tail)
        (tmp_path / "bin" / "tail").chmod(0o755)
    first, again = demo(), demo()
    for done in (first, again):
        assert (done.returncode, "Upwelling is running" in done.stdout) == (0, True), done
    assert "Stopped." in demo("stop").stdout
    assert "Nothing is running." in demo("stop").stdout


def test_a_server_that_does_not_start_is_said(demo):
    done = demo(serve="echo no; exit 3")
    assert done.returncode == 1
    assert "The server did not start." in done.stdout
