"""Deliveries: the list, setting one up, what will be done, the proof, the file."""

from __future__ import annotations

import json
from typing import Any, cast

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from upwelling.core.count_of import count_of
from upwelling.core.delivery.form import BOUNDARIES
from upwelling.core.delivery.names import FIELDS, FOLDER_FIELDS, still_name
from upwelling.core.delivery.presets import LOG_PRESET, PRESETS
from upwelling.core.encodings import ENCODINGS
from upwelling.core.errors import UpwellingError
from upwelling.core.media.dither import DITHERS
from upwelling.core.media.movie_write import KINDS
from upwelling.web.common.downloads import zipped
from upwelling.web.common.finding import Choice, made_by, made_finder
from upwelling.web.common.paging import page_of
from upwelling.web.common.requests import Refused, numbers_in_turn, whole_or
from upwelling.web.deliveries.maker_log import maker_log
from upwelling.web.deliveries.models import Delivery, LastSetup, OwnForm
from upwelling.web.deliveries.pieces import spans_of
from upwelling.web.deliveries.plan import EVENT_PATTERN, NO_FOLDER, PATTERN, folder_named, form_from, plan_from
from upwelling.web.deliveries.relink import relinked
from upwelling.web.deliveries.rendering import forget_parts, start
from upwelling.web.deliveries.returned import start_returned
from upwelling.web.footage.listing import to_choose
from upwelling.web.footage.paths import path_of
from upwelling.web.jobs.services import request_cancel, request_retry
from upwelling.web.productions.access import production_view, view_of
from upwelling.web.productions.models import Production
from upwelling.web.productions.services import set_rules

EACH, MOST_OWN = 40, 60
CHANGED = ("boundary", "encoding", "sizing", "width", "height", "range", "held", "quality", "megabits", "dither")
"""What of a preset a set-up may change on the page."""
LARGEST_ZIP = 2 * 2**30


def _delivery(production: Production, pk: int) -> Delivery:
    row = get_object_or_404(production.delivered.select_related("job", "shot", "cut", "created_by"), pk=pk)
    row.production = production
    return row


delivery_view = view_of(_delivery)


@require_GET
@production_view()
def deliveries(request: HttpRequest, production: Production) -> HttpResponse:
    """All of a production, the newest first."""
    every = production.delivered.all()
    outputs = sorted(set(every.order_by().values_list("output", flat=True)))
    asked = made_finder(
        request.GET,
        every,
        [
            Choice("verdict", "any proof", (("holds", "holds"), ("not", "does not hold"), ("none", "not made yet"))),
            Choice("output", "any output", [(name, name) for name in outputs]),
        ],
        (("new", "newest"), ("name", "name")),
        "Name of a file, a shot or a cut",
    )
    by_proof = {
        "holds": every.filter(verdict="holds"),
        "not": every.exclude(verdict__in=("holds", "")),
        "none": every.filter(verdict=""),
    }
    chosen = by_proof.get(asked["verdict"], every)
    chosen = chosen.filter(output=asked["output"]) if asked["output"] else chosen
    chosen = made_by(asked, chosen, ("name", "folder", "what"), {"new": ("-pk",), "name": ("name", "-pk")})
    page = page_of(request, chosen.select_related("job", "created_by").defer("order_json", "proof"), EACH)
    return render(
        request,
        "deliveries/deliveries.html",
        {
            "page": page,
            "rows": page.object_list,
            "finder": asked,
            "holding": by_proof["holds"].count(),
            "failing": by_proof["not"].count(),
            "cuts": production.cuts.all()[:20],
            "linked": production.cuts.filter(delivered__verdict="holds", delivered__event__isnull=False).distinct()[
                :20
            ],
            "first": production.shots.first(),
        },
    )


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def setup(request: HttpRequest, production: Production) -> HttpResponse:
    """The form; a POST queues what it orders."""
    last = LastSetup.objects.filter(production=production, created_by=request.user.pk).first()
    given: QueryDict = request.POST if request.method == "POST" else request.GET
    if last is not None and "again" in request.GET:
        given = last.given
    if request.method == "POST":
        try:
            plan = plan_from(production, request.POST)
            made = start(production, request.user, plan)
            _keep(production, request)
        except UpwellingError as error:
            messages.error(request, str(error))
        else:
            count = len(made)
            messages.success(request, f"{count_of(count, 'file')} queued.")
            for text in plan.refused:
                messages.warning(request, f"Left out: {text}")
            if count == 1:
                return redirect("delivery", production.slug, made[0].pk)
            return redirect("deliveries", production.slug)
    return render(request, "deliveries/setup.html", {"last": last, **_setup_context(production, given)})


def _keep(production: Production, request: HttpRequest) -> None:
    """What a person ordered, to be offered again."""
    sent = request.POST.copy()
    sent.pop("csrfmiddlewaretoken", None)
    LastSetup.objects.update_or_create(
        production=production, created_by=cast(Any, request.user), defaults={"sent": sent.urlencode()}
    )


