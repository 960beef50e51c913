"""The Bench: the page, previews, saving, undo and redo."""

from __future__ import annotations

from typing import Any, get_args

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from upwelling.core.errors import UnreadableFile
from upwelling.core.follow import MODELS
from upwelling.core.match import METHODS
from upwelling.core.outputs.monitor import MONITORS
from upwelling.core.parameters import MOST_POINTS
from upwelling.core.path import Path, StageName, without_tables
from upwelling.core.raw import Development, RawSettings
from upwelling.core.raw.development import PRESETS
from upwelling.core.rendering import FITS, TONE_MAPS, LutRendering
from upwelling.core.scopes import SCOPES
from upwelling.core.solving import AIMS, LEVELS
from upwelling.core.steps import SELECTIONS, STEPS, Matte
from upwelling.core.steps.base import MIXES, OWN
from upwelling.core.steps.selections import MOST_SELECTIONS
from upwelling.web.bench.bars import bars_of
from upwelling.web.bench.column import column, trim_fits
from upwelling.web.bench.hlg import hlg_ways
from upwelling.web.bench.opening import remember
from upwelling.web.bench.preview import View, Wish, preview
from upwelling.web.bench.scope import BOUNDARIES, read_choices
from upwelling.web.bench.strip import shelf_of, strip_of
from upwelling.web.bench.tickets import Overtaken, Ticket
from upwelling.web.bench.tone_plot import tone_points
from upwelling.web.bench.viewing import viewing_of
from upwelling.web.common.controls import controls
from upwelling.web.common.requests import json_body, one_of, text_of, whole, whole_or
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.history import Outdated, apply_or_keep, history_ends, move_in_history
from upwelling.web.footage.inheritance import inherited_encoding
from upwelling.web.footage.intake import row_of
from upwelling.web.footage.look_models import looks_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_of, raw_settings_of
from upwelling.web.footage.setting_differences import differences
from upwelling.web.footage.shot_settings import OwnLook, ShotSettings, read_settings
from upwelling.web.footage.shots import stand_for
from upwelling.web.footage.views import thumbnail_url
from upwelling.web.productions.forms import encoding_choices
from upwelling.web.productions.models import Production
from upwelling.web.productions.rights import may


