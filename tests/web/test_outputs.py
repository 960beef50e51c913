"""Outputs, deliveries, comparing renderings, the monitor and light levels, through the pages."""

import json

import pytest

from upwelling.core.outputs import OUTPUTS
from upwelling.core.rendering import FITS, TONE_MAPS
from upwelling.core.rendering.bt2390 import Bt2390
from upwelling.core.steps import Exposure
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of
from upwelling.web.footage.shot_settings import ShotSettings
from upwelling.web.productions.services import define_output, set_rules

OWN = {
    "name": "Wall",
    "curve": "gamma 2.4",
    "primaries": "P3-D65",
    "limit": "",
    "peak_nits": "180",
    "black_nits": "0.05",
    "mid_grey_nits": "16",
    "white_nits": "180",
    "surround": "dark",
    "default_range": "full",
    "default_depth": "10",
    "note": "",
}


@pytest.fixture
def shot(production, people, still, tmp_path):
    from upwelling.web.footage.shots import bring_in

    place = tmp_path / "take.dpx"
    place.write_bytes(still)
    return bring_in(production, people["tess"], "take.dpx", place, encoding_name="S-Log3/S-Gamut3.Cine")


def post(client, url, **body):
    return client.post(url, json.dumps(body), content_type="application/json", headers={"accept": "application/json"})


def at(shot, tail):
    return f"/p/kilnlight/bench/{shot.pk}/{tail}/"


def rules(production):
    production.refresh_from_db()
    production.__dict__.pop("displays", None)
    return production.rule_set


def test_the_page_lists_every_output_with_its_codes(as_, production):
    page = as_("vera").get("/p/kilnlight/outputs/?name=BT.2100 PQ 1000, P3").content.decode()
    for name in OUTPUTS:
        assert name in page
    assert "L(10000000,1)" in page
    assert "594" in page
    assert "Save the output" not in page  # a viewer looks


def test_outputs_are_delivered_made_main_and_taken_off(as_, production):
    client, url = as_("tess"), "/p/kilnlight/outputs/deliver/"
    client.post(url, {"output": "bt.2100 pq 1000", "what": "add", "range": "legal", "depth": "12"})
    assert [(d.output, d.range, d.depth) for d in rules(production).deliveries] == [("BT.2100 PQ 1000", "legal", 12)]
    client.post(url, {"output": "BT.2100 PQ 1000", "what": "main", "range": "full", "depth": "10"})
    now = rules(production)
    assert (now.output, [d.output for d in now.deliveries]) == ("BT.2100 PQ 1000", ["BT.709 BT.1886"])
    client.post(url, {"output": "BT.709 BT.1886", "what": "off"})
    assert rules(production).deliveries == ()
    answer = client.post(url, {"output": "Nowhere", "what": "add"}, follow=True).content.decode()
    assert "Nowhere" in answer
    answer = client.post(url, {"output": "sRGB", "what": "add", "depth": "9"}, follow=True).content.decode()
    assert "8, 10, 12 or 16 bit" in answer
    assert rules(production).deliveries == ()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"peak_nits": "many"}, "must be a number"),
        ({"mid_grey_nits": "170"}, "no room under a peak"),
        ({"name": "sRGB"}, "built-in output"),
        ({"default_depth": "9"}, "Default depth"),
        ({"name": ""}, "Name"),
    ],
)
def test_bad_outputs_are_refused_with_what_was_typed_kept(as_, production, change, words):
    page = as_("tess").post("/p/kilnlight/outputs/", {**OWN, **change}).content.decode()
    assert words in page
    assert 'value="180"' in page
    assert production.own_outputs.count() == 0


def test_own_outputs_are_made_used_changed_and_removed(as_, production, shot):
    client = as_("tess")
    client.post("/p/kilnlight/outputs/", OWN)
    row = production.own_outputs.get()
    client.post("/p/kilnlight/outputs/deliver/", {"output": "Wall", "what": "add"})
    shot = Shot.objects.select_related("production").get(pk=shot.pk)
    path = path_of(shot, None, "Wall")
    assert (path.target.name, path.target.peak_nits, path.display.depth) == ("Wall", 180.0, 10)
    assert (
        "Take it off that list first"
        in client.post(f"/p/kilnlight/outputs/{row.pk}/remove/", follow=True).content.decode()
    )
    assert (
        "cannot change"
        in client.post("/p/kilnlight/outputs/", {**OWN, "name": "Screen", "replaces": "Wall"}).content.decode()
    )
    # A change that the production's rendering cannot meet keeps the old definition.
    refused = client.post(
        "/p/kilnlight/outputs/", {**OWN, "peak_nits": "9000", "mid_grey_nits": "1", "replaces": "Wall"}
    ).content.decode()
    assert "Raise the contrast" in refused
    row.refresh_from_db()
    assert row.custom.peak_nits == 180
    client.post("/p/kilnlight/outputs/deliver/", {"output": "Wall", "what": "off"})
    client.post(f"/p/kilnlight/outputs/{row.pk}/remove/")
    assert production.own_outputs.count() == 0


