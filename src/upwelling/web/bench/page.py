"""What the Bench's page is given: data for its script, words and rows of controls for its template."""

from __future__ import annotations

from functools import cached_property
from typing import Any, cast

from django.urls import reverse

from upwelling.core.errors import UnreadableFile
from upwelling.core.follow import MODELS
from upwelling.core.match import METHODS
from upwelling.core.outputs.monitor import MONITORS
from upwelling.core.parameters import MOST_POINTS
from upwelling.core.path import Path, without_tables
from upwelling.core.raw import Development, RawSettings
from upwelling.core.raw.development import PRESETS
from upwelling.core.rendering import FITS, TONE_MAPS, LutRendering
from upwelling.core.scopes import SCOPES
from upwelling.core.solving import AIMS, LEVELS
from upwelling.core.steps import SELECTIONS, STEPS, LutStep, Matte
from upwelling.core.steps.base import MIXES, OWN
from upwelling.core.steps.selections import MOST_SELECTIONS
from upwelling.core.viewing import NAMES
from upwelling.web.bench.bars import bars_of
from upwelling.web.bench.column import column, shared_strata, trim_fits
from upwelling.web.bench.first_pass import open_pass, pass_rows, pass_targets, standing_of
from upwelling.web.bench.hlg import hlg_ways
from upwelling.web.bench.layers import layers_shown
from upwelling.web.bench.remarks import remark_rows
from upwelling.web.bench.scope import BOUNDARIES
from upwelling.web.bench.strip import other_of, shelf_of, strip_of
from upwelling.web.bench.tone_plot import tone_points
from upwelling.web.common.controls import controls
from upwelling.web.footage.history import history_ends
from upwelling.web.footage.inheritance import inherited_encoding
from upwelling.web.footage.intake import row_of
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of, raw_settings_of
from upwelling.web.footage.shot_settings import OwnLook
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production

ADDRESSES = (
    "preview",
    "here",
    "save",
    "undo",
    "redo",
    "layer-touches",
    "save-layer",
    "undo-layer",
    "redo-layer",
    "move-step",
    "stand",
    "marks",
    "change-marks",
    "history",
    "neutral",
    "raw-neutral",
    "clips",
    "noise",
    "solve",
    "colour-range",
    "curve",
    "motion",
    "follow",
    "match",
    "give-match",
    "difference",
    "shelve",
    "share",
    "strip",
    "mark-region",
    "remark-at-frame",
)
"""Names of the addresses that the page's script asks."""


