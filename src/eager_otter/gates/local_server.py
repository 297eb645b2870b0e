"""The gate for the browser: a server that only this machine reaches, under an address that nobody can guess."""

from __future__ import annotations

import secrets
import threading
from collections.abc import Callable, Mapping
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.gates.numbers import whole_of

LOOPBACK = "127.0.0.1"
NAMES = (LOOPBACK, "localhost")
HEADERS = {
    "Cache-Control": "no-store",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "SAMEORIGIN",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """What is answered: some bytes of a kind, with a policy of its own for what a page may load ("" for none)."""

    body: bytes
    kind: str = "text/html; charset=utf-8"
    policy: str = ""


Page = Callable[[Mapping[str, int]], Answer]  # takes the whole numbers of a query


class LocalServer:
    """Answers pages by name, to this machine alone.

    It is bound to the loopback, answers no request that names another host, and none without the random token that
    `address` holds. Raises RequestError for a port that is taken.
    """

    def __init__(self, pages: Mapping[str, Page], port: int = 0) -> None:
        self.token = secrets.token_urlsafe(24)
        handler: Any = type("_Answers", (_Handler,), {"pages": pages, "token": self.token})
        try:
            self._server = ThreadingHTTPServer((LOOPBACK, port), handler)
        except (OSError, OverflowError) as error:
            raise RequestError(
                f"Port {port} cannot be had on this machine ({error}); name another, or none."
            ) from error
        self._server.daemon_threads = True
        self._handler = handler
        self._thread: threading.Thread | None = None
        self.port = handler.port = int(self._server.server_address[1])

    @property
    def address(self) -> str:
        """The address to open in a browser."""
        return f"http://{LOOPBACK}:{self.port}/{self.token}/"

    def start(self) -> None:
        """Answer from now on, in a thread."""
        self._thread = threading.Thread(target=self._server.serve_forever, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Answer no more, on connections that are open neither."""
        self._handler.stopped = True
        if self._thread is not None:
            self._server.shutdown()
        self._server.server_close()


class _Handler(BaseHTTPRequestHandler):
    pages: Mapping[str, Page]
    token: str
    port: int
    stopped = False
    server_version = "eager-otter"
    sys_version = ""
    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        """Answer a page, or refuse."""
        if self.stopped:
            self.close_connection = True
            return
        if self.headers.get("Host") not in [f"{name}:{self.port}" for name in NAMES]:
            self._refuse(HTTPStatus.FORBIDDEN)
            return
        asked = urlsplit(self.path)
        _, token, *rest = asked.path.split("/", 2)
        if not secrets.compare_digest(token.encode(), self.token.encode()) or len(rest) != 1:
            self._refuse(HTTPStatus.NOT_FOUND)
            return
        page = self.pages.get(rest[0])
        if page is None:
            self._refuse(HTTPStatus.NOT_FOUND)
            return
        query = {name: whole_of(values[0]) for name, values in parse_qs(asked.query).items()}
        self._answer(page({name: value for name, value in query.items() if value is not None}))

    def _answer(self, answer: Answer, status: HTTPStatus = HTTPStatus.OK) -> None:
        try:
            self.send_response(status)
            for name, value in HEADERS.items():
                self.send_header(name, value)
            if answer.policy:
                self.send_header("Content-Security-Policy", answer.policy)
            self.send_header("Content-Type", answer.kind)
            self.send_header("Content-Length", str(len(answer.body)))
            self.end_headers()
            self.wfile.write(answer.body)
        except OSError:  # the browser has gone
            self.close_connection = True

    def _refuse(self, status: HTTPStatus) -> None:
        self._answer(Answer(body=status.phrase.encode(), kind="text/plain; charset=utf-8"), status)

    def log_message(self, format: str, *args: Any) -> None:
        """Say nothing: the terminal tells what the analyst did."""
