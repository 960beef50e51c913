"""A job's state, and cancelling it."""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from upwelling.web.common.access import signed_in
from upwelling.web.jobs.models import Job
from upwelling.web.jobs.services import request_cancel
from upwelling.web.jobs.supervisor import NO_WORKER, worker_runs


@require_GET
@signed_in
def state(request: HttpRequest, pk: int) -> JsonResponse:
    """The job as JSON, for members of its production."""
    job = get_object_or_404(Job, pk=pk, production__members__user=request.user)
    said = job.as_json()
    return JsonResponse(said if job.is_over or worker_runs() else {**said, "message": NO_WORKER})


@require_POST
@signed_in
def cancel(request: HttpRequest, pk: int) -> JsonResponse:
    """Asks for the job to stop; technicians only."""
    job = get_object_or_404(Job, pk=pk, production__members__user=request.user, production__members__role="technician")
    request_cancel(job)
    job.refresh_from_db()
    return JsonResponse(job.as_json())
