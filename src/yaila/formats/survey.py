"""Survey sources: tiles fetched by an address template (OGC 17-083r4 tile matrices, XYZ or WMTS in REST style).

Only the host that a person wrote into a template is ever contacted; redirects are not followed. Addresses of this
machine or of a private network are refused unless the person said that they are meant.
"""

from __future__ import annotations

import ipaddress
import re
import secrets
import socket
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from urllib.parse import urlsplit

import cv2
import httpx
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from yaila.core.errors import BadSurvey
from yaila.core.ground.mercator import GroundBox, mercator_of

TIMEOUT = 12.0
"""Seconds that a tile may take."""

TRIES = 4
PATIENCE = 0.4
"""Seconds before the second try; twice as long before each one after."""

PARALLEL = 6
"""Tiles asked for at once."""

PLACEHOLDERS = {
    "zoom": ("{z}", "{TileMatrix}"),
    "column": ("{x}", "{TileCol}"),
    "row": ("{y}", "{-y}", "{TileRow}"),
}


class Source(BaseModel):
    """Where survey tiles come from. ``bounds`` are west, south, east, north in degrees; ``{-y}`` in the template counts
    rows from the south."""

    model_config = ConfigDict(extra="forbid", json_schema_serialization_defaults_required=True)
    id: str = Field(default_factory=lambda: secrets.token_hex(4), pattern=r"^[A-Za-z0-9_-]{1,40}$")
    name: str = Field(min_length=1, max_length=80)
    template: str = Field(min_length=8, max_length=1000)
    least: int = Field(0, ge=0, le=24)
    most: int = Field(18, ge=0, le=24)
    tile: int = Field(256, ge=64, le=2048)
    bounds: tuple[float, float, float, float] = (-180.0, -85.0, 180.0, 85.0)
    credit: str = Field("", max_length=300)
    terms: str = Field("", max_length=2000)
    private: bool = False
    builtin: bool = False

    @field_validator("template")
    @classmethod
    def _template(cls, template: str) -> str:
        parts = urlsplit(template)
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise ValueError("The address must begin with http:// or https:// and name a host.")
        if "{" in parts.netloc:
            raise ValueError("The host must be written out: placeholders stand in the path or the query.")
        for what, names in PLACEHOLDERS.items():
            if not any(name in template for name in names):
                raise ValueError(
                    f"The address has no placeholder for the {what}: write {' or '.join(names)} where it goes."
                )
        return template

    @model_validator(mode="after")
    def _order(self) -> Source:
        west, south, east, north = self.bounds
        if self.least > self.most:
            raise ValueError("The widest zoom level is closer than the closest one.")
        if not (west < east and south < north):
            raise ValueError("The bounds are west, south, east, north in degrees; they are the wrong way round.")
        return self

    @property
    def box(self) -> GroundBox:
        """The bounds in Web Mercator metres."""
        west, south, east, north = self.bounds
        low, high = mercator_of(west, max(south, -85.05)), mercator_of(east, min(north, 85.05))
        return GroundBox(*low, *high)

    def address(self, zoom: int, column: int, row: int) -> str:
        """The address of a tile."""
        flipped = 2**zoom - 1 - row
        values = {"{z}": zoom, "{TileMatrix}": zoom, "{x}": column, "{TileCol}": column, "{y}": row, "{TileRow}": row}
        return re.sub(
            r"\{-?\w+\}",
            lambda found: str(flipped if found[0] == "{-y}" else values.get(found[0], found[0])),
            self.template,
        )


class TileMissing(Exception):
    """The source has no such tile, or did not give it in time."""


