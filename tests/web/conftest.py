"""A production with members, and stills made by a simulated camera at a small size."""

import os
import shutil
import subprocess
import sys

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.web.pages import WISH
from upwelling.core.media import write_still
from upwelling.core.proof import pictures, samples
from upwelling.core.simulate.camera import A_CAM
from upwelling.web.bakes.models import Bake
from upwelling.web.footage.models import Arrival
from upwelling.web.productions.models import Member, Rights
from upwelling.web.productions.services import create_production


@pytest.fixture(autouse=True)
def _few_samples(monkeypatch):
    """These certificates are about who bakes what; that samples find what is wrong is for tests/core to show."""
    monkeypatch.setattr(samples, "_STRATA", 16)
    monkeypatch.setattr(samples, "_RANDOM", 3_000)
    monkeypatch.setattr(samples, "_NEUTRAL", 1024)
    monkeypatch.setattr(pictures, "MOST_OF_A_FRAME", 3_000)


@pytest.fixture(autouse=True)
def _apart(settings, tmp_path):
    settings.FILES = tmp_path / "files"
    settings.MEDIA_FOLDER = tmp_path / "media"
    settings.MEDIA_FOLDER.mkdir()
    settings.PASSWORD_HASHERS = [
        "django.contrib.auth.hashers.MD5PasswordHasher"
    ]  # the real one takes over a second each
    settings.WORK_AT_ONCE = True
    settings.DELIVERIES = tmp_path / "deliveries"
    settings.RENDER_PROCESSES = 1


@pytest.fixture(scope="session")
def _migrated(tmp_path_factory):
    folder = tmp_path_factory.mktemp("migrated")
    environment = {**os.environ, "UPWELLING_DATA": str(folder), "DJANGO_SETTINGS_MODULE": "upwelling.web.settings"}
    subprocess.run([sys.executable, "-m", "upwelling.web.manage", "migrate", "-v0"], env=environment, check=True)
    return folder


@pytest.fixture
def new_data(_migrated, tmp_path):
    """A data folder with an empty database, for processes of a test's own."""
    return shutil.copytree(_migrated, tmp_path / "new data")


@pytest.fixture
def people(db):
    return {name: User.objects.create_user(name, password="x" * 12) for name in ("tess", "vera", "olaf")}


@pytest.fixture
def production(people):
    """Tess is its technician, Vera a viewer, Olaf no member."""
    made = create_production(people["tess"], "Kilnlight")
    made.footage_roots.create(folder=".")
    Rights.objects.create(user=people["tess"], may_create=True)
    Member.objects.create(production=made, user=people["vera"], role=Member.Role.VIEWER)
    return made


@pytest.fixture
def as_(people):
    from django.test import Client

    def signed_in(name):
        client = Client()
        client.force_login(people[name])
        return client

    return signed_in


@pytest.fixture
def still(tmp_path):
    """The bytes of a small S-Log3 DPX: a ramp with colour."""
    x = np.linspace(-6, 7.5, 96)[None, :, None]
    light = 0.18 * np.exp2(x) * np.array([1.2, 1.0, 0.7]) * np.ones((54, 1, 1))
    write_still(tmp_path / "ramp.dpx", A_CAM.shoot(light), "10")
    return (tmp_path / "ramp.dpx").read_bytes()


@pytest.fixture
def upload(as_, production, still, django_capture_on_commit_callbacks):
    """Hands a file in and lets the worker look at it; gives the answer, or the arrival once it was taken."""

    def send(name="ramp.dpx", content=None, who="tess"):
        file = SimpleUploadedFile(name, still if content is None else content)
        with django_capture_on_commit_callbacks(execute=True):
            answer = as_(who).post(
                f"/p/{production.slug}/intake/upload/", {"file": file}, headers={"Accept": "application/json"}
            )
        return Arrival.objects.get(pk=answer.json()["arrival"]) if answer.status_code == 202 else answer

    return send


@pytest.fixture
def shot(upload, production):
    upload()
    made = production.shots.get()
    made.encoding = "S-Log3/S-Gamut3.Cine"
    made.save()
    return made


@pytest.fixture
def baked(shot, as_, django_capture_on_commit_callbacks):
    """Starts a bake in the page and lets the worker do it."""

    def start(**wish):
        with django_capture_on_commit_callbacks(execute=True):
            answer = as_("tess").post(f"/p/kilnlight/bakes/of/{shot.pk}/start/", {**WISH, **wish})
        assert answer.status_code == 302, answer.content.decode()
        return Bake.objects.latest("pk")

    return start
