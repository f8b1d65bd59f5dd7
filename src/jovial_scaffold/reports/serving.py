"""The board on a loopback port: the page, and a version that changes when a file of the project does."""

import os
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from jovial_scaffold.reports.pages import policy_of

_EVERY_SECONDS = 0.5
_SKIPPED = frozenset((".git", ".venv", "node_modules", "__pycache__"))
_MOST_FILES = 20_000


class Server:
    """Serves one page on 127.0.0.1. `make` gives it anew, or nothing where it cannot be made; then the last one stays. `answer` says what other
    values would do, as JSON, of which nothing is written. Raises OSError."""

    def __init__(self, page: str, make: Callable[[], str | None], answer: Callable[[str], bytes | None], root: Path, port: int) -> None:
        self.page = page.encode()
        self.policy = policy_of(page)
        self.version = 0
        self._make = make
        self._ask = answer
        self._one = threading.Lock()  # what answers is no matter for several threads
        self._root = root
        self._seen = self._stamp()
        self._http = _Bounded(("127.0.0.1", port), self._handler())
        self.address = f"http://127.0.0.1:{self._http.server_address[1]}/"

    def run(self) -> None:
        """Serve until interrupted."""
        threading.Thread(target=self._watch, daemon=True).start()
        try:
            self._http.serve_forever()
        finally:
            self._http.server_close()

    def tried(self, query: str) -> bytes:
        """What other values would do."""
        with self._one:
            return self._ask(query) or b"null"

    def _watch(self) -> None:
        while True:
            time.sleep(_EVERY_SECONDS)
            stamp = self._stamp()
            if stamp == self._seen:
                continue
            self._seen = stamp
            with self._one:
                page = self._make()
            if page is not None:
                self.policy = policy_of(page)
                self.page = page.encode()
                self.version += 1

    def _stamp(self) -> tuple[tuple[str, int, int], ...]:
        """Names, times and sizes of the files below the root."""
        found: list[tuple[str, int, int]] = []
        for here, below, files in os.walk(self._root):
            below[:] = sorted(each for each in below if each not in _SKIPPED)
            for name in sorted(files):
                path = os.path.join(here, name)
                try:
                    about = os.stat(path)
                except OSError:
                    continue
                found.append((path, about.st_mtime_ns, about.st_size))
            if len(found) > _MOST_FILES:
                break
        return tuple(found)

    def _handler(self) -> type[BaseHTTPRequestHandler]:
        server = self

        class Handler(BaseHTTPRequestHandler):
            timeout = _SECONDS  # for a request that does not come to its end
            server_version, sys_version = "board", ""

            def do_GET(self) -> None:
                if not self._is_ours():
                    self._answer(403, b"This is served to this machine only.", "text/plain")
                elif self.path in ("/", "/index.html"):
                    self._answer(200, server.page, "text/html")
                elif self.path == "/version":
                    self._answer(200, str(server.version).encode(), "text/plain")
                elif self.path.startswith("/try?"):
                    self._answer(200, server.tried(self.path.partition("?")[2]), "application/json")
                else:
                    self._answer(404, b"There is only one page: /", "text/plain")

            do_HEAD = do_GET  # noqa: N815 - the name that the server looks for

            def _is_ours(self) -> bool:
                """A page elsewhere that got a name to point here, or that asks from its own site, must not read what is served."""
                port = self.server.server_address[1]  # type: ignore[index]  # an address of the internet family
                hosts = (f"127.0.0.1:{port}", f"localhost:{port}")
                origin = self.headers.get("Origin")
                own = origin is None or origin in [f"http://{host}" for host in hosts]
                return self.headers.get_all("Host", []) in [[host] for host in hosts] and own and not self._is_foreign()

            def _is_foreign(self) -> bool:
                return self.headers.get("Sec-Fetch-Site", "none") not in ("none", "same-origin")

            def _answer(self, status: int, content: bytes, kind: str) -> None:
                self.send_response(status)
                for name, value in _HEADERS.items():
                    self.send_header(name, value)
                self.send_header("Content-Security-Policy", f"{server.policy}; frame-ancestors 'none'")
                self.send_header("Content-Type", f"{kind}; charset=utf-8")
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                if self.command == "HEAD":
                    return
                try:
                    self.wfile.write(content)
                except OSError:  # whoever asked has gone
                    return

            def log_message(self, format: str, *arguments: Any) -> None:
                return

        return Handler


_SECONDS = 10
_CONNECTIONS = 32
_HEADERS = {
    "Cache-Control": "no-store",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Connection": "close",
}


class _Bounded(ThreadingHTTPServer):
    """Answers so many at a time; who comes when all are busy is sent away."""

    daemon_threads = True
    block_on_close = False  # who holds a connection does not hold the end of the program

    def __init__(self, address: tuple[str, int], handler: type[BaseHTTPRequestHandler]) -> None:
        self._free = threading.BoundedSemaphore(_CONNECTIONS)
        super().__init__(address, handler)

    def process_request(self, request: Any, client_address: Any) -> None:
        if not self._free.acquire(blocking=False):
            self.shutdown_request(request)
            return
        super().process_request(request, client_address)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        try:
            super().process_request_thread(request, client_address)
        finally:
            self._free.release()

    def handle_error(self, request: Any, client_address: Any) -> None:
        """What goes wrong with one connection is no matter for the terminal."""