def test_primaries_by_xy(as_, production):
    xy = {
        "red_x": "0.7",
        "red_y": "0.29",
        "green_x": "0.2",
        "green_y": "0,75",
        "blue_x": "0.14",
        "blue_y": "0.05",
        "white_x": "0.3127",
        "white_y": "0.329",
    }
    client = as_("tess")
    assert "must be a number" in client.post("/p/kilnlight/outputs/", {**OWN, **xy, "green_y": ""}).content.decode()
    assert (
        "on one line"
        in client.post("/p/kilnlight/outputs/", {**OWN, **xy, "green_x": "0.7", "green_y": "0.29"}).content.decode()
    )
    page = client.post("/p/kilnlight/outputs/", {**OWN, **xy}, follow=True).content.decode()
    assert production.own_outputs.get().custom.output().gamut.green == (0.2, 0.75)
    assert 'value="0.75"' in page


def test_a_delivery_follows_the_production_or_its_own_rendering(production, people, shot):
    set_rules(
        production,
        {"deliveries": [{"output": "BT.2100 PQ 1000"}, {"output": "sRGB", "rendering": Bt2390().model_dump()}]},
    )
    shot = Shot.objects.select_related("production").get(pk=shot.pk)
    own = ShotSettings(rendering=Bt2390(source_nits=2000.0))
    kinds = {name: path_of(shot, own, name).rendering.method for name in ("", "BT.2100 PQ 1000", "sRGB")}
    assert kinds[""].source_nits == kinds["BT.2100 PQ 1000"].source_nits == 2000.0
    assert kinds["sRGB"] == Bt2390()


def test_every_method_and_fit_in_a_cell(as_, shot):
    client, seen = as_("vera"), set()
    for method in TONE_MAPS:
        for fit in FITS[:: 1 if method is TONE_MAPS[0] else 3]:
            got = post(
                client, at(shot, "renderings/cell"), rendering=method(fit=fit()).model_dump(mode="json"), scope="parade"
            ).json()
            assert got["picture"].startswith("data:image/jpeg;base64,"), got
            assert got["scope"].startswith("data:image/png;base64,")
            seen.add(got["picture"])
            assert {"Mid grey", "Hue turn", "From HDR", "Moved by the fit"} <= {row["name"] for row in got["numbers"]}
            assert all(row["title"] for row in got["numbers"])
    assert len(seen) >= len(TONE_MAPS)


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ({"rendering": {"kind": "rise", "contrast": 9}}, "less than or equal"),
        ({"rendering": {"kind": "wet plate"}}, "Rendering"),
        ({"rendering": {"kind": "rise", "contrast": 0.8, "scene_peak": 4}}, "Raise the contrast"),
        ({"rendering": None}, "Rendering"),
    ],
)
def test_cells_that_cannot_be_say_why(as_, shot, body, words):
    answer = post(as_("tess"), at(shot, "renderings/cell"), **body)
    assert answer.status_code == 422
    assert words in answer.json()["error"]


def test_a_rendering_becomes_the_shots_the_productions_or_an_outputs(as_, production, people, shot):
    client, chosen = as_("tess"), {"kind": "reinhard", "scene_peak": 20.0}
    set_rules(production, {"deliveries": [{"output": "sRGB"}]})
    assert (
        "has this rendering" in post(client, at(shot, "renderings/use"), rendering=chosen, whose="shot").json()["said"]
    )
    assert Shot.objects.get(pk=shot.pk).settings.rendering.scene_peak == 20.0
    post(client, at(shot, "renderings/use"), rendering=chosen, whose="production")
    assert rules(production).rendering.kind == "reinhard"
    post(client, at(shot, "renderings/use"), rendering={"kind": "clip"}, whose="output", output="sRGB")
    assert rules(production).delivery("sRGB").rendering.kind == "clip"
    assert (
        "further outputs"
        in post(client, at(shot, "renderings/use"), rendering=chosen, whose="output", output="Display P3").json()[
            "error"
        ]
    )
    refused = post(
        client, at(shot, "renderings/use"), rendering={"kind": "bt2446a"}, whose="output", output="BT.2100 PQ 1000"
    )
    assert "maps HDR to SDR" in refused.json()["error"]
    assert post(as_("vera"), at(shot, "renderings/use"), rendering=chosen, whose="shot").status_code == 403


def test_rules_of_any_method_survive_the_form(as_, production):
    set_rules(
        production,
        {
            "rendering": {"kind": "reinhard", "scene_peak": 30.0, "preserve": "power norm"},
            "deliveries": [{"output": "sRGB"}],
        },
    )
    client = as_("tess")
    page = client.get("/p/kilnlight/").content.decode()
    assert "Reinhard, extended" in page
    form = {
        "working": "AP1",
        "adaptation": "CAT02",
        "output": "BT.709 BT.1886",
        "range": "full",
        "depth": "10",
        "managed": "True",
        "hlg_peak_nits": "1000",
        "hlg_black_nits": "0",
        "default_encoding": "",
        "rendering_scene_peak": "40",
        "rendering_preserve": "luminance",
        "rendering_saturation": "0",
    }
    client.post("/p/kilnlight/rules/", form)
    now = rules(production)
    assert (now.rendering.kind, now.rendering.scene_peak, now.rendering.preserve) == ("reinhard", 40.0, "luminance")
    assert [d.output for d in now.deliveries] == ["sRGB"]


