"""Parts rendered by many processes: a cluster of this machine's own, or one that a scheduler keeps."""

from __future__ import annotations

import logging
import os
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path as FilePath
from typing import Any

from upwelling.core.delivery.order import Order, Part
from upwelling.core.delivery.parts import PartReport, render_part
from upwelling.core.errors import BadValue, UnwritableFile

MEDIA, DELIVERIES = "UPWELLING_WORKER_MEDIA", "UPWELLING_WORKER_DELIVERIES"
"""Where a worker on another machine sees the folders of footage and of deliveries."""
NICE = "UPWELLING_WORKER_NICE"
_LOOK, _SAY = 0.1, 0.5
"""Seconds between looks at whether to go on, and between words of a worker."""
_AHEAD = 2
"""Parts handed out for each worker, so that none waits for the next."""
_ANSWER = 20
"""Seconds that a scheduler may take to answer."""
_START = 120
"""Seconds that processes of a busy machine may take until they are ready to work."""
_NO_PAGES: dict[str, Any] = {"distributed.scheduler.http.routes": [], "distributed.worker.http.routes": []}
"""No pages are served beside ours."""
_LARGEST_SHARE = 0.8
"""Of the machine's memory, for all local workers together."""


def render_task(text: str, index: int, folder: str, name: str, roots: Mapping[str, str]) -> PartReport:
    """A part as a task for any process: what it needs is in its arguments. ``roots`` are the folders of footage and of
    deliveries as the asker sees them; a worker may see them elsewhere.
    """
    _be_nice()
    order = Order.from_json(_moved(text, roots, as_json=True))
    part = order.parts()[index]
    at = FilePath(_moved(folder, roots))
    return render_part(order, part, at, name, _Count(_count_place(at, index)))


def _count_place(folder: FilePath, index: int) -> FilePath:
    """Where a worker says how many frames of a part are done."""
    return folder / f".at-{index:06}"


class _Count:
    """Frames done of a part, written down now and then for whoever waits."""

    def __init__(self, place: FilePath) -> None:
        self.place, self.done, self.said = place, 0, 0.0

    def __call__(self, frames: int) -> None:
        self.done += frames
        if time.monotonic() - self.said > _SAY:
            self.said = time.monotonic()
            self.place.write_text(str(self.done))


def _counted(place: FilePath) -> int:
    try:
        return int(place.read_text() or 0)
    except (OSError, ValueError):
        return 0


def _moved(text: str, roots: Mapping[str, str], *, as_json: bool = False) -> str:
    """Paths under the asker's folders as this worker sees them."""
    for kind, variable in (("media", MEDIA), ("deliveries", DELIVERIES)):
        ours, theirs = os.environ.get(variable, ""), roots.get(kind, "")
        if ours and theirs and ours != theirs:
            lead = '"' if as_json else ""
            text = text.replace(f"{lead}{theirs.rstrip('/')}/", f"{lead}{ours.rstrip('/')}/")
    return text


_is_nice = False


def _be_nice() -> None:
    """Renders give way to whatever a person waits for."""
    global _is_nice
    if not _is_nice and os.environ.get(NICE):
        os.nice(int(os.environ[NICE]))
    _is_nice = True


class OnCluster:
    """Renders on the workers of a Dask client. ``roots`` as in ``render_task``."""

    def __init__(self, client: Any, roots: Mapping[str, str] | None = None) -> None:
        self.client, self.roots = client, dict(roots or {})

    def run(
        self, order: Order, parts: Sequence[Part], folder: FilePath, name: str, told: Callable[[int], None]
    ) -> Iterator[PartReport]:
        """See Engine. A worker that vanishes costs its part, which another does."""
        from distributed.scheduler import KilledWorker

        text, waiting = order.to_json(), list(parts)
        asked: dict[Any, Part] = {}
        seen: dict[int, int] = {}
        try:
            while waiting or asked:
                room = _AHEAD * max(sum(self.client.nthreads().values()), 1) - len(asked)
                for part in waiting[: max(room, 0)]:
                    key = f"upwelling-part-{order.fingerprint[:12]}-{part.index}-{os.getpid()}"
                    future = self.client.submit(
                        render_task, text, part.index, str(folder), name, self.roots, key=key, pure=False
                    )
                    asked[future] = part
                    waiting.remove(part)
                for part in asked.values():
                    count = _counted(_count_place(folder, part.index))
                    told(count - seen.get(part.index, 0))
                    seen[part.index] = count
                told(0)
                done = [future for future in asked if future.done()]
                if not done:
                    time.sleep(_LOOK)
                for future in done:
                    part = asked.pop(future)
                    try:
                        report: PartReport = future.result()
                    except KilledWorker:
                        raise UnwritableFile(
                            folder.parent / name,
                            f"the process that rendered frame {part.begin} and on ended, again and again. The source "
                            "is damaged there, or needs more memory than a worker may have.",
                        ) from None
                    told(report.frames - seen.get(part.index, 0))
                    yield report
        finally:
            self.client.cancel(list(asked), force=True)