def _setup_context(production: Production, given: Any) -> dict[str, Any]:
    cut = production.cuts.filter(pk=whole_or(given.get("cut"))).first()
    own = [one for one in production.own_forms.all() if _readable(one)]
    raws = list(production.shots.filter(raw_profile__isnull=False).only("metadata", "raw_profile")[:200])
    own_log = maker_log(production, raws)[0]
    forms = [*((one.name, one.form) for one in own), *((form.preset, form) for form in PRESETS)]
    return {
        "production": production,
        "given": given,
        "cut": cut,
        "cuts": production.cuts.all()[:60],
        "choosing": to_choose(production.shots.all(), numbers_in_turn(given.getlist("shot")), spans_of(given)),
        "own": own,
        "built_in": PRESETS,
        "overrides": json.dumps({name: given[name] for name in CHANGED if name in given}),
        "facts": json.dumps(
            {
                name: {
                    "boundary": form.boundary,
                    "encoding": own_log if form.preset == LOG_PRESET and own_log else form.encoding,
                    "range": form.range,
                    "sizing": form.sizing,
                    "width": form.width or "",
                    "height": form.height or "",
                    "dither": form.dither,
                    "held": "rate" if form.bits_per_second else "quality" if form.quality else "usual",
                    "quality": form.quality or "",
                    "megabits": form.bits_per_second / 1e6 or "",
                    "grouped": bool(form.movie and not form.movie.intra),
                    "movie": bool(form.movie),
                    "legal_only": bool(form.movie and form.movie.only_legal),
                }
                for name, form in forms
            }
        ),
        "outputs": production.rule_set.outputs,
        "boundaries": BOUNDARIES.items(),
        "encodings": [name for name, one in ENCODINGS.items() if one.referred == "scene"],
        "dithers": DITHERS,
        "pattern": PATTERN,
        "event_pattern": EVENT_PATTERN,
        "fields": FIELDS.items(),
        "own_folder": production.rule_set.delivery_folder,
        "folder_words": ", ".join(f"{{{name}}}" for name in FOLDER_FIELDS),
    }


def _readable(one: OwnForm) -> bool:
    try:
        return bool(one.form)
    except UpwellingError:
        return False


@require_POST
@production_view()
def plan(request: HttpRequest, production: Production) -> HttpResponse:
    """What the form as it stands would make, as a piece of the page; changes nothing."""
    try:
        made = plan_from(production, request.POST)
    except UpwellingError as error:
        return render(request, "deliveries/plan.html", {"problem": str(error)})
    return render(request, "deliveries/plan.html", {"plan": made, "shown": made.wanted[:6]})


@require_POST
@production_view(change=True)
def presets(request: HttpRequest, production: Production) -> HttpResponse:
    """Keeps the form as a preset of the production's own, or takes one away."""
    try:
        gone = production.own_forms.filter(pk=whole_or(request.POST.get("remove"))).first()
        if gone is not None:
            gone.delete()
            messages.success(request, f"“{gone.name}” is removed; what was delivered by it stays.")
        else:
            name = " ".join(request.POST.get("name", "").split())[:80]
            if request.POST.get("what") == "folder":
                return _keep_folder(request, production)
            if not name or name in {form.preset for form in PRESETS}:
                raise Refused("Give the preset a name that no built-in one has.")
            if production.own_forms.count() >= MOST_OWN:
                raise Refused(f"There are {MOST_OWN} presets already. Remove some first.")
            user = cast(Any, request.user)
            form = form_from(production, request.POST).model_copy(update={"preset": name})
            OwnForm.objects.update_or_create(
                production=production, name=name, defaults={"stored": OwnForm.seal(form), "created_by": user}
            )
            messages.success(request, f"“{name}” is kept as a preset.")
    except (UpwellingError, ValidationError) as error:
        messages.error(request, str(error))
    return redirect("order-delivery", production.slug)


def _keep_folder(request: HttpRequest, production: Production) -> HttpResponse:
    """The folder of the form as the production's own."""
    pattern = request.POST.get("folder", "").strip()
    folder_named(production, pattern, form_from(production, request.POST), "x")
    set_rules(production, {"delivery_folder": "" if pattern == NO_FOLDER else pattern})
    said = f"Files are delivered into “{pattern}”" if pattern else "Files are delivered into no folder"
    messages.success(request, f"{said} unless another is said.")
    return redirect("order-delivery", production.slug)


@require_GET
@delivery_view()
def proof(request: HttpRequest, production: Production, row: Delivery) -> HttpResponse:
    """What was ordered, how far it is, and what its proof says."""
    return render(
        request,
        "deliveries/delivery.html",
        {
            "row": row,
            "proof": row.proof,
            "clipped": f"{100 * row.proof['clipped']:.2g} %" if row.proof and row.proof["clipped"] > 1e-5 else "",
            **_made_from(row),
        },
    )


