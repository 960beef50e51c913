"""Renderings compared: one frame by several methods, or one recipe on several outputs, with scopes and numbers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError

from upwelling.core.arrays import Float32
from upwelling.core.errors import BadValue
from upwelling.core.measure.comparison import Figures, figures, hdr_reference
from upwelling.core.measure.comparison import render as render_light
from upwelling.core.outputs import OUTPUTS
from upwelling.core.parameters import refusal
from upwelling.core.path import Path
from upwelling.core.rendering import FITS, RENDERING, TONE_MAPS, AnyRendering, LutRendering
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.scope import luma_weights
from upwelling.web.common.controls import controls
from upwelling.web.common.requests import Refused, json_body, one_of, text_of
from upwelling.web.footage.access import shot_view
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.history import apply_settings
from upwelling.web.footage.listing import choices
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at, path_of
from upwelling.web.outputs.pictures import SCOPES, picture_url, scope_url
from upwelling.web.productions.deliveries import render_delivery, render_production
from upwelling.web.productions.models import Production

WIDTH = 480
KINDS = tuple(str(method.model_fields["kind"].default) for method in TONE_MAPS)
TABLE = str(LutRendering.model_fields["kind"].default)
HDR = OUTPUTS["BT.2100 PQ 1000"]
"""The HDR version that SDR renderings are held against."""


@require_GET
@shot_view()
def renderings(request: HttpRequest, production: Production, shot: Shot) -> HttpResponse:
    """The page; its cells are asked for one by one."""
    rules = production.rule_set
    free = shot.settled.is_settled and shot.is_managed
    now = _sent(shot.settings.rendering or rules.rendering, rules.output)
    deliveries = [rules.delivery(name) for name in rules.outputs]
    listed: list[dict[str, Any]] = [
        {
            "name": d.output,
            "rendering": _sent(d.rendering or rules.rendering, d.output) if d.output != rules.output else now,
        }
        for d in deliveries
    ]
    methods = {str(m.model_fields["kind"].default): m().model_dump(mode="json") for m in TONE_MAPS}
    by_table = next((one for one in (now, *(one["rendering"] for one in listed)) if one["kind"] == TABLE), None)
    if by_table:
        methods[TABLE] = by_table
    offered = (*TONE_MAPS, *((LutRendering,) if by_table else ()))
    data = {
        "now": now,
        "methods": methods,
        "output": rules.output,
        "scope": "waveform",
        "outputs": listed,
        "titles": {str(m.model_fields["kind"].default): m.title for m in offered},
        "fits": {str(f.model_fields["kind"].default): f.title for f in FITS},
        "urls": {
            "cell": reverse("rendering-cell", args=[production.slug, shot.pk]),
            "use": reverse("use-rendering", args=[production.slug, shot.pk]),
        },
    }
    return render(
        request,
        "outputs/renderings.html",
        {
            "shot": shot,
            "free": free,
            "data": data,
            "scopes": SCOPES,
            "shots": choices(production.shots.all(), shot.pk),
            "methods": [
                {
                    "kind": m.model_fields["kind"].default,
                    "title": m.title,
                    "explanation": m.explanation,
                    "source": m.source,
                    "keeps": m.keeps,
                    "bound": m.hue_bound,
                    "steps": None if m is LutRendering else m.largest_step,
                    "rows": controls(m, "") if m is not LutRendering else [],
                }
                for m in offered
            ],
            "fits": [
                {"kind": f.model_fields["kind"].default, "title": f.title, "explanation": f.explanation} for f in FITS
            ],
        },
    )


def _sent(method: AnyRendering, output: str) -> dict[str, Any]:
    """A rendering for the page. A table stays here: the page only says whose it is."""
    body = method.model_dump(mode="json")
    return {"kind": TABLE, "fit": body["fit"], "of": output} if isinstance(method, LutRendering) else body


def _rendering(body: Any, shot: Shot) -> AnyRendering:
    """A rendering the page sent; raises BadValue."""
    if isinstance(body, dict) and body.get("kind") == TABLE:
        rules = shot.production.rule_set
        aim = rules.delivery(text_of(body.get("of")))
        held = (shot.settings.rendering if aim.output == rules.output else None) or aim.rendering or rules.rendering
        if not isinstance(held, LutRendering):
            raise Refused(f"{aim.output} is no longer rendered by a table. Load the page again.")
        body = {**held.model_dump(mode="json"), "fit": body.get("fit") or held.fit.model_dump(mode="json")}
    try:
        return RENDERING.validate_python(body)
    except ValidationError as error:
        raise BadValue(refusal(error, leave_out=KINDS, otherwise="rendering")) from None


def scene_of(shot: Shot, output: str) -> tuple[Float32, Path]:
    """Scene light after trim and look at the comparison's size, and the path to the output."""
    if not (shot.settled.is_settled and shot.is_managed):
        raise Refused(
            f"{shot.name} has no scene light yet: settle its encoding on the Bench, with colour management on."
        )
    frame = frame_of(shot)
    factor = max(1, -(-frame.working.shape[1] // WIDTH))
    path = path_at(shot, None, None, output)
    small, place = frame.reduced(factor)
    return FrameValues((*frame.key, "compared", factor), small, path, place=place).before("rendering"), path


@require_POST
@shot_view()
def cell(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """One rendering of the frame: picture, scope and numbers."""
    body = json_body(request, "setting")
    method = _rendering(body.get("rendering"), shot)
    kind = one_of(body.get("scope"), SCOPES, "waveform")
    scene, path = scene_of(shot, text_of(body.get("output")))
    working, adaptation, target = path.working_primaries, path.input.adaptation, path.target
    made = render_light(method, scene, working, target, adaptation)
    main = production.rule_set.rendering
    reference = (
        hdr_reference(scene, working, adaptation, HDR, main if main.kind == "rise" else None)
        if not target.is_hdr
        else None
    )
    found = figures(method, made, scene, working, target, adaptation, reference, HDR.mid_grey_nits)
    return JsonResponse(
        {
            "picture": picture_url(made.light, target),
            "scope": scope_url(kind, made.signal, made.light, target.gamut, luma_weights(path)),
            "said": method.values_text(target),
            "numbers": _numbers(found, target.is_hdr),
            "note": f"Shown up to {target.white_nits:g} cd/m²; brighter is white here" if target.is_hdr else "",
        }
    )


def _numbers(found: Figures, hdr: bool) -> list[dict[str, str]]:
    def share(value: float) -> str:
        return f"{100 * value:.1f} %"

    def maybe(value: float | None, unit: str, digits: int, factor: float = 1.0) -> str:
        return "none here" if value is None else f"{factor * value:.{digits}f}{unit}"

    rows = [
        (
            "Mid grey",
            f"{found.mid_grey_nits:.1f} cd/m², {share(found.mid_grey_signal)}",
            "Scene 0.18: display light and signal",
        ),
        (
            "Skin, light · dark",
            f"{100 * found.light_skin_signal:.0f} · {100 * found.dark_skin_signal:.0f} %",
            "Signal of the 24-patch chart’s two skins lit as mid grey is",
        ),
        (
            "At peak · black",
            f"{share(found.at_peak)} · {share(found.at_black)}",
            "Pixels with a channel at the display’s peak, at its black",
        ),
        (
            "Hue turn",
            f"{maybe(found.hue_mean, '°', 1)} · {maybe(found.hue_worst, '°', 1)}"
            if found.hue_mean is not None
            else "none here",
            "Mean and worst (99.5 %) turn of ICtCp hue of bright saturated light, against the same light at the "
            "luminance shown",
        ),
        (
            "Contrast kept",
            f"{maybe(found.highlight_contrast, ' %', 0, 100)} · {maybe(found.shadow_contrast, ' %', 0, 100)}",
            "Local contrast in highlights (above +1.5 stops) and shadows (below −3), of the scene’s",
        ),
        (
            "Colourfulness",
            f"{found.colourfulness:.1f}",
            "M(3) of Hasler and Süsstrunk on sRGB signal; higher is more colourful",
        ),
        (
            "Moved by the fit",
            f"{share(found.fit_share)} · {found.fit_mean:.1f} · {found.fit_worst:.0f}",
            "Pixels the gamut fit moved by more than 1 ΔE ITP; the mean and the largest ΔE ITP of all",
        ),
    ]
    if not hdr:
        rows.insert(
            6,
            (
                "From HDR",
                maybe(found.from_hdr, " ΔE ITP", 1),
                f"Mean ΔE ITP from {HDR.name} dimmed to the same mid grey, over the tones both can show",
            ),
        )
    return [{"name": name, "value": value, "title": title} for name, value, title in rows]


@require_POST
@shot_view(change=True)
def use(request: HttpRequest, production: Production, shot: Shot) -> JsonResponse:
    """Makes a rendering this shot's, the production's, or that of one further output."""
    body = json_body(request, "setting")
    method, whose, rules = _rendering(body.get("rendering"), shot), body.get("whose"), production.rule_set
    output = text_of(body.get("output")) or rules.output
    method.operations(
        path_of(shot).working_primaries, production.output_named(production.checked_output(output)), rules.adaptation
    )
    if whose == "shot":
        shot = apply_settings(
            shot,
            request.user,
            shot.settings.model_copy(update={"rendering": method}),
            version=shot.version,
            label="rendering chosen",
        )
        said = f"{shot.name} has this rendering now."
    elif whose == "production":
        render_production(production, method)
        said = "The production has this rendering now; shots with one of their own keep it."
    else:
        render_delivery(production, output, method)
        said = f"{output} has this rendering now."
    return JsonResponse({"said": said})
