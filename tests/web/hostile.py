"""What a page would never send, for every address: all fields, each with values that break careless readers."""

import json
import random
import re
from pathlib import Path

from django.db import transaction
from django.urls import get_resolver, reverse

import upwelling.web

HUGE = 10**400
TEXTS = [
    "", " ", "²", "٣", "½", "１２", "nan", "inf", "-inf", "1e999", "-1", "0", "0x10", "1_0", "9" * 5000, "x" * 5000,
    "\0", "../../etc/passwd", "<script>", "a/b", "‮", "2026-01-01", "true", "None", "{}", "[]", "🜚" * 300,
]  # fmt: skip
VALUES = [
    None, True, 0, -1, 5, 1.5, HUGE, -HUGE, 2**63, 1e300, [], {}, "", "²", "x" * 5000, "\0", "\ud800", [[]], [None],
    [HUGE], ["1e999"], {"a": 1}, [{}], "nan", "1e999", [1, 2, 3, 4, 5],
]  # fmt: skip
RAW = [
    b"[" * 100_000, b'{"settings":' * 50_000, b"\xff\xfe", b"", b"{", b"5", b"[]", b"null", b'{"settings": NaN}',
    b'{"shots": [1e999], "settings": 1e999}', b'{"name": "\\ud800"}', b'{"frame": ' + b"9" * 5000 + b"}",
    b'"' * 200_001,
    b"{" + b",".join(b'"%d": 1' % n for n in range(150_000)) + b"}",
]  # fmt: skip
AT_ONCE = 4
"""Names of an address that are broken in one request: a view reads few of all there are."""


