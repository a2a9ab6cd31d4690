"""The acts of an editor: named changes of a film. Each takes a film and returns a new one.

The interface sends acts where the outcome needs computing (drag this corner of a tilted frame there); whatever
is a plain value it sends as a JSON Patch.
"""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from yaila.core.film.acts.courses import CopyCourse, CopyStop, KeepValue, MoveStop, RemoveStop, SetValue
from yaila.core.film.acts.finish import (
    AddDeck,
    AddLamp,
    FloatPlate,
    Focus,
    FocusAtVantage,
    KeepClear,
    LightPlate,
    RaiseGround,
    TakeLook,
)
from yaila.core.film.acts.marks import (
    AddInset,
    AddLabel,
    AddMarker,
    AddRegion,
    CopyLook,
    DragMark,
    DuplicateMark,
    MakeRoom,
    MakeStyle,
    MarkStops,
    MoveMark,
    OpenMap,
    PullRim,
    RemoveMarks,
    RemoveStyle,
    ResetLook,
    RestackMark,
    SetArrival,
    SetLook,
    ShiftMarks,
    ShowGroup,
    Uncover,
    UseStyle,
)
from yaila.core.film.acts.plates import (
    GroundByPoints,
    LayByFile,
    LayFound,
    LayInset,
    LayPlate,
    MatchTone,
    MovePlate,
    NoteFit,
    OutlinePlate,
    PickColour,
    PullPlate,
    RemovePlate,
    RestackPlate,
    SwapPicture,
    TiePlate,
)
from yaila.core.film.acts.recipes import BuildRecipe
from yaila.core.film.acts.routes import (
    AddRoute,
    FollowRoute,
    ImportRoute,
    JoinRoutes,
    OffsetRoute,
    PullRouteHandle,
    ReverseRoute,
    RouteHandles,
    ShortestWay,
    SplitLeg,
    SplitRoute,
)
from yaila.core.film.acts.sounds import (
    AddSound,
    BeatsOfSound,
    CloseGap,
    DuplicateSound,
    FadeOut,
    FitSound,
    MoveSound,
    RemoveLane,
    RemoveSounds,
    SetLoudness,
    SoundEverything,
)
from yaila.core.film.acts.timing import ChangeRate, DrawSpeed, ImportBeats, Retime, StretchTime, TapBeat
from yaila.core.film.acts.vantages import (
    AddRailPoint,
    AddVantage,
    ChangeManner,
    Clip,
    DuplicateVantage,
    FlownPose,
    FlyVantage,
    KeepPose,
    LevelVantage,
    MoveCamera,
    MoveVantages,
    PassThrough,
    PasteVantages,
    PlaceCamera,
    PullRailHandle,
    PullVantage,
    RailHandles,
    RemoveVantages,
    ReorderVantage,
    VantageAtFrame,
)

Act = Annotated[
    LayInset
    | LayPlate
    | Focus
    | AddLamp
    | AddDeck
    | RaiseGround
    | TakeLook
    | FloatPlate
    | LightPlate
    | KeepClear
    | FocusAtVantage
    | MovePlate
    | PullPlate
    | TiePlate
    | LayFound
    | NoteFit
    | MatchTone
    | OutlinePlate
    | PickColour
    | SwapPicture
    | LayByFile
    | GroundByPoints
    | RestackPlate
    | RemovePlate
    | AddRoute
    | FollowRoute
    | ImportRoute
    | ShortestWay
    | JoinRoutes
    | SplitRoute
    | OffsetRoute
    | RouteHandles
    | PullRouteHandle
    | ReverseRoute
    | SplitLeg
    | AddMarker
    | AddLabel
    | AddInset
    | AddRegion
    | PullRim
    | RemoveMarks
    | DragMark
    | MarkStops
    | DuplicateMark
    | RestackMark
    | MoveMark
    | SetLook
    | SetArrival
    | OpenMap
    | ShiftMarks
    | ShowGroup
    | MakeRoom
    | Uncover
    | ResetLook
    | MakeStyle
    | UseStyle
    | CopyLook
    | RemoveStyle
    | AddVantage
    | KeepPose
    | FlyVantage
    | VantageAtFrame
    | DuplicateVantage
    | PasteVantages
    | RemoveVantages
    | ReorderVantage
    | MoveVantages
    | PullVantage
    | MoveCamera
    | PlaceCamera
    | AddRailPoint
    | ChangeManner
    | PassThrough
    | RailHandles
    | PullRailHandle
    | LevelVantage
    | Retime
    | StretchTime
    | ChangeRate
    | SetValue
    | KeepValue
    | MoveStop
    | CopyStop
    | RemoveStop
    | CopyCourse
    | DrawSpeed
    | ImportBeats
    | TapBeat
    | AddSound
    | MoveSound
    | FitSound
    | DuplicateSound
    | RemoveSounds
    | SoundEverything
    | BeatsOfSound
    | RemoveLane
    | SetLoudness
    | FadeOut
    | CloseGap
    | BuildRecipe,
    Field(discriminator="act"),
]

__all__ = [
    "Act",
    "AddDeck",
    "AddInset",
    "AddLabel",
    "AddLamp",
    "AddMarker",
    "AddRailPoint",
    "AddRegion",
    "AddRoute",
    "AddSound",
    "AddVantage",
    "BeatsOfSound",
    "BuildRecipe",
    "ChangeManner",
    "ChangeRate",
    "Clip",
    "CloseGap",
    "CopyCourse",
    "CopyLook",
    "CopyStop",
    "DragMark",
    "DrawSpeed",
    "DuplicateMark",
    "DuplicateSound",
    "DuplicateVantage",
    "FadeOut",
    "FitSound",
    "FloatPlate",
    "FlownPose",
    "FlyVantage",
    "Focus",
    "FocusAtVantage",
    "FollowRoute",
    "GroundByPoints",
    "ImportBeats",
    "ImportRoute",
    "JoinRoutes",
    "KeepClear",
    "KeepPose",
    "KeepValue",
    "LayByFile",
    "LayFound",
    "LayInset",
    "LayPlate",
    "LevelVantage",
    "LightPlate",
    "MakeRoom",
    "MakeStyle",
    "MarkStops",
    "MatchTone",
    "MoveCamera",
    "MoveMark",
    "MovePlate",
    "MoveSound",
    "MoveStop",
    "MoveVantages",
    "NoteFit",
    "OffsetRoute",
    "OpenMap",
    "OutlinePlate",
    "PassThrough",
    "PasteVantages",
    "PickColour",
    "PlaceCamera",
    "PullPlate",
    "PullRailHandle",
    "PullRim",
    "PullRouteHandle",
    "PullVantage",
    "RailHandles",
    "RaiseGround",
    "RemoveLane",
    "RemoveMarks",
    "RemovePlate",
    "RemoveSounds",
    "RemoveStop",
    "RemoveStyle",
    "RemoveVantages",
    "ReorderVantage",
    "ResetLook",
    "RestackMark",
    "RestackPlate",
    "Retime",
    "ReverseRoute",
    "RouteHandles",
    "SetArrival",
    "SetLook",
    "SetLoudness",
    "SetValue",
    "ShiftMarks",
    "ShortestWay",
    "ShowGroup",
    "SoundEverything",
    "SplitLeg",
    "SplitRoute",
    "StretchTime",
    "SwapPicture",
    "TapBeat",
    "TiePlate",
    "Uncover",
    "UseStyle",
    "VantageAtFrame",
]  # fmt: skip