class Opened:
    """A shot as its page opens. ``changes``: whether who looks may change it; ``asked``: the frame wanted, or −1;
    ``layer``: the layer to be taken in hand; ``user``: whose first pass it may be part of; ``beside``: number and frame
    of a shot that it opens beside.
    """

    def __init__(
        self,
        production: Production,
        shot: Shot,
        *,
        changes: bool,
        asked: int,
        layer: str = "",
        user: Any = None,
        beside: tuple[int, int] | None = None,
    ) -> None:
        self.production, self.shot = production, shot
        self.settings, self.rules, self.settled = shot.settings, production.rule_set, shot.settled
        self.path = path_of(shot, self.settings)
        self.raw = raw_settings_of(shot, self.settings)
        self.works = self.settled.is_settled and shot.is_managed
        self.free = changes and self.works
        self.user, self.changes = user, changes
        self.asked = asked if shot.first_frame <= asked <= shot.last_frame else shot.frame
        self.hand = layer
        self.beside = beside
        self.walk = open_pass(production, user, shot) if user is not None and self.free else None
        self.by_table = isinstance(self.rules.rendering, LutRendering)
        self.look = looks_of(production).inherited(shot)
        self.over = self.rules.display_look(self.path.target.is_hdr)

    @cached_property
    def tone(self) -> dict[str, Any]:
        """The tone curve as its plot shows it."""
        return tone_points(self.path)

    @cached_property
    def strip(self) -> dict[str, Any]:
        """The shots around this one."""
        return strip_of(self.production, self.shot)

    def data(self) -> dict[str, Any]:
        """For the script."""
        return {**vocabulary(), **self._shared(), **self._shot_itself(), **self._ways()}

    def words(self) -> dict[str, Any]:
        """For the template."""
        return {**editors(), **self._stages(), **self._reading(), **self._seeing()}

    def _shared(self) -> dict[str, Any]:
        """What the shot has from its production, group and camera."""
        camera, version = self.shot.camera, self.look.version
        # A table weighs megabytes and the page has no use for it.
        shared = without_tables(self.rules.rendering.model_dump(mode="json"))
        methods = {str(m.model_fields["kind"].default): m().model_dump(mode="json") for m in TONE_MAPS}
        origins = {"group": f"the group {self.look.group}’s", "production": "the production’s"}
        development = camera.raw_development if camera else Development()
        return {
            "production_rendering": shared,
            "methods": methods | ({"lut": shared} if self.by_table else {}),
            "display_look_strength": self.over.strength if self.over else 1.0,
            "inherited_look": {"look": version.look if version else 0, "strength": self.look.strength},
            "look_origin": origins.get(self.look.origin, "nothing is given"),
            "correction": correction_shown(self.shot),
            "layers": layers_shown(self.shot) if self.works else {},
            "compared": self._compared(),
            "beside": self._opens_beside(),
            "camera": {"name": camera.name, "others": camera.shots.count() - 1} if camera else None,
            "outputs": self.rules.outputs,
            "shared_development": development.model_dump(mode="json") if self.shot.is_raw else None,
        }

    def _opens_beside(self) -> dict[str, Any] | None:
        """The shot that the page opens beside, at a frame of it; None where it is not there, or is this one."""
        if self.beside is None:
            return None
        pk, frame = self.beside
        other = self.production.shots.filter(pk=pk).exclude(pk=self.shot.pk).first()
        if other is None:
            return None
        other.production = self.production
        shown = other_of(self.production, other) if other.settled.is_settled else None
        return shown and {**shown, "frame": min(max(frame, other.first_frame), other.last_frame)}

    def _compared(self) -> list[dict[str, str]]:
        """What the whole picture can be compared with beside other shots: unmanaged, and without one of its layers."""
        if not self.works:
            return []
        shared = shared_strata(self.shot, self.path, self.settings)
        rows = [("look", "Look"), *((kind, row["title"]) for kind, row in shared.items())]
        without = [{"value": f"without:{kind}", "label": f"Without {title}"} for kind, title in rows]
        return [{"value": "unmanaged:", "label": "Unmanaged: the file’s own numbers"}, *without]

    def _shot_itself(self) -> dict[str, Any]:
        shot = self.shot
        return {
            "settings": self.settings.model_dump(mode="json"),
            "tone": self.tone,
            "raw_lights": _raw_lights(self.raw),
            "history": history_ends(shot),
            "editable": self.free,
            "fingerprint": self.path.fingerprint,
            "marked": shot.known_regions,
            "remarks": remark_rows(shot, self.user, changes=self.changes),
            "hand": self.hand,
            "settled": self.settled.is_settled,
            "managed": shot.is_managed,
            "frame": {"width": shot.width, "height": shot.height},
            "rate": shot.runs_at,
            "frames": {"first": shot.first_frame, "last": shot.last_frame, "stands": shot.frame, "asked": self.asked},
        }

    def _ways(self) -> dict[str, Any]:
        """Where the page asks, and where one goes from it."""
        place = [self.production.slug, self.shot.pk]
        return {
            "urls": {name: reverse(name, args=place) for name in ADDRESSES}
            | {"change": reverse("change", args=place[:1])}
            | {"tables": f"{reverse('table-shelf', args=place[:1])}?shot={self.shot.pk}"}
            | {"bake": reverse("bake-setup", args=place)}
            | {"deliver": f"{reverse('order-delivery', args=place[:1])}?shot={self.shot.pk}"}
            | {"together": reverse("showing-together", args=[self.production.slug, 0])},
            "pk": self.shot.pk,
            "walk": self._walk(),
            "others": self.strip["others"],
            "shelf": shelf_of(self.production),
            "more": self.strip["more"],
            "neighbours": self.strip["neighbours"],
        }

    def _walk(self) -> dict[str, Any] | None:
        """The first pass that the person is on."""
        if self.walk is None:
            return None
        urls = {name: reverse(name, args=[self.production.slug]) for name in ("pass-summary", "leave-pass")}
        say = reverse("say-of-pass", args=[self.production.slug, self.shot.pk])
        return {**standing_of(self.walk, self.shot.pk), "targets": pass_targets(), "urls": urls | {"say": say}}

    def _stages(self) -> dict[str, Any]:
        return {
            "shot": self.shot,
            "pass_rows": pass_rows(self.walk.controls) if self.walk else None,
            "groups": self.strip["groups"],
            "shot_groups": self.production.groups.all(),
            "more": self.strip["more"],
            "rules": self.rules,
            "column": column(self.shot, self.path, self.settings),
            "fits": trim_fits(self.path, self.settings),
            "timed": self.shot.frames > 1,
            "inherited_look": self.look,
            "second_look": looks_of(self.production).second(self.shot),
            "offered_looks": looks_of(self.production).offered,
            "methods": [_method(m) for m in (*TONE_MAPS, *((LutRendering,) if self.by_table else ()))],
            "tone": self.tone,
            "path": self.path,
            "display_look": self.over,
            "display_look_remark": self.over.remark(self.path.target) if self.over else "",
        }

    def _viewed_without(self) -> list[tuple[str, str]]:
        """Stages that the eyes can leave out, those of layers where this shot has them."""
        there = [row["stage"] for row in reversed(column(self.shot, self.path, self.settings))]
        return [(kind, NAMES[kind].removeprefix("without ").removeprefix("the ")) for kind in there if kind in NAMES]

    def _reading(self) -> dict[str, Any]:
        """How the file is read."""
        inherited, origin = inherited_encoding(self.shot)
        default = f"{inherited} ({origin}’s)" if inherited and not self.shot.is_raw else "Not settled"
        return {
            "choices": encoding_choices(default, self.production),
            "now": self.settled,
            "row": row_of(self.shot),
            "own": self.settled.encoding in self.production.definitions,
            "development_rows": _development_rows(self.raw),
            "raw": self.raw,
            "raw_light": self.raw.light() if self.raw else None,
            "hlg": _hlg(self.shot, self.path),
        }

    def _seeing(self) -> dict[str, Any]:
        """Scopes and viewing."""
        return {
            "viewing_tables": [lut for lut in self.production.luts.all() if lut.is_declared],
            "monitors": list(MONITORS)[1:],
            "viewed_without": self._viewed_without(),
            "aims": AIMS.items(),
            "kinds": SCOPES.values(),
            "boundaries": BOUNDARIES,
            "barred": any(bars_of(self.shot)),
            "places": ("first", "second", "third", "fourth"),
        }


