"""Reading foreign bytes in a process of its own, with limits on its time and memory: what kills it ends that process,
and the reading is refused with a sentence.

Processes are forked from one that has loaded the readers already, so one costs milliseconds after the first.
"""

from __future__ import annotations

import json
import multiprocessing
import os
import resource
import signal
import threading
from importlib import import_module
from operator import attrgetter
from typing import Any

from upwelling.core.errors import UpwellingError

READERS = {
    "cut": "upwelling.core.cut.read:cut_as_text",
    "table": "upwelling.core.tables.files:read_lut",
    "look": "upwelling.core.path.look_recipe:LookRecipe.from_text",
    "cdl": "upwelling.core.lut.formats.cdl:parse_cdl",
    "edl": "upwelling.core.lut.formats.edl:parse_edl",
}
"""By name, the function that reads; it takes plain values, and what it gives is sent back where that is plain text."""
CPU_SECONDS, LONGEST = 20, 600
"""Of processor time, and by the clock: a busy machine may keep an honest reader waiting."""
MEMORY = 2 * 2**30
"""Bytes beyond what the process has when it begins."""
_CONTEXT = multiprocessing.get_context("forkserver")
_LOCK = threading.Lock()
_SAID = {signal.SIGXCPU: f"took more than {CPU_SECONDS} seconds", signal.SIGKILL: "was stopped from outside"}


class ReadingFailed(UpwellingError):
    """The process that read foreign bytes died of them."""


def read_apart(reader: str, name: str, *arguments: Any) -> str | None:
    """What one of ``READERS`` makes of the arguments, where it is text; the file is called ``name`` in sentences.

    Raises ReadingFailed when the reader died, ran out of memory or took too long; a refusal of its own becomes
    ReadingRefused with the same sentence.
    """
    ear, mouth = _CONTEXT.Pipe(duplex=False)
    with _LOCK:
        _CONTEXT.set_forkserver_preload([place.split(":")[0] for place in READERS.values()])
        process = _CONTEXT.Process(target=_read, args=(mouth, READERS[reader], arguments, CPU_SECONDS), daemon=True)
        process.start()
    mouth.close()
    try:
        answer = ear.recv_bytes() if ear.poll(LONGEST) else b""
    except EOFError:
        answer = b""
    process.join(1 if answer else 0.2)
    if process.is_alive():
        process.kill()
        process.join()
    if not answer:
        code = process.exitcode or 0
        why = _SAID.get(signal.Signals(-code)) if code < 0 else None
        raise ReadingFailed(f"{name}: reading it {why or 'ended its reader'}. The file is damaged, or made to do so.")
    body = json.loads(answer)
    if "refused" in body:
        raise ReadingRefused(body["refused"])
    if "failed" in body:
        raise ReadingFailed(f"{name}: {body['failed']}. The file is damaged, or made to do so.")
    text: str | None = body["text"]
    return text


class ReadingRefused(UpwellingError):
    """The reader's own refusal, in its words."""


def check_survivable(reader: str, name: str, *arguments: Any) -> None:
    """Raises ReadingFailed where reading kills its process; what can be read, or is refused in time, can then be read
    by who asked, to the same end.
    """
    try:
        read_apart(reader, name, *arguments)
    except ReadingRefused:
        return


def _read(mouth: Any, place: str, arguments: tuple[Any, ...], seconds: int) -> None:
    """In the process of its own."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 5))
    with open("/proc/self/statm", encoding="ascii") as stream:  # noqa: PTH123
        held = int(stream.read().split()[0]) * os.sysconf("SC_PAGE_SIZE")
    resource.setrlimit(resource.RLIMIT_AS, (held + MEMORY, held + MEMORY))
    module, reading = place.split(":")
    body: dict[str, Any]
    try:
        made = attrgetter(reading)(import_module(module))(*arguments)
        body = {"text": made if isinstance(made, str) else None}
    except UpwellingError as error:
        body = {"refused": str(error)}
    except MemoryError:
        body = {"failed": f"reading it took more than {MEMORY // 2**30} GiB"}
    except RecursionError:
        body = {"failed": "it is nested too deeply"}
    mouth.send_bytes(json.dumps(body).encode("utf-8", "replace"))
