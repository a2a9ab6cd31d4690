"""Moments of the document: what the start or the end of something hangs on, and how long after it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from yaila.core.quantities import FilmTime, FramesOfTime, MarkRef, RoutePointIndex, RouteRef, TimeShare, VantageRef


class Hung(BaseModel):
    """What all moments have in common."""

    model_config = ConfigDict(extra="forbid", frozen=True, json_schema_serialization_defaults_required=True)
    offset: FramesOfTime = Field(0.0, ge=-10_000_000, le=10_000_000, allow_inf_nan=False)
    """Frames after it, or before if negative; a fraction is rounded."""


class FilmMoment(Hung):
    """A time of the film, seconds."""

    on: Literal["film"] = "film"
    seconds: FilmTime = Field(0.0, ge=0, le=86400)


class VantageMoment(Hung):
    """The camera's arrival at a vantage, or its leaving."""

    on: Literal["vantage"] = "vantage"
    vantage: VantageRef
    edge: Literal["arrives", "leaves"] = "arrives"


class PassageMoment(Hung):
    """The camera having done a share of its passage onward from a vantage, of the time that it takes, 0..1."""

    on: Literal["passage"] = "passage"
    vantage: VantageRef
    share: TimeShare = Field(0.5, ge=0, le=1)


class RouteMoment(Hung):
    """A route's line reaching one of its points, or the place nearest to the mark that hangs on it (``point`` none)."""

    on: Literal["route"] = "route"
    route: RouteRef
    point: RoutePointIndex | None = Field(None, ge=0)


class MarkMoment(Hung):
    """Another mark's start or end."""

    on: Literal["mark"] = "mark"
    mark: MarkRef
    edge: Literal["starts", "ends"] = "starts"


Moment = Annotated[FilmMoment | VantageMoment | PassageMoment | RouteMoment | MarkMoment, Field(discriminator="on")]
