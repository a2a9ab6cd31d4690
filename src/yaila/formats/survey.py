"""Survey sources: tiles fetched by an address template (OGC 17-083r4 tile matrices, XYZ or WMTS in REST style).

Only the host that a person wrote into a template is ever contacted; redirects are not followed. Addresses of this
machine or of a private network are refused unless the person said that they are meant, and what was checked is what is
connected to: a name is looked up once.
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
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

import cv2
import numpy as np
import pyvips
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from yaila.core.errors import BadSurvey
from yaila.core.film.model import Holds
from yaila.core.ground.mercator import GroundBox, mercator_of

if TYPE_CHECKING:
    import httpx

TIMEOUT = 12.0
"""Seconds that a tile may take."""

TRIES = 4
PATIENCE = 0.4
"""Seconds before the second try; twice as long before each one after."""

PARALLEL = 6
"""Tiles asked for at once."""

MOST_BYTES = 24 * 2**20
"""Bytes of a tile."""

MOST_ODD = 8
"""So many answers that are no tiles are taken for holes before the source is given up, unless good ones have come."""

PLACEHOLDERS = {
    "zoom": ("{z}", "{TileMatrix}"),
    "column": ("{x}", "{TileCol}"),
    "row": ("{y}", "{-y}", "{TileRow}"),
}


class Source(BaseModel):
    """Where survey tiles come from, and what they hold. ``bounds`` are west, south, east, north in degrees; ``{-y}`` in
    the template counts rows from the south."""

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
    holds: Holds = "pictures"

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


class OddTile(BadSurvey):
    """An answer is no tile of the source: a hole among good ones, the source's fault where there are none."""


class Surveyor:
    """Fetches tiles of one source, through a cache on disk.

    Args:
        folder: where tiles are kept; it may be shared by everybody.
        trusted: for the sources that ship with Yaila: this machine is meant.
    """

    def __init__(self, source: Source, folder: Path, trusted: bool = False) -> None:
        # Only who fetches tiles needs it.
        import httpx

        self.source, self._folder = source, folder / source.id
        self._client = httpx.Client(timeout=TIMEOUT, follow_redirects=False, headers={"User-Agent": "Yaila"})
        self._host = urlsplit(source.template).hostname or ""
        self._at = looked_up(self._host, private=trusted or source.private)
        self._came = self._odd = 0

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
        import httpx

        why, name = "", self.source.name
        for attempt in range(TRIES):
            if attempt:
                time.sleep(PATIENCE * 2 ** (attempt - 1))
            try:
                answer, body = self._answer(address)
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
                return body, answer.headers.get("content-type", "")
            why = f"it answered {answer.status_code}"
        raise TileMissing(why)

    def _answer(self, address: str) -> tuple[httpx.Response, bytes]:
        """An answer and its body, from the address that was looked up and checked.

        Raises:
            TileMissing: the body is larger than any tile.
            httpx.HTTPError: there was none, or it did not come to its end in time.
        """
        import httpx

        url = httpx.URL(address)
        port = f":{url.port}" if url.port else ""
        end = time.monotonic() + TIMEOUT
        with self._client.stream(
            "GET",
            url.copy_with(host=self._at),
            headers={"Host": f"{self._host}{port}"},
            extensions={"sni_hostname": self._host},
        ) as answer:
            body = bytearray()
            for chunk in answer.iter_bytes():
                body += chunk
                if len(body) > MOST_BYTES:
                    raise TileMissing(f"its answer is larger than {MOST_BYTES // 2**20} MB")
                if time.monotonic() > end:
                    raise httpx.ReadTimeout("The answer drips")
            return answer, bytes(body)

    def _pixels(self, data: bytes, kind: str) -> NDArray[np.uint8]:
        if kind.startswith("text/html") or data[:64].lstrip().lower().startswith((b"<!doctype", b"<html")):
            raise BadSurvey(
                f"“{self.source.name}” answers with a web page instead of tiles. Check the address, and whether it "
                "needs a key."
            )
        none = OddTile(f"“{self.source.name}” answers with something that is no picture (PNG, JPEG or WebP).")
        try:
            # Its size is read before it is unpacked: a small file can be a very large picture.
            header = pyvips.Image.new_from_buffer(data, "")
        except pyvips.Error as error:
            raise none from error
        if (header.width, header.height) != (self.source.tile, self.source.tile):
            raise OddTile(
                f"“{self.source.name}” gives tiles of {header.width} × {header.height} px, not "
                f"{self.source.tile}. Set its tile size right."
            )
        picture = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        if picture is None:
            raise none
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

        faults: list[BaseException] = []

        def one(name: tuple[int, int, int]) -> tuple[tuple[int, int, int], NDArray[np.uint8] | None]:
            # What one of them has found out the others need not ask for again, however late it is heard of here.
            if faults:
                raise faults[0]
            try:
                return fetched(name)
            except BaseException as error:
                faults.append(error)
                raise

        def fetched(name: tuple[int, int, int]) -> tuple[tuple[int, int, int], NDArray[np.uint8] | None]:
            try:
                tile = self.tile(*name)
            except TileMissing:
                return name, None
            except OddTile:
                self._odd += 1
                if not self._came and self._odd > MOST_ODD:
                    raise
                return name, None
            self._came += 1
            return name, tile

        with ThreadPoolExecutor(PARALLEL, thread_name_prefix="survey") as threads:
            try:
                for name, pixels in threads.map(one, wanted):
                    take(name, pixels)
            except BaseException:
                threads.shutdown(wait=False, cancel_futures=True)
                raise


def looked_up(host: str, private: bool = False) -> str:
    """An address of a host; ``private`` allows those of this machine and of private networks.

    Raises:
        BadSurvey: it is one of those, or it cannot be found.
    """
    try:
        found = [str(entry[4][0]) for entry in socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)]
    except (OSError, UnicodeError) as error:
        raise BadSurvey(f"The host “{host}” cannot be found. Check the address and the network.") from error
    for address in found:
        if not private and not _public(ipaddress.ip_address(address.partition("%")[0])):
            raise BadSurvey(
                f"“{host}” is an address of this machine or of a private network ({address}). If that is meant, tick "
                "“A private address” at the source."
            )
    return found[0]


TRANSLATED = [ipaddress.IPv6Network("64:ff9b::/96"), ipaddress.IPv6Network("64:ff9b:1::/48")]
"""IPv6 addresses that a network may turn into the IPv4 address in their last digits (RFC 6052, RFC 8215)."""


def _public(address: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Whether an address is one of the public network, and so is any IPv4 address written in it."""
    if isinstance(address, ipaddress.IPv4Address):
        return address.is_global and not address.is_multicast
    inner = [address.ipv4_mapped, address.sixtofour, *(address.teredo or ())]
    if any(address in network for network in TRANSLATED):
        inner.append(ipaddress.IPv4Address(int(address) & 0xFFFFFFFF))
    if any(address in network for network in TRANSLATED) or address.ipv4_mapped or address.sixtofour:
        return all(_public(one) for one in inner if one)
    return address.is_global and not address.is_multicast and all(_public(one) for one in inner if one)