@require_GET
@shot_view()
def bench(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page where one shot is worked."""
    remember(request, production, shot)
    settings = shot.settings
    raw = raw_settings_of(shot, settings)
    rules = production.rule_set
    path = path_of(shot, settings)
    tone = tone_points(path)
    strip = strip_of(production, shot)
    now = shot.settled
    by_table = isinstance(rules.rendering, LutRendering)
    # A table weighs megabytes and the page has no use for it.
    shared = without_tables(rules.rendering.model_dump(mode="json"))
    inherited_look = looks_of(production).inherited(shot)
    over = rules.display_look(path.target.is_hdr)
    free = may(request, "change") and now.is_settled and shot.is_managed
    data = {
        "settings": settings.model_dump(mode="json"),
        "production_rendering": shared,
        "methods": {str(m.model_fields["kind"].default): m().model_dump(mode="json") for m in TONE_MAPS}
        | ({"lut": shared} if by_table else {}),
        "tone": tone,
        "levels": {aim: 100 * level for aim, level in LEVELS.items()},
        "display_look_strength": over.strength if over else 1.0,
        "inherited_look": {
            "look": inherited_look.version.look if inherited_look.version else 0,
            "strength": inherited_look.strength,
        },
        "look_origin": {"group": f"the group {inherited_look.group}’s", "production": "the production’s"}.get(
            inherited_look.origin, "nothing is given"
        ),
        "correction": _correction(shot),
        "camera": {"name": shot.camera.name, "others": shot.camera.shots.count() - 1} if shot.camera else None,
        "outputs": [rules.output, *(d.output for d in rules.deliveries)],
        "shared_development": (shot.camera.raw_development if shot.camera else Development()).model_dump(mode="json")
        if shot.is_raw
        else None,
        "raw_lights": _raw_lights(raw),
        "history": history_ends(shot),
        "editable": free,
        "settled": now.is_settled,
        "managed": shot.is_managed,
        "kinds": step_kinds(),
        "selections": {
            str(kind().kind): {"title": kind.title, "keyed": kind.keyable(), "rest": kind().model_dump(mode="json")}
            for kind in SELECTIONS
        },
        "own": [name for name in OWN if name != "tracks"],
        "matte": Matte().model_dump(mode="json"),
        "most_selections": MOST_SELECTIONS,
        "most_points": MOST_POINTS,
        "frame": {"width": shot.width, "height": shot.height},
        "rate": shot.rate,
        "frames": {
            "first": shot.first_frame,
            "last": shot.last_frame,
            "stands": shot.frame,
            "asked": _asked(request, shot),
        },
        "urls": {
            name: reverse(name, args=[production.slug, shot.pk])
            for name in (
                "preview",
                "here",
                "save",
                "undo",
                "redo",
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
            )
        },
        "others": strip["others"],
        "shelf": shelf_of(production),
        "more": strip["more"],
        "neighbours": strip["neighbours"],
    }
    inherited, origin = inherited_encoding(shot)
    default = f"{inherited} ({origin}’s)" if inherited and not shot.is_raw else "Not settled"
    return render(
        request,
        "bench/bench.html",
        {
            "shot": shot,
            "groups": strip["groups"],
            "more": strip["more"],
            "rules": rules,
            "data": data,
            "column": column(shot, path, settings),
            "fits": trim_fits(settings),
            "steps": [
                {
                    "kind": str(step.model_fields["kind"].default),
                    "title": step.title,
                    "explanation": step.explanation,
                    "space": step.space,
                    "source": step.source,
                    "rows": controls(step, ""),
                }
                for step in STEPS
            ],
            "selections": [
                {"kind": kind().kind, "title": kind.title, "explanation": kind.explanation, "rows": controls(kind, "")}
                for kind in SELECTIONS
            ],
            "matte_rows": controls(Matte, "limit"),
            "mixes": MIXES.items(),
            "match_methods": [(name, *text.split(": ")) for name, text in METHODS.items()],
            "timed": shot.frames > 1,
            "models": MODELS.items(),
            "inherited_look": inherited_look,
            "offered_looks": looks_of(production).offered,
            "look_rows": controls(OwnLook, "look"),
            "methods": [
                {
                    "kind": m.model_fields["kind"].default,
                    "title": m.title,
                    "explanation": m.explanation,
                    "source": m.source,
                    "keeps": m.keeps,
                    "rows": controls(m, "rendering") if m is not LutRendering else [],
                }
                for m in (*TONE_MAPS, *((LutRendering,) if by_table else ()))
            ],
            "fits_of": [
                {"kind": f.model_fields["kind"].default, "title": f.title, "explanation": f.explanation} for f in FITS
            ],
            "tone": tone,
            "path": path,
            "display_look": over,
            "display_look_remark": over.remark(path.target) if over else "",
            "choices": encoding_choices(default, production),
            "now": now,
            "row": row_of(shot),
            "own": now.encoding in production.definitions,
            "development_rows": controls(Development, "development") if shot.is_raw else [],
            "raw": raw,
            "raw_light": raw.light() if raw else None,
            "hlg": _hlg(shot, path),
            "viewing_tables": [lut for lut in production.luts.all() if lut.is_declared],
            "monitors": list(MONITORS)[1:],
            "aims": AIMS.items(),
            "kinds": SCOPES.values(),
            "boundaries": BOUNDARIES,
            "barred": any(bars_of(shot)),
            "places": ("first", "second", "third", "fourth"),
        },
    )


def _raw_lights(raw: RawSettings | None) -> dict[str, Any] | None:
    """The light of every named balance of a raw shot, kelvin and Duv, and the exposure index it recorded."""
    if raw is None:
        return None
    named = {**{name: (kelvin, 0.0) for name, kelvin in PRESETS.items()}, "as shot": raw.profile.as_shot_light}
    return {
        "lights": {name: [round(k, 1), round(d, 5)] for name, (k, d) in named.items()},
        "index": raw.profile.exposure_index,
    }


def _asked(request: HttpRequest, shot: Shot) -> int:
    """The frame that an address opens the page at by ``?frame=``; else the one that stands for the shot."""
    frame = whole_or(request.GET.get("frame"), -1)
    return frame if shot.first_frame <= frame <= shot.last_frame else shot.frame


def step_kinds() -> dict[str, dict[str, Any]]:
    """What the page needs to make a new step of each kind."""
    return {
        step().kind: {
            "title": step.title,
            "keyed": step.keyable(),
            "rest": step().model_dump(mode="json"),
            "first_move": step.first_move,
            "curves": [curve for row in controls(step, "") if row["kind"] == "curves" for curve in row["curves"]],
        }
        for step in STEPS
    }


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


@require_POST
@shot_view(often=True)
def preview_of(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Picture, scopes, numbers and trace for settings that need not be saved (none: the shot's own); see ``preview``
    for the layout.

    204 without content when the page has asked for something newer meanwhile.
    """
    body = json_body(request, "setting")
    settings = shot.settings if body.get("settings") is None else read_settings(body["settings"])
    index = body.get("frame")
    return previewed(shot, frame_of(shot, None if index is None else whole(index)), settings, body)


def previewed(shot: Shot, frame: Frame, settings: ShotSettings, body: dict[str, Any]) -> HttpResponse:
    """The answer of ``preview`` to what a page sent."""
    scopes, region = read_choices(body)
    point, part = body.get("point"), body.get("part")
    wish = Wish(
        without_trim=bool(body.get("untrimmed")),
        lossless=bool(body.get("lossless")),
        raw=bool(body.get("raw")),
        scopes=scopes,
        region=region,
        bars=bool(body.get("bars")),
        point=(whole(point.get("x")), whole(point.get("y"))) if isinstance(point, dict) else None,
        part=(whole(part.get("x")), whole(part.get("y")), whole(part.get("width")), whole(part.get("height")))
        if isinstance(part, dict)
        else None,
        view=one_of(body.get("view"), get_args(View), "picture"),
        output=text_of(body.get("output")),
        viewing=viewing_of(shot.production, body.get("viewing")),
        stage=one_of(body.get("stage"), get_args(StageName), "trim"),
        step=text_of(body.get("step")),
        curve=text_of(body.get("curve")),
        ticket=Ticket(text_of(body.get("page")), whole(body.get("number") or 0)),
    )
    if not wish.lossless and wish.part is None:
        frame = frame.shown_at(whole(body.get("wide") or 0))
    try:
        data = preview(shot, frame, settings, wish)
    except Overtaken:
        return HttpResponse(status=204)
    return HttpResponse(data, content_type="application/octet-stream", headers={"Cache-Control": "no-store"})


@require_POST
@shot_view(change=True)
def save(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Saves settings as the next state of the shot; what comes too late is kept as a Mark, and the page is told what
    differs.
    """
    body = json_body(request, "setting")
    settings = read_settings(body.get("settings"))
    try:
        shot = apply_or_keep(
            shot,
            request.user,
            settings,
            version=whole(body.get("version")),
            label=text_of(body.get("label")) or "change",
            base=None if body.get("base") is None else read_settings(body["base"]),
        )
    except Outdated as error:
        fresh = Shot.objects.select_related("production", "camera").get(pk=shot.pk)
        return JsonResponse(
            {"error": str(error), "differences": differences(settings, fresh.settings), **state_of(fresh)}, status=409
        )
    theirs = differences(settings, shot.settings) or ["Their change"] if shot.settings != settings else []
    return JsonResponse({**state_of(shot), "merged": theirs})


def state_of(shot: Shot) -> dict[str, Any]:
    return {
        "settings": shot.settings.model_dump(mode="json"),
        "history": history_ends(shot),
        "thumbnail": thumbnail_url(shot),
        "correction": _correction(shot),
    }


def _correction(shot: Shot) -> dict[str, Any]:
    """What the page shows of the camera's correction; an empty name where there is none."""
    held = shot.camera.own_correction if shot.camera else None
    return {"name": held.name or "Corrected", "said": held.said(), "off": not held.on} if held else {"name": ""}


@require_POST
@shot_view(change=True)
def undo(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """One step back in the shot's history."""
    return JsonResponse(state_of(move_in_history(shot, -1)))


@require_POST
@shot_view(change=True)
def redo(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """One step forward in the shot's history."""
    return JsonResponse(state_of(move_in_history(shot, +1)))


@require_POST
@shot_view(change=True)
def stand(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """Chooses the frame that stands for the shot."""
    stand_for(shot, whole(json_body(request, "setting").get("frame")))
    return JsonResponse({"frame": shot.frame, "thumbnail": thumbnail_url(shot)})
