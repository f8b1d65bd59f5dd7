"""The board on a loopback port: the page, and a version that changes when a file of the project does."""

import os
import threading
import time
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

_EVERY_SECONDS = 0.5
_SKIPPED = frozenset((".git", ".venv", "node_modules", "__pycache__"))
_MOST_FILES = 20_000


class Server:
    """Serves one page on 127.0.0.1. `make` gives it anew, or nothing where it cannot be made; then the last one stays. Raises OSError."""

    def __init__(self, page: str, make: Callable[[], str | None], root: Path, port: int) -> None:
        self.page = page.encode()
        self.version = 0
        self._make = make
        self._root = root
        self._seen = self._stamp()
        self._http = ThreadingHTTPServer(("127.0.0.1", port), self._handler())
        self._http.daemon_threads = True
        self.address = f"http://127.0.0.1:{self._http.server_address[1]}/"

    def run(self) -> None:
        """Serve until interrupted."""
        threading.Thread(target=self._watch, daemon=True).start()
        try:
            self._http.serve_forever()
        finally:
            self._http.server_close()

    def _watch(self) -> None:
        while True:
            time.sleep(_EVERY_SECONDS)
            stamp = self._stamp()
            if stamp == self._seen:
                continue
            self._seen = stamp
            page = self._make()
            if page is not None:
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
            def do_GET(self) -> None:
                # A page elsewhere that got a name to point here must not read what is served.
                host = self.headers.get("Host", "").rpartition(":")[0] or self.headers.get("Host", "")
                if host not in ("127.0.0.1", "localhost"):
                    self._answer(403, b"This is served to this machine only.", "text/plain")
                elif self.path in ("/", "/index.html"):
                    self._answer(200, server.page, "text/html")
                elif self.path == "/version":
                    self._answer(200, str(server.version).encode(), "text/plain")
                else:
                    self._answer(404, b"There is only one page: /", "text/plain")

            def _answer(self, status: int, content: bytes, kind: str) -> None:
                self.send_response(status)
                self.send_header("Content-Type", f"{kind}; charset=utf-8")
                self.send_header("Content-Length", str(len(content)))
                self.send_header("Cache-Control", "no-store")
                self.send_header("X-Content-Type-Options", "nosniff")
                self.end_headers()
                try:
                    self.wfile.write(content)
                except (BrokenPipeError, ConnectionResetError):
                    return

            def log_message(self, format: str, *arguments: Any) -> None:
                return

        return Handler
