"""The door: only this machine's own pages may speak to the server.

A page of some other site can make a browser send requests to 127.0.0.1. Two checks stop it: the Host must name
this server (against DNS rebinding), and whatever changes state or opens a WebSocket must come from this
server's own origin, if it says where it comes from (browsers always do; RFC 6454, Fetch standard).
"""

from __future__ import annotations

import json

from starlette.types import ASGIApp, Receive, Scope, Send

SAFE = ("GET", "HEAD", "OPTIONS")


class Guard:
    """ASGI middleware that refuses foreign hosts and origins."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str]) -> None:
        self._app = app
        self._hosts = hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        headers = {key.decode("latin-1").lower(): value.decode("latin-1") for key, value in scope["headers"]}
        refusal = self._refusal(scope, headers)
        if refusal is None:
            await self._app(scope, receive, send)
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 1008, "reason": "foreign origin"})
        else:
            body = json.dumps({"type": "forbidden", "title": "Forbidden", "status": 403, "detail": refusal})
            await send(
                {
                    "type": "http.response.start",
                    "status": 403,
                    "headers": [(b"content-type", b"application/problem+json")],
                }
            )
            await send({"type": "http.response.body", "body": body.encode()})

    def _refusal(self, scope: Scope, headers: dict[str, str]) -> str | None:
        if headers.get("host", "") not in self._hosts:
            return "This server answers only to its own address on this machine."
        changes = scope["type"] == "websocket" or scope["method"] not in SAFE
        origin = headers.get("origin")
        if changes and origin is not None and origin not in {f"http://{host}" for host in self._hosts}:
            return "Another site's page may not change anything here."
        if changes and headers.get("sec-fetch-site") in ("cross-site", "same-site"):
            return "Another site's page may not change anything here."
        return None
