"""A joint look: led on the Bench, followed by who has the link of a showing."""

import numpy as np
import pytest

from tests.web.test_showings import HERE, guest, shown
from upwelling.web.bench import together
from upwelling.web.showings.services import withdraw
from upwelling.web.showings.together_views import _state

__all__ = ["shown"]


def test_a_joint_look_is_followed_and_ends(shown, shot, as_, monkeypatch):
    monkeypatch.setattr(together, "OFTEN", 1e9)
    showing = shown()
    tess, vera, ada = as_("tess"), as_("vera"), guest(showing)
    lead, along = f"{HERE}{showing.pk}/together/", f"{showing.address}along/"

    def says(client, **body):
        return client.post(lead, body, content_type="application/json", headers={"Accept": "application/json"})

    def preview(client, **body):
        body = {"settings": None, "lossless": True, "together": showing.pk, **body}
        return client.post(f"/p/kilnlight/bench/{shot.pk}/preview/", body, content_type="application/json")

    assert ada.get(along).json() == {"on": False}
    preview(tess)
    assert says(tess, what="say").json()["on"] is False, "nobody leads it yet"
    assert says(tess, what="begin").json() == {"on": True, "name": "Rough cut", "watching": []}
    assert "leads a joint look at this showing now" in says(vera, what="begin").json()["error"]
    preview(vera)
    assert "here" not in ada.get(along).json(), "only what its leader sees"
    seen = preview(tess).content
    state = {"compare": "wipe", "against": "Without trim", "wipe": 0.25, "angle": 30, "pointer": [0.5, 2]}
    says(tess, what="say", **state)
    preview(tess, role="other", untrimmed=True)
    told = ada.get(f"{along}?looks=1").json()
    assert (told["who"], told["compare"], told["wipe"], told["angle"], told["pointer"]) == (
        "tess",
        "wipe",
        0.25,
        30,
        [0.5, 1],
    )
    assert told["here"]["said"].startswith("ramp, frame 0")
    picture = ada.get(told["here"]["address"])
    assert picture["Content-Type"] == "image/png"
    assert picture.content in seen, "at rest, the very picture that the Bench shows"
    assert ada.get(f"{along}?number={told['number']}").json() == {"on": True, "number": told["number"]}
    assert says(tess, what="say", **state).json()["watching"] == ["Ada"]
    number = ada.get(along).json()["number"]
    preview(tess, lossless=False)
    assert ada.get(along).json()["number"] == number, "of a moving hand some are handed on"
    monkeypatch.setattr(together, "OFTEN", 0)
    assert ada.get(along).json()["number"] > number, "and the last one always"
    moving = ada.get(ada.get(along).json()["here"]["address"])
    assert moving["Content-Type"] == "image/jpeg"
    assert says(tess, what="end").json()["on"] is False
    assert ada.get(along).json() == {"on": False}
    assert ada.get(told["here"]["address"]).status_code == 404
    withdraw(showing)
    assert "is over" in says(tess, what="begin").json()["error"]


@pytest.mark.parametrize("sent", [None, "x", True, [], {"a": 1}, float("1e400"), -5])
def test_a_state_that_a_page_cannot_have_is_none(sent):
    state = _state({"compare": sent, "against": sent, "wipe": sent, "angle": sent, "pointer": [sent, sent]})
    assert state["compare"] == "now"
    assert 0 <= state["wipe"] <= 1
    assert np.isfinite(state["angle"])
    assert all(0 <= share <= 1 for share in state["pointer"])


def test_who_leads_and_is_not_heard_of_leads_no_more(shown, monkeypatch, people):
    showing = shown()
    joint = together.begin(showing.pk, showing.production_id, people["tess"])
    assert together.joint_of(showing.pk) is joint
    joint.heard -= together.FORGOTTEN + 1
    assert together.joint_of(showing.pk) is None