def test_unsettled_shots_have_nothing_to_compare(as_, shot):
    Shot.objects.filter(pk=shot.pk).update(encoding="", state="contradictory")
    for tail in ("renderings", "monitor"):
        assert "settle its encoding" in as_("tess").get(at(shot, tail)).content.decode()
    assert (
        "settle its encoding"
        in post(as_("tess"), at(shot, "renderings/cell"), rendering={"kind": "rise"}).json()["error"]
    )


def test_the_monitor_reads_patches(as_, shot):
    rest = post(as_("vera"), at(shot, "monitor/look"), monitor={}).json()
    assert rest["shown"] == rest["wanted"]
    assert rest["readings"][5]["measured"] == "100"
    lit = post(as_("vera"), at(shot, "monitor/look"), monitor={"ambient_lux": 500.0}).json()
    assert lit["shown"] != lit["wanted"]
    assert float(lit["readings"][0]["measured"]) == pytest.approx(1.59, abs=0.01)
    assert (
        "less than or equal"
        in post(as_("vera"), at(shot, "monitor/look"), monitor={"ambient_lux": 5000}).json()["error"]
    )


def test_light_levels_go_on_where_they_stopped(as_, production, shot):
    set_rules(production, {"deliveries": [{"output": "BT.2100 PQ 1000"}]})
    got = post(as_("vera"), at(shot, "light-level"), output="BT.2100 PQ 1000").json()
    assert got["next"] is None
    assert got["frames"] == 1
    assert 400 < got["max_cll"] <= 1000
    assert 0 < got["max_fall"] < got["max_cll"]


def test_the_torture_chart_comes_once(as_, production):
    client = as_("tess")
    first = client.post("/p/kilnlight/intake/torture-chart/")
    again = client.post("/p/kilnlight/intake/torture-chart/")
    assert first.url == again.url
    chart = production.shots.get()
    assert (chart.name, chart.encoding, chart.depth) == ("Torture chart", "linear/AP1", "float")


def test_the_bench_shows_an_output_and_its_own_steps(as_, production, people, shot):
    set_rules(production, {"deliveries": [{"output": "sRGB"}]})
    apply_settings(
        Shot.objects.select_related("production").get(pk=shot.pk),
        people["tess"],
        ShotSettings(steps=(Exposure(id="a", stops=1.0), Exposure(id="b", stops=-0.5, output="sRGB"))),
        version=0,
        label="x",
    )
    heads = {}
    for name in ("", "sRGB"):
        body = post(as_("vera"), at(shot, "preview"), output=name, stage="rendering").content
        heads[name] = json.loads(body[4 : 4 + int.from_bytes(body[:4], "little")])
    line = {name: next(row["line"] for row in head["column"] if row["stage"] == "trim") for name, head in heads.items()}
    assert "−0.50" not in line[""]
    assert "−0.50" in line["sRGB"]
    assert sum(heads[""]["tones"]) > 0
    plot = heads["sRGB"]["tone"]
    assert [h["title"] for h in plot["handles"]] == ["Toe", "Shoulder", "Peak"]
    assert plot["nits"][-1]["label"] == "80"


def test_film_is_read_as_density_against_log_exposure(as_, production, people, shot):
    """The plot's side axis is −log₁₀ of light over the peak, the trace lists both densities; Rise shows neither."""
    heads = {}
    for kind in ("rise", "film"):
        set_rules(production, {"rendering": {"kind": kind}})
        body = post(as_("vera"), at(shot, "preview"), stage="rendering", point={"x": 5, "y": 5}).content
        heads[kind] = json.loads(body[4 : 4 + int.from_bytes(body[:4], "little")])
    plot = heads["film"]["tone"]
    assert [plot["side"], [tick["label"] for tick in plot["side_ticks"]]] == ["density", ["1", "2", "3", "4"]]
    tens = {tick["label"]: tick["y"] for tick in plot["nits"]}
    assert plot["side_ticks"][0]["y"] == pytest.approx(tens["10"], abs=0.1)  # a tenth of 100 cd/m²
    assert heads["rise"]["tone"]["side"] == "stops"
    assert len(heads["film"]["trace"]["negative"]) == len(heads["film"]["trace"]["print"]) == 3
    assert "negative" not in heads["rise"]["trace"]


def test_an_hdr_output_says_what_the_screen_leaves_out(as_, production, people, shot):
    define_output(
        production,
        people["tess"],
        {
            "name": "Hall",
            "curve": "PQ",
            "primaries": "BT.2020",
            "peak_nits": 600,
            "mid_grey_nits": 20,
            "white_nits": 203,
        },
    )
    set_rules(production, {"deliveries": [{"output": "Hall"}]})
    body = post(as_("vera"), at(shot, "preview"), output="Hall").content
    assert "brighter is white here" in json.loads(body[4 : 4 + int.from_bytes(body[:4], "little")])["screen"]