def _made_from(row: Delivery) -> dict[str, Any]:
    """The pieces it was made from, each with its settings' fingerprint and whether its shot still has those; or why
    they can no longer be read.
    """
    try:
        pieces = row.order.pieces
    except UpwellingError as error:
        return {"sources": [], "problem": str(error)}
    shots = {shot.sha256: shot for shot in row.production.shots.filter(sha256__in={one.sha256 for one in pieces})}
    found = []
    for piece in pieces[:60]:
        shot = shots.get(piece.sha256)
        same = False
        if shot is not None:
            shot.production = row.production
            try:
                same = path_of(shot, output=piece.path.display.output).fingerprint == piece.path.fingerprint
            except UpwellingError:
                same = False
        found.append({"piece": piece, "shot": shot, "same": same, "fingerprint": piece.path.fingerprint[:16]})
    return {"sources": found, "problem": ""}


@require_GET
@delivery_view()
def download(request: HttpRequest, production: Production, row: Delivery) -> HttpResponseBase:
    """The file; numbered stills as one ZIP, stored as they are."""
    if not row.verdict:
        raise Http404
    place = row.place
    if row.files == 1 and place.exists():
        return FileResponse(place.open("rb"), as_attachment=True, filename=place.name)
    files = [still_name(place, row.order.first_number + n, row.frames == 1) for n in range(row.frames)]
    if not all(file.exists() for file in files):
        raise Refused(f"{row.name} no longer lies where it was delivered to.")
    if len(files) == 1:
        return FileResponse(files[0].open("rb"), as_attachment=True, filename=files[0].name)
    if row.size_bytes > LARGEST_ZIP:
        raise Refused(
            f"These stills are {row.size_bytes / 2**30:.1f} GiB. Fetch them from the server's folder: {row.at}."
        )
    return zipped(f"{place.stem}.zip", {file.name: file for file in files})


@require_GET
@delivery_view()
def proof_json(request: HttpRequest, production: Production, row: Delivery) -> HttpResponse:
    """The proof as `upwelling verify-delivery` reads it."""
    if row.proof is None:
        raise Http404
    body = row.proof | {"order": json.loads(row.order_json)}
    answer = JsonResponse(body, json_dumps_params={"ensure_ascii": False, "indent": 1})
    answer["Content-Disposition"] = f'attachment; filename="delivery-{row.pk}.proof.json"'
    return answer


@require_GET
@delivery_view()
def order_json(request: HttpRequest, production: Production, row: Delivery) -> HttpResponse:
    """All that it was made from."""
    answer = HttpResponse(row.order_json, content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="delivery-{row.pk}.order.json"'
    return answer


@require_http_methods(["GET", "POST"])
@production_view(change="POST")
def came_back(request: HttpRequest, production: Production) -> HttpResponse:
    """What came back, with what was found of it; a POST takes one in."""
    if request.method == "POST":
        uploaded = request.FILES.get("file")
        if uploaded is None:
            raise Refused("Choose the movie that came back.")
        start_returned(production, request.user, uploaded)
        return redirect("came-back", production.slug)
    rows = production.returned.select_related("job", "delivery", "created_by")[:EACH]
    context = {"rows": rows, "any": production.delivered.exclude(verdict="").exists(), "endings": ",".join(KINDS)}
    return render(request, "deliveries/came_back.html", context)


@require_GET
@production_view()
def relink(request: HttpRequest, production: Production, pk: int, kind: str) -> HttpResponse:
    """The cut over the delivered files, as an edit list or OpenTimelineIO file."""
    if kind not in ("edl", "otio"):
        raise Http404
    cut = get_object_or_404(production.cuts, pk=pk)
    text, _ = relinked(cut, cast(Any, kind))
    answer = HttpResponse(text, content_type="text/plain; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{slugify(cut.name) or "cut"}-delivered.{kind}"'
    return answer


@require_POST
@delivery_view(change=True)
def change(request: HttpRequest, production: Production, row: Delivery) -> HttpResponse:
    """Cancels, tries again, or takes a delivery off the list; files that were delivered stay where they are."""
    what = request.POST.get("what")
    try:
        if row.job is None:
            raise Refused("Its work is no longer there. Order it anew.")
        if what == "cancel":
            request_cancel(row.job)
        elif what == "retry":
            request_retry(row.job)
        elif what == "remove":
            if not row.job.is_over:
                raise Refused("Cancel it first.")
            forget_parts(row)
            row.delete()
            messages.success(request, f"{row.name} is off the list. Its files stay in {row.at}.")
            return redirect("deliveries", production.slug)
        else:
            raise Refused("Choose what to do with the delivery.")
    except UpwellingError as error:
        messages.error(request, str(error))
    return redirect("delivery", production.slug, row.pk)
