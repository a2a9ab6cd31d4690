"""What every answer carries, and what every request is held against before it is looked at.

The headers keep pages of other sites from showing, reading or guessing anything of this one (Content Security Policy
Level 3; Fetch standard, "nosniff" and Cross-Origin-Resource-Policy; HTML standard, cross-origin opener policy).
"""

from __future__ import annotations

import re

import numpy as np
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from yaila.core.errors import TooMuch
from yaila.core.stopping import Answer

MOST_BYTES = 64 * 2**20
"""The largest body, but of files that are written to the disk as they come."""

BINARY = ("fonts", "signs", "tables", "match")
"""How addresses end that take files which are no JSON, whatever a caller says they are."""

OTHERS = {
    **dict.fromkeys(("contents", "geodata", "gazetteers"), 200_000_000),
    **dict.fromkeys(BINARY, 31_000_000),
}
"""The largest bodies of addresses that take files, by how these end."""

STREAMED = re.compile(r"/api/(films/[^/]+/(pictures|sounds|clips)|bundles)")
"""What is written to the disk as it comes, and limited there."""

DEEPEST = 48
"""How deep lists and objects of a JSON body may stand in one another."""

LONGEST_NUMBER = 40
"""Characters of a number in a JSON body: a double needs 25 at most."""

HEADERS = [
    (
        b"content-security-policy",
        b"default-src 'self'; img-src 'self' blob: data:; media-src 'self' blob:; worker-src 'self' blob:; "
        b"style-src 'self' 'unsafe-inline'; object-src 'none'; base-uri 'none'; form-action 'none'; "
        b"frame-ancestors 'none'",
    ),
    (b"x-content-type-options", b"nosniff"),
    (b"cross-origin-resource-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"referrer-policy", b"no-referrer"),
]

_TEXT = re.compile(rb'"(?:[^"\\]|\\.)*"', re.DOTALL)
_NUMBER = re.compile(rb"[-+0-9.eE]{%d,}" % (LONGEST_NUMBER + 1))
_POWER = re.compile(rb"[0-9.][eE][-+]?0*[0-9]{4,}")


def bounded(body: bytes) -> None:
    """Hold a JSON body against what makes sense, before anything is made of it.

    Raises:
        TooMuch: it is nested too deep, or a number is too long.
    """
    bare = _TEXT.sub(b'""', body)
    if _NUMBER.search(bare) or _POWER.search(bare):
        raise TooMuch(f"A number is longer than {LONGEST_NUMBER} characters, or larger than any that makes sense here.")
    signs = np.frombuffer(bare, np.uint8)
    opens = np.isin(signs, np.frombuffer(b"[{", np.uint8)).astype(np.int32)
    closes = np.isin(signs, np.frombuffer(b"]}", np.uint8)).astype(np.int32)
    if len(signs) and int(np.cumsum(opens - closes).max()) > DEEPEST:
        raise TooMuch(f"Lists and objects stand more than {DEEPEST} deep in one another.")


class Door:
    """ASGI middleware: HEAD wherever GET is, bodies bounded as they arrive, the headers above on every answer."""

    def __init__(self, app: ASGIApp, refuse: ASGIApp) -> None:
        """``refuse`` answers requests whose scope has the cause as ``refused``."""
        self._app, self._refuse = app, refuse

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        bare = scope["method"] == "HEAD"
        if bare:
            scope = {**scope, "method": "GET"}

        made = Answer()

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                made.done()
                named = {name for name, _ in message["headers"]}
                message["headers"] = [*message["headers"], *(one for one in HEADERS if one[0] not in named)]
            elif message["type"] == "http.response.body" and bare:
                message = {**message, "body": b""}
            await send(message)

        if STREAMED.fullmatch(scope["path"]):
            made.done()
        try:
            await self._let_in({**scope, "answer": made}, receive, answer)
        finally:
            made.done()

    async def _let_in(self, scope: Scope, receive: Receive, answer: Send) -> None:
        try:
            body = await self._body(scope, receive)
        except TooMuch as error:
            await self._refuse({**scope, "refused": error}, receive, answer)
            return
        if body is None:
            await self._app(scope, receive, answer)
            return
        given = False

        async def again() -> Message:
            nonlocal given
            if given:
                return await receive()
            given = True
            return {"type": "http.request", "body": body, "more_body": False}

        await self._app(scope, again, answer)

    @staticmethod
    async def _body(scope: Scope, receive: Receive) -> bytes | None:
        """The whole body, or none where there is none or it is not to be held here.

        Raises:
            TooMuch: it is too large, or see :func:`bounded`.
        """
        if scope["method"] in ("GET", "OPTIONS", "DELETE") or STREAMED.fullmatch(scope["path"]):
            return None
        headers = dict(scope["headers"])
        ends = scope["path"].rpartition("/")[2]
        most = OTHERS.get(ends, MOST_BYTES)
        said = headers.get(b"content-length", b"")
        large = TooMuch(f"The request is larger than {most // 1_000_000} MB.")
        if said.isdigit() and (len(said) > 18 or int(said) > most):
            raise large
        came, size, more = [], 0, True
        while more:
            message = await receive()
            if message["type"] != "http.request":
                break
            came.append(message.get("body", b""))
            size, more = size + len(came[-1]), message.get("more_body", False)
            if size > most:
                raise large
        body = b"".join(came)
        if ends not in BINARY and b"json" in headers.get(b"content-type", b"json"):
            bounded(body)
        return body