class Surveyor:
    """Fetches tiles of one source, through a cache on disk.

    Args:
        folder: where tiles are kept; it may be shared by everybody.
        trusted: for the sources that ship with Yaila: this machine is meant.
    """

    def __init__(self, source: Source, folder: Path, trusted: bool = False) -> None:
        self.source, self._folder = source, folder / source.id
        self._client = httpx.Client(timeout=TIMEOUT, follow_redirects=False, headers={"User-Agent": "Yaila"})
        if not (trusted or source.private):
            refuse_private(urlsplit(source.template).hostname or "")

    def close(self) -> None:
        """Let go of the connections."""
        self._client.close()

    def tile(self, zoom: int, column: int, row: int) -> NDArray[np.uint8]:
        """A tile, (size, size, 4) uint8 straight RGBA.

        Raises:
            TileMissing: there is none, or it did not come after several tries.
            BadSurvey: the source answers with something that is no tile of it.
        """
        file = self._folder / str(zoom) / str(column) / f"{row}.tile"
        if file.exists():
            return self._pixels(file.read_bytes(), "")
        data, kind = self._fetched(self.source.address(zoom, column, row))
        pixels = self._pixels(data, kind)
        file.parent.mkdir(parents=True, exist_ok=True)
        part = file.with_suffix(f".{threading.get_ident()}")
        part.write_bytes(data)
        part.replace(file)
        return pixels

    def _fetched(self, address: str) -> tuple[bytes, str]:
        why, name = "", self.source.name
        for attempt in range(TRIES):
            if attempt:
                time.sleep(PATIENCE * 2 ** (attempt - 1))
            try:
                answer = self._client.get(address)
            except httpx.TimeoutException:
                why = f"no answer within {TIMEOUT:.0f} s"
                continue
            except httpx.HTTPError as error:
                why = str(error) or type(error).__name__
                continue
            if answer.status_code in (404, 410, 204):
                raise TileMissing("the source has no such tile")
            if answer.status_code in (401, 403):
                raise BadSurvey(
                    f"“{self.source.name}” refuses its tiles ({answer.status_code}). Check the address and its key."
                )
            if answer.is_redirect:
                raise BadSurvey(f"“{name}” sends on to another address, which is not followed. Write that one instead.")
            if answer.status_code == 200:
                return answer.content, answer.headers.get("content-type", "")
            why = f"it answered {answer.status_code}"
        raise TileMissing(why)

    def _pixels(self, data: bytes, kind: str) -> NDArray[np.uint8]:
        if kind.startswith("text/html") or data[:64].lstrip().lower().startswith((b"<!doctype", b"<html")):
            raise BadSurvey(
                f"“{self.source.name}” answers with a web page instead of tiles. Check the address, and whether it "
                "needs a key."
            )
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        if picture is None:
            raise BadSurvey(f"“{self.source.name}” answers with something that is no picture (PNG, JPEG or WebP).")
        if picture.shape[:2] != (self.source.tile, self.source.tile):
            raise BadSurvey(
                f"“{self.source.name}” gives tiles of {picture.shape[1]} × {picture.shape[0]} px, not "
                f"{self.source.tile}. Set its tile size right."
            )
        if picture.dtype != np.uint8:
            picture = (picture // 257).astype(np.uint8)
        if picture.ndim == 2:
            return cv2.cvtColor(picture, cv2.COLOR_GRAY2RGBA).astype(np.uint8)
        code = cv2.COLOR_BGRA2RGBA if picture.shape[2] == 4 else cv2.COLOR_BGR2RGBA
        return cv2.cvtColor(picture, code).astype(np.uint8)

    def tiles(
        self,
        wanted: Iterable[tuple[int, int, int]],
        take: Callable[[tuple[int, int, int], NDArray[np.uint8] | None], None],
    ) -> None:
        """Fetch many tiles, several at once; ``take`` gets each as it comes, or none where it is missing.

        Raises:
            BadSurvey: as soon as the source proves to be none.
        """

        def one(name: tuple[int, int, int]) -> tuple[tuple[int, int, int], NDArray[np.uint8] | None]:
            try:
                return name, self.tile(*name)
            except TileMissing:
                return name, None

        with ThreadPoolExecutor(PARALLEL, thread_name_prefix="survey") as threads:
            try:
                for name, pixels in threads.map(one, wanted):
                    take(name, pixels)
            except BaseException:
                threads.shutdown(wait=False, cancel_futures=True)
                raise


def refuse_private(host: str) -> None:
    """Refuse a host that is this machine or in a private network.

    Raises:
        BadSurvey: it is, or it cannot be found.
    """
    try:
        addresses = {entry[4][0] for entry in socket.getaddrinfo(host, None)}
    except OSError as error:
        raise BadSurvey(f"The host “{host}” cannot be found. Check the address and the network.") from error
    for address in addresses:
        if not ipaddress.ip_address(str(address).partition("%")[0]).is_global:
            raise BadSurvey(
                f"“{host}” is an address of this machine or of a private network ({address}). If that is meant, tick "
                "“A private address” at the source."
            )
