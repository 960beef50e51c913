"""Background tasks of footage: they take ids and call a service."""

from huey.contrib.djhuey import db_task, on_startup

from upwelling.web.footage import arrivals, splits


@db_task()  # type: ignore[untyped-decorator]
def look_at(arrival_id: int) -> None:
    arrivals.perform(arrival_id)


@db_task()  # type: ignore[untyped-decorator]
def find_cuts(plan_id: int) -> None:
    splits.perform(plan_id)


@on_startup()  # type: ignore[untyped-decorator]
def resume() -> None:
    arrivals.resume_interrupted()
