"""Files of marked-up text: XML that is read without being led astray, KML packed or not, and ZIPs that do not swell."""

from __future__ import annotations

import io
import zipfile
import zlib
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from yaila.core.errors import BadTrack

MOST_UNPACKED = 200_000_000
"""The largest KML in a KMZ, bytes."""

SWELLS = 60
"""How many times larger than packed a KML may be, beyond 2 MB: text of ways packs to about a tenth."""


SPOILT = (zipfile.BadZipFile, zlib.error, ValueError, EOFError, RuntimeError)
"""What unpacking can end in that is cut, encrypted, or packed in a way that is not known."""


def root_of(data: bytes, file: str) -> Element:
    """The root of an XML document.

    Raises:
        BadTrack: it is none that can be read.
    """
    try:
        root: Element = fromstring(data)
        return root
    except DefusedXmlException as error:
        raise BadTrack(f"“{file}” defines entities of its own, which is refused. Save it without them.") from error
    except (ParseError, LookupError, ValueError) as error:
        raise BadTrack(f"“{file}” is not well-formed XML ({error}). Save it again.") from error


def kml_root(data: bytes, file: str) -> Element:
    """The root of a KML document, or, by its ending, of the first in a KMZ.

    Raises:
        BadTrack: as :func:`root_of`; or it cannot be unpacked, or swells beyond measure.
    """
    return root_of(_unpacked(data, file) if file.lower().endswith(".kmz") else data, file)


def _unpacked(data: bytes, file: str) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = [info for info in archive.infolist() if info.filename.lower().endswith(".kml")]
            if not names:
                raise BadTrack(f"“{file}” holds no KML.")
            if names[0].file_size > min(MOST_UNPACKED, 2_000_000 + SWELLS * names[0].compress_size):
                raise BadTrack(
                    f"The KML in “{file}” is larger unpacked ({names[0].file_size // 1_000_000:,} MB) than a "
                    "way can be."
                )
            # It is read in memory: nothing is ever written by the names within.
            return archive.read(names[0])
    except SPOILT as error:
        raise BadTrack(f"“{file}” is no KMZ: it cannot be unpacked.") from error


def small_enough(data: bytes, file: str) -> None:
    """See that what is packed in a ZIP does not swell beyond measure.

    Raises:
        BadTrack: it does, or it is no ZIP.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            size = sum(info.file_size for info in archive.infolist())
    except SPOILT as error:
        raise BadTrack(f"“{file}” is no ZIP: it cannot be unpacked.") from error
    if size > min(MOST_UNPACKED, 2_000_000 + SWELLS * len(data)):
        raise BadTrack(f"“{file}” is larger unpacked ({size // 1_000_000:,} MB) than can be laid.")


def tag_of(element: Element) -> str:
    """A name without its namespace."""
    return element.tag.rsplit("}", 1)[-1] if isinstance(element.tag, str) else ""


def text_of(element: Element, name: str) -> str:
    """What a child of that name says; nothing if there is none."""
    return next((child.text or "" for child in element if tag_of(child) == name), "").strip()