def bodies(shot, look, lut):
    """What pages send in JSON, by the name of the address, and in forms."""
    settings = shot.settings.model_dump(mode="json")
    place = {"settings": settings, "step": "balance", "point": {"x": 3, "y": 4}, "frame": 0,
             "region": {"kind": "rectangle", "x": 0.1, "y": 0.1, "width": 0.2, "height": 0.2}}  # fmt: skip
    rendering = shot.production.rule_set.rendering.model_dump(mode="json")
    preview = {"settings": settings, "page": "p", "number": 3, "frame": 0, "scopes": [{"kind": "waveform"}],
               "region": None,
               "point": {"x": 1, "y": 1}, "part": {"x": 0, "y": 0, "width": 20, "height": 20}, "view": "stops",
               "output": "", "stage": "trim", "step": "exposure", "bars": False, "lossless": False}  # fmt: skip
    wish = {"start": "camera", "end": "display", "carrier": "", "receiver": "", "format": "", "dimensions": "3",
            "size": "9", "shaper": "none", "output": "", "trim": "with", "look": "", "density": [0.1],
            "entries": "sampled", "left_out": ["exposure"]}  # fmt: skip
    sent = {
        "preview": preview,
        "save": {"settings": settings, "version": 0, "label": "x"},
        "stand": {"frame": 0},
        "marks": {"settings": settings},
        "change-marks": {"settings": settings, "mark": "one"},
        "history": {"position": 0},
        "neutral": place,
        "clips": place,
        "noise": place,
        "raw-neutral": place,
        "solve": {**place, "aim": "grey"},
        "colour-range": {**place, "how": "more", "range": {"hue": 30}},
        "curve": {"kind": "curves", "curve": "master", "points": [[0, 0], [1, 1]]},
        "follow": {"settings": settings, "step": "exposure", "selection": "ellipse", "frame": 0, "model": "turn"},
        "match": {
            "settings": settings,
            "frame": 0,
            "kind": "shot",
            "pk": shot.pk,
            "method": "pairs",
            "pairs": [[[0.2, 0.3], [0.2, 0.3]]],
        },
        "difference": {"settings": settings, "frame": 0, "kind": "shot", "pk": shot.pk, "reference_frame": 0},
        "give-match": {"version": 0, "kind": "shot", "pk": shot.pk},
        "shelve": {"settings": settings, "frame": 0, "name": "One"},
        "reference-preview": preview,
        "motion": {"settings": settings, "first": 0, "count": 1},
        "change": {"shots": [shot.pk], "verb": "encoding", "value": ""},
        "find-chart": {"frame": 0},
        "mark-chart": {"corners": [[0.1, 0.1], [0.8, 0.1], [0.8, 0.9], [0.1, 0.9]]},
        "light-level": {"start": 0, "count": 1, "output": ""},
        "rendering-cell": {"rendering": rendering, "output": "", "scope": "waveform"},
        "use-rendering": {"rendering": rendering, "output": "", "whose": "shot"},
        "monitor-look": {"monitor": {}, "output": ""},
        "bake-check": wish,
    }
    step = look.newest.step_list[0].id
    forms = {
        "bake-start": {**wish, "density": "0.1", "left_out": "", "yes": "on"},
        "rules": {"working": "AP1", "output": "BT.709 BT.1886", "range": "full", "depth": "10", "managed": "on"},
        "give": {"step": "exposure", "shot": str(shot.pk)},
        "proposal": {"key": "a|b"},
        "register": {"folder": "."},
        "match-camera": {"shot": str(shot.pk), "reference": str(shot.pk), "method": "chart"},
        "change-correction": {"what": "on"},
        "match-many": {"shot": str(shot.pk), "reference": "neighbour", "method": "scene", "own": "keep"},
        "cuts": {"rate": "24"},
        "change-cut": {"what": "again", "change": "1"},
        "order-delivery": {"shot": str(shot.pk), "cut": "", "as": "one", "handles": "4", "preset": "H.264",
                           "output": "", "boundary": "look", "encoding": "ACEScct/AP1", "sizing": "fit", "width": "64",
                           "height": "64", "rate": "24", "range": "legal", "dither": "none", "held": "rate",
                           "quality": "20", "megabits": "2", "pattern": "{shot}", "folder": "f", "sound": "off",
                           "damaged": "stop", "clash": "version"},
        "plan-delivery": {"shot": str(shot.pk), "preset": "TIFF 16-bit", "output": "", "pattern": "{file}"},
        "own-forms": {"name": "Own", "remove": "1", "preset": "H.264", "held": "quality", "quality": "20"},
        "change-delivery": {"what": "retry"},
        "change-job": {"order": "1,2"},
        "settle-event": {"shot": str(shot.pk), "first": "0", "back": ""},
        "accept-matches": {"proposal": "1", "one": "1"},
        "references": {"what": "mark", "mark": "1", "reference": "1"},
        "camera": {"name": "A", "encoding": "", "range": "", "development.exposure": "1", "development.kelvin": "5000"},
        "make-shots": {"cuts": "[3]"},
        "settle": {"encoding": "", "range": "full", "managed": "on"},
        "new-look": {"name": "One", "from": "shot", "shot": str(shot.pk), "lut": str(lut.pk), "note": ""},
        "give-look": {"group": "", "look": str(look.pk), "strength": "50"},
        "sheet-give": {"shot": str(shot.pk), "look": str(look.pk), "strength": "50", "what": "look", "group": "G",
                       "into": "1", "back": ""},
        "propose-look": {"from": "form", "shot": str(shot.pk), "number": "1", f"{step}:strength": "50",
                         f"{step}:order": "1", f"{step}:slope.0": "1", f"{step}:saturation": "0.9", "note": ""},
        "decide-look": {"what": "save", "note": ""},
        "manage-look": {"what": "rename", "name": "New", "shot": str(shot.pk)},
        "declare-lut": {"expects": "S-Log3/S-Gamut3.Cine", "expects_range": "full", "gives": "", "gives_range": "full",
                        "interpolation": "trilinear"},
        "use-lut": {"as": "input", "name": "n"},
        "outputs": {"name": "Own", "peak_nits": "100", "black_nits": "0.01", "white_nits": "100", "curve": "gamma",
                    "gamma": "2.4", "primaries": "BT.709", "red_x": "0.64", "red_y": "0.33", "replaces": ""},
        "deliver": {"output": "sRGB", "what": "add", "range": "full", "depth": "10"},
        "render-by-rise": {"output": "sRGB"},
        "own-encodings": {"kind": "table", "name": "T", "pairs": "0,0\n0.2,0.1\n0.5,0.4\n1,1", "code_top": "1",
                          "primaries": "own", "red_x": "0.64", "red_y": "0.33", "green_x": "0.3", "green_y": "0.6",
                          "blue_x": "0.15", "blue_y": "0.06", "white_x": "0.3127", "white_y": "0.329",
                          "default_range": "full", "note": "", "replaces": "", "base": "10", "gives": ""},
        "define-receiver": {"name": "R", "formats": ".cube", "sizes_3d": "17, 33", "most_entries": "1024",
                            "interpolation": "trilinear", "input_range": "full", "output_range": "full", "bits": "10"},
        "tolerances": {"p95": "1", "p99": "2", "worst": "3"},
        "package-start": {"output": "", "receiver": "x", "camera": "y", "what": "display"},
        "productions": {"name": "Second", "description": ""},
        "login": {"username": "tess", "password": "x"},
        "password": {"old_password": "x", "new_password1": "y", "new_password2": "z"},
    }  # fmt: skip
    return sent, forms


