"""Background tasks of bakes: they take ids and call a service."""

from huey.contrib.djhuey import db_task

from upwelling.web.bakes.services import perform, perform_package


@db_task()  # type: ignore[untyped-decorator]
def run_bake(bake_id: int) -> None:
    perform(bake_id)


@db_task()  # type: ignore[untyped-decorator]
def run_package(package_id: int) -> None:
    perform_package(package_id)
