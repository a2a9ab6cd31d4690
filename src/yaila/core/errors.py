"""One exception type a cause, each with a sentence a person can act on."""

from __future__ import annotations

from typing import Any


class YailaError(Exception):
    """A problem the person can mend. ``str()`` says what happened and what to do about it.

    ``kind`` names the cause for programs, as in the problem documents (RFC 9457) of the API.
    """

    kind = "problem"


class BadPicture(YailaError):
    """The file cannot become a plate."""

    kind = "bad-picture"


class BadEdit(YailaError):
    """The edit would leave a film that makes no sense."""

    kind = "bad-edit"


class BadGeoreference(YailaError):
    """What a file says of where it lies cannot be understood."""

    kind = "bad-georeference"


class BadSurvey(YailaError):
    """A survey source cannot be used, or did not give what it should."""

    kind = "bad-survey"


class BadTrack(YailaError):
    """The file holds no way that can become a route."""

    kind = "bad-track"


class BadFit(YailaError):
    """The points, or the pictures, give no placement that can be trusted."""

    kind = "bad-fit"


class StaleEdit(YailaError):
    """The film has moved on since the editor last saw it."""

    kind = "stale-edit"


class NotFound(YailaError):
    """There is no such film, picture, reel or frame."""

    kind = "not-found"


class BadRender(YailaError):
    """The film cannot be rendered as asked."""

    kind = "bad-render"


class BadClip(YailaError):
    """The file is no clip that can be used."""

    kind = "bad-clip"


class BadSound(YailaError):
    """The file is no sound that can be used."""

    kind = "bad-sound"


class BadBundle(YailaError):
    """The file is not a film bundle that can be read."""

    kind = "bad-bundle"


class Occupied(YailaError):
    """The store, or the port, is another server's."""

    kind = "occupied"


class Damaged(YailaError):
    """A file that was written here is not any more what was written."""

    kind = "damaged"

    def __init__(self, path: object) -> None:
        super().__init__("A picture on the disk is damaged. It is made anew from its file; look again in a moment.")
        self.path = path


class NoRoom(YailaError):
    """The disk is full, or may not be written to."""

    kind = "no-room"


class BadStore(YailaError):
    """What is kept cannot be read, or is gone from under a running server."""

    kind = "bad-store"


class Busy(YailaError):
    """Something else holds what is needed; a moment later it can be had."""

    kind = "busy"


class TooMuch(YailaError):
    """A request is larger, deeper or longer than anything that makes sense."""

    kind = "too-much"


def said(error: Any) -> str:
    """What is wrong first in a value that a model refused (pydantic's ``ValidationError``), in words, and where."""
    errors = error.errors()
    # A field that may change has two forms; what is said of the one that was not meant tells nothing.
    meant = [one for one in errors if "·course" in one["loc"] and one["type"] != "model_type"]
    first = (meant or errors)[0]
    where = ".".join(str(part) for part in first["loc"] if not str(part).startswith("·"))
    message = str(first["msg"]).removeprefix("Value error, ").rstrip(".")
    return f"{where}: {message}" if where else message