def queries():
    """All names that views read from an address."""
    web = Path(upwelling.web.__file__).parent
    text = "".join(path.read_text() for path in web.rglob("*.py"))
    return sorted(set(re.findall(r'GET\.get(?:list)?\("(\w+)"', text)))


def addresses(slug, known):
    """Each address by its name; ``known`` gives numbers of things that are there."""
    for pattern in (p for r in get_resolver().url_patterns for p in getattr(r, "url_patterns", [r])):
        named = {name: slug if name == "slug" else known.get((pattern.name, name), known["shot"])
                 for name in pattern.pattern.regex.groupindex}  # fmt: skip
        yield pattern.name, reverse(pattern.name, kwargs=named)


def mutants(body, values):
    """The body with one member, or one inside it, replaced by each of the values, or left out."""
    for key, old in body.items():
        for value in values:
            yield {**body, key: value}
            if isinstance(old, dict) and old:
                inner = sorted(old)[hash(str(value)) % len(old)]
                yield {**body, key: {**old, inner: value}}
        yield {k: v for k, v in body.items() if k != key}


class Walk:
    """Sends everything as one person, each request in a transaction of its own that is taken back; keeps what fell."""

    def __init__(self, client, seed, share):
        self.client, self.random, self.share, self.fell, self.sent = client, random.Random(seed), share, [], 0
        self.session = client.cookies["sessionid"].value

    def send(self, method, address, *args, **kwargs):
        self.sent += 1
        self.client.cookies["sessionid"] = self.session  # signing out takes it away
        with transaction.atomic():
            try:
                answer = getattr(self.client, method)(address, *args, **kwargs)
                status, text = answer.status_code, "" if answer.streaming else answer.content.decode("utf-8", "replace")
            except Exception as error:  # the client gives a view's exception on
                status, text = 500, f"{type(error).__name__}: {error}"
            transaction.set_rollback(True)
        bare = status >= 400 and "<h1>" not in text and '"error"' not in text
        if status >= 500 or bare:
            self.fell.append((status, method, address[:120], str(args)[:200], text[:160]))

    def some(self, many):
        many = list(many)
        return many if self.share >= 1 else self.random.sample(many, max(1, round(self.share * len(many))))

    def address(self, name, address, sent, forms):
        accept = {"Accept": "application/json"}
        broken = self.some((key, value) for key in queries() for value in TEXTS)
        self.random.shuffle(broken)
        for first in range(0, len(broken), AT_ONCE):
            self.send("get", address, dict(broken[first : first + AT_ONCE]))
        for raw in self.some(RAW):
            self.send("post", address, raw, content_type="application/json", headers=accept)
        for body in self.some(mutants(sent.get(name, {"settings": {}}), VALUES)):
            self.send("post", address, json.dumps(body), content_type="application/json", headers=accept)
        for body in self.some(mutants(forms.get(name, {"name": "x"}), TEXTS)):
            self.send("post", address, body)