@contextmanager
def local(workers: int = 0, *, nice: int = 0, memory_mb: int = 0) -> Iterator[OnCluster]:
    """A cluster of processes on this machine (as many as it has cores), one thread each, reached by TLS with a key made
    for it alone; it ends with the block.
    """
    import dask
    from distributed import Client, LocalCluster
    from distributed.security import Security

    count = workers or os.cpu_count() or 1
    largest = int(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") * _LARGEST_SHARE / count)
    threads = {"NUMBA_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    with _main_unseen(), dask.config.set(_NO_PAGES):
        cluster = LocalCluster(
            n_workers=count,
            threads_per_worker=1,
            processes=True,
            memory_limit=memory_mb * 2**20 or largest,
            dashboard_address="127.0.0.1:0",
            host="tls://127.0.0.1",
            protocol="tls://",
            security=Security.temporary(),
            silence_logs=logging.CRITICAL,
            env={**threads, **({NICE: str(nice)} if nice else {})},
        )
        with cluster, Client(cluster, set_as_default=False) as client:
            yield OnCluster(client)


@contextmanager
def _main_unseen() -> Iterator[None]:
    """New processes begin by importing what this one was started as; no command or server may start again there."""
    main = sys.modules["__main__"]
    kept = {name: getattr(main, name) for name in ("__file__", "__spec__") if hasattr(main, name)}
    for name in kept:
        setattr(main, name, None)
    try:
        yield
    finally:
        for name, value in kept.items():
            setattr(main, name, value)


@contextmanager
def scheduler(address: str, roots: Mapping[str, str] | None = None) -> Iterator[OnCluster]:
    """The workers of a scheduler that others keep; raises BadValue where it does not answer or has none."""
    from distributed import Client

    try:
        client = Client(address, timeout=_ANSWER, set_as_default=False)
    except (OSError, ValueError) as error:
        raise BadValue(
            f"No scheduler answers at {address} ({str(error).splitlines()[0][:80]}). Start one with `dask scheduler`."
        ) from None
    with client:
        try:
            client.wait_for_workers(1, timeout=_ANSWER)
        except TimeoutError:
            raise BadValue(
                f"The scheduler at {address} has no workers. Start some with `upwelling worker --scheduler {address}`."
            ) from None
        yield OnCluster(client, roots)


def seen(client: Any) -> list[dict[str, Any]]:
    """The workers of a client: name, machine, load, memory and how many parts each has."""
    info = client.scheduler_info(n_workers=-1)
    busy = client.processing()
    return [
        {
            "name": str(row.get("name", "")),
            "host": str(row.get("host", address)),
            "threads": int(row.get("nthreads", 0)),
            "cpu": float(row.get("metrics", {}).get("cpu", 0.0)),
            "memory": float(row.get("metrics", {}).get("memory", 0)),
            "parts": len(busy.get(address, ())),
        }
        for address, row in info.get("workers", {}).items()
    ]


def serve(address: str, processes: int, roots: Mapping[str, str], memory_mb: int = 0) -> None:
    """Worker processes for a scheduler, each kept alive by a nanny, until the scheduler goes or this is stopped."""
    import asyncio

    from distributed import Nanny, rpc

    largest = int(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") * _LARGEST_SHARE / processes)
    threads = {"NUMBA_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}

    async def run() -> None:
        nannies = [
            Nanny(
                address,
                nthreads=1,
                memory_limit=memory_mb * 2**20 or largest,
                env={**threads, **roots},
                name=f"{os.uname().nodename}-{os.getpid()}-{number}",
                dashboard=False,
                silence_logs=logging.CRITICAL,
            )
            for number in range(processes)
        ]
        async with rpc(address) as asked:
            await asyncio.wait_for(asked.identity(), _ANSWER)
        await asyncio.gather(*(asyncio.wait_for(_started(nanny), _START) for nanny in nannies))
        await asyncio.gather(*(nanny.finished() for nanny in nannies))

    async def _started(nanny: Any) -> None:
        await nanny

    asyncio.run(run())