def vocabulary() -> dict[str, Any]:
    """Steps and selections as the script makes new ones, and their limits."""
    return {
        "kinds": step_kinds(),
        "selections": {
            str(kind().kind): {"title": kind.title, "keyed": kind.keyable(), "rest": kind().model_dump(mode="json")}
            for kind in SELECTIONS
        },
        "own": [name for name in OWN if name != "tracks"],
        "matte": Matte().model_dump(mode="json"),
        "most_selections": MOST_SELECTIONS,
        "most_points": MOST_POINTS,
        "levels": {aim: 100 * level for aim, level in LEVELS.items()},
    }


def step_kinds() -> dict[str, dict[str, Any]]:
    """What the page needs to make a new step of each kind."""
    return {
        step().kind: {
            "title": step.title,
            "keyed": step.keyable(),
            "rest": step().model_dump(mode="json"),
            "first_move": step.first_move,
            "lights": step.lights,
            "curves": [curve for row in controls(step, "") if row["kind"] == "curves" for curve in row["curves"]],
        }
        for step in STEPS
    } | {"lut": _table_kind()}


def _table_kind() -> dict[str, Any]:
    """A table in a trim: added from the shelf, as it is nothing without its file."""
    rest = LutStep.model_construct(lut=cast(Any, None)).model_dump(mode="json", exclude={"lut"})
    return {"title": LutStep.title, "keyed": [], "rest": rest, "first_move": {}, "lights": LutStep.lights, "curves": []}


def editors() -> dict[str, Any]:
    """What can be set, with the rows of its controls."""
    return {
        "steps": [{**_words(step), "space": step.space, "source": step.source} for step in STEPS],
        "table": {"explanation": LutStep.explanation},
        "selections": [_words(kind) for kind in SELECTIONS],
        "matte_rows": controls(Matte, "limit"),
        "mixes": MIXES.items(),
        "match_methods": [(name, *text.split(": ")) for name, text in METHODS.items()],
        "models": MODELS.items(),
        "look_rows": controls(OwnLook, "look"),
        "fits_of": [
            {"kind": f.model_fields["kind"].default, "title": f.title, "explanation": f.explanation} for f in FITS
        ],
    }


def _words(kind: Any) -> dict[str, Any]:
    return {
        "kind": str(kind.model_fields["kind"].default),
        "title": kind.title,
        "explanation": kind.explanation,
        "rows": controls(kind, ""),
    }


def _method(method: Any) -> dict[str, Any]:
    rows = controls(method, "rendering") if method is not LutRendering else []
    return {**_words(method), "rows": rows, "source": method.source, "keeps": method.keeps}


def _development_rows(raw: RawSettings | None) -> list[dict[str, Any]]:
    """The controls of a raw shot; what its frames say differently is asked where they do."""
    rows = controls(Development, "development") if raw else []
    return [row for row in rows if row["name"] != "values" or (raw and raw.profile.along)]


def _raw_lights(raw: RawSettings | None) -> dict[str, Any] | None:
    """The light of every named balance of a raw shot, kelvin and Duv, and the exposure index it recorded."""
    if raw is None:
        return None
    named = {**{name: (kelvin, 0.0) for name, kelvin in PRESETS.items()}, "as shot": raw.profile.as_shot_light}
    return {
        "lights": {name: [round(k, 1), round(d, 5)] for name, (k, d) in named.items()},
        "index": raw.profile.exposure_index,
    }


def correction_shown(shot: Shot) -> dict[str, Any]:
    """What the page shows of the camera's correction; an empty name where there is none."""
    held = shot.camera.own_correction if shot.camera else None
    return {"name": held.name or "Corrected", "said": held.summary(), "off": not held.on} if held else {"name": ""}


def _hlg(shot: Shot, path: Path) -> dict[str, Any] | None:
    """HLG read both ways, for a managed HLG shot whose file can be read; else the preview says what is wrong with the
    file.
    """
    if not shot.settled.encoding.startswith("HLG") or not shot.is_managed:
        return None
    try:
        return hlg_ways(shot, path)
    except UnreadableFile:
        return None
