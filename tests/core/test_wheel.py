"""The wheel serves: built, installed into a new environment, and asked for pages from there, far from the checkout."""

import os
import subprocess
import sys
import sysconfig
from pathlib import Path as FilePath

import pytest

ROOT = FilePath(__file__).parents[2]
ASK = """
import django
django.setup()
from django.core.management import call_command
from django.test import Client
call_command("migrate", verbosity=0)
import upwelling
from upwelling.web.settings import DATA, PACKAGE
page = Client().get("/sign-in/", headers={"host": "localhost"})
names = ["css/base.css", "vendor/alpine/alpine-csp.min.js", "footage/upload.js", "bench/bench.js"]
from django.contrib.staticfiles import finders
print(upwelling.__file__, PACKAGE, DATA, page.status_code, b"Upwelling" in page.content,
      [name for name in names if not finders.find(name)])
import upwelling.core.media, upwelling.cli.main
"""


@pytest.mark.slow
def test_the_wheel_serves(tmp_path):
    """pip builds and installs it into a new environment, which has the dependencies of this one and nothing of the
    checkout.
    """
    quiet = {"capture_output": True, "text": True, "check": True, "cwd": tmp_path}
    source = tmp_path / "source"
    subprocess.run(["git", "-C", str(ROOT), "checkout-index", "-a", f"--prefix={source}/"], **quiet)
    subprocess.run(
        [
            sys.executable,
            "-m",
            "pip",
            "wheel",
            "-q",
            "--no-deps",
            "--no-build-isolation",
            "-w",
            str(tmp_path),
            str(source),
        ],
        **quiet,
    )
    (wheel,) = tmp_path.glob("upwelling-*.whl")
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(tmp_path / "new")], **quiet)
    python = tmp_path / "new" / "bin" / "python"
    site = next((tmp_path / "new").glob("lib/python*/site-packages"))
    subprocess.run(
        [sys.executable, "-m", "pip", "install", "-q", "--no-deps", "--target", str(site), str(wheel)], **quiet
    )
    # A path file is read for this folder alone, so the checkout's own, which lies in the other, is not.
    (site / "dependencies.pth").write_text(sysconfig.get_path("purelib") + "\n")
    home = {
        "PATH": os.environ["PATH"],
        "HOME": str(tmp_path),
        "DJANGO_SETTINGS_MODULE": "upwelling.web.settings",
        "UPWELLING_KERNEL_CACHE": os.environ.get("UPWELLING_KERNEL_CACHE", ""),
    }
    said = subprocess.run(
        [str(python), "-c", ASK],
        capture_output=True,
        text=True,
        cwd=tmp_path,
        env={k: v for k, v in home.items() if v},
        check=False,
    )
    assert said.returncode == 0, said.stderr[-2000:]
    assert said.stdout.split() == [
        str(site / "upwelling" / "__init__.py"),
        str(site / "upwelling" / "web"),
        str(tmp_path / "var"),
        "200",
        "True",
        "[]",
    ]
