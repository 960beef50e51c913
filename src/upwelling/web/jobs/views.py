"""A job's state, and cancelling it."""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import request_cancel


@require_GET
def state(request: HttpRequest, pk: int) -> JsonResponse:
    """The job as JSON, for members of its production."""
    job = get_object_or_404(Job, pk=pk, production__members__user=request.user)
    return JsonResponse(job.as_json())


@require_POST
def cancel(request: HttpRequest, pk: int) -> JsonResponse:
    """Asks for the job to stop; technicians only."""
    job = get_object_or_404(Job, pk=pk, production__members__user=request.user,
                            production__members__role="technician")
    request_cancel(job)
    job.refresh_from_db()
    return JsonResponse(job.as_json())
