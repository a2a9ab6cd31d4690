"""A tile server whose answers a test sets."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import cv2
import numpy as np
import pytest

Answer = Callable[[str], tuple[int, str, bytes]]


def png(side: int = 64, value: int = 90) -> bytes:
    return cv2.imencode(".png", np.full((side, side, 3), value, np.uint8))[1].tobytes()


@pytest.fixture
def host() -> Iterator[dict]:
    """A server whose answers a test sets; it notes what it was asked for."""
    state: dict = {"answer": lambda path: (200, "image/png", png()), "asked": [], "drip": 0.0}

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            state["asked"].append(self.path)
            status, kind, body = state["answer"](self.path)
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            if 300 <= status < 400:
                self.send_header("Location", "http://127.0.0.1:1/elsewhere.png")
            self.end_headers()
            for k in range(len(body) if state["drip"] else 0):
                time.sleep(state["drip"])
                self.wfile.write(body[k : k + 1])
                self.wfile.flush()
            if not state["drip"]:
                self.wfile.write(body)

        def handle(self) -> None:
            with contextlib.suppress(ConnectionError):
                super().handle()

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
    state["template"] = f"http://127.0.0.1:{server.server_port}/{{z}}/{{x}}/{{y}}.png"
    yield state
    server.shutdown()
