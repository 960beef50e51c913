"""The web server: waitress, with bodies refused by their headers before anything of them is kept."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Callable
from typing import Any

import waitress
from django.conf import settings
from django.db import connections
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import Error

from upwelling.web.common.limits import MOST_UNSIGNED, is_signed_in, refusal

THREADS = 6
ANSWER_IN_MEMORY = 32 * 2**20
"""Bytes of one answer that wait in memory to be sent; waitress writes what is larger to a file first, and a picture
while a hand moves is over its own 1 MB."""
KEPT_OPEN = 600
"""Seconds that a thread's connection to the database outlives its request; ``standing`` keeps what was read by it."""
_REASONS = {401: "Unauthorized", 413: "Content Too Large", 507: "Insufficient Storage"}


class RefusedByHeader(Error):  # type: ignore[misc]
    """An answer given before the body has come."""

    def __init__(self, code: int, sentence: str) -> None:
        super().__init__(sentence)
        self.code, self.reason = code, _REASONS[code]

    def to_response(self, ident: Any = None) -> tuple[str, list[tuple[str, str]], bytes]:
        """Status, headers and body, as components read it."""
        headers = [("Content-Type", "application/json")]
        return f"{self.code} {self.reason}", headers, json.dumps({"error": self.body}).encode()


class CarefulParser(HTTPRequestParser):  # type: ignore[misc]
    """Asks who sends and how much when the headers are there; without a length, little is taken of anybody."""

    def received(self, data: bytes) -> int:
        """As the base class; sets ``error`` for what is refused."""
        begun = self.headers_finished
        taken: int = super().received(data)
        if self.error is None and self.headers_finished and not begun and self.content_length > 0:
            cookies = self.headers.get("COOKIE", "")
            self._refuse(refusal(self.content_length, signed_in=lambda: is_signed_in(cookies)))
        elif self.error is None and self.chunked and self.body_bytes_received > MOST_UNSIGNED:
            self._refuse((413, "Say how long the body is (Content-Length); without that little is taken."))
        return taken

    def _refuse(self, found: tuple[int, str] | None) -> None:
        if found is not None:
            self.error = RefusedByHeader(*found)
            self.completed = True
            self.connection_close = True


def serve(application: Any, host: str, port: int, ready: Callable[[], None] = lambda: None) -> None:
    """Runs until the process is told to end; ``ready`` is called once connections are taken."""
    spool = settings.DATA / "spool"
    spool.mkdir(mode=0o700, exist_ok=True)
    tempfile.tempdir = str(spool)
    HTTPChannel.parser_class = CarefulParser
    # Here alone: what works in the background opens the database anew for each piece of work.
    connections.settings["default"]["CONN_MAX_AGE"] = KEPT_OPEN
    server = waitress.create_server(
        application,
        host=host,
        port=port,
        threads=THREADS,
        ident="upwelling",
        max_request_body_size=1024**3,
        outbuf_overflow=ANSWER_IN_MEMORY,
        trusted_proxy=settings.TRUSTED_PROXY,
        trusted_proxy_headers={"x-forwarded-proto", "x-forwarded-for"} if settings.TRUSTED_PROXY else set(),
    )
    ready()
    server.run()
