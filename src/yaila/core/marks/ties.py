"""What the start or the end of a mark hangs on: a moment of the film, a vantage, a route or another mark, and how long
after it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

Id = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]


class _Moment(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    offset: float = Field(0.0, ge=-86400, le=86400, allow_inf_nan=False)
    """Frames after it, or before if negative; a fraction is rounded."""


class FilmMoment(_Moment):
    """A time of the film, seconds."""

    on: Literal["film"] = "film"
    seconds: float = Field(0.0, ge=0, le=86400)


class VantageMoment(_Moment):
    """The camera's arrival at a vantage, or its leaving."""

    on: Literal["vantage"] = "vantage"
    vantage: Id
    edge: Literal["arrives", "leaves"] = "arrives"


class PassageMoment(_Moment):
    """The camera having done a share of its passage onward from a vantage, of the time that it takes, 0..1."""

    on: Literal["passage"] = "passage"
    vantage: Id
    share: float = Field(0.5, ge=0, le=1)


class RouteMoment(_Moment):
    """A route's line reaching one of its points, or the place nearest to the mark that hangs on it (``point`` none)."""

    on: Literal["route"] = "route"
    route: Id
    point: int | None = Field(None, ge=0)


class MarkMoment(_Moment):
    """Another mark's start or end."""

    on: Literal["mark"] = "mark"
    mark: Id
    edge: Literal["starts", "ends"] = "starts"


Moment = Annotated[FilmMoment | VantageMoment | PassageMoment | RouteMoment | MarkMoment, Field(discriminator="on")]
