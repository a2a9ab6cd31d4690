"""Fonts, those that ship with Yaila and those that are brought, pictures that serve as signs, and tables of colours."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel

from yaila.api.desk import Desk, desk_of, file_body
from yaila.core.type import FAMILIES

router = APIRouter(prefix="/api", tags=["fonts and signs"])
TheDesk = Annotated[Desk, Depends(desk_of)]
FileName = Annotated[str, Query(max_length=200)]


class OfferedFont(BaseModel):
    """A family to choose: what labels call it by, its name, and the faces it has of its own."""

    key: str
    name: str
    bold: bool
    italic: bool
    brought: bool


class OfferedSign(BaseModel):
    """A picture to choose as a sign."""

    key: str
    name: str


@router.get("/fonts")
def list_fonts(desk: TheDesk) -> list[OfferedFont]:
    """All that can be chosen."""
    shipped = [
        OfferedFont(key=name, name=name, bold=family.bold is not None, italic=family.italic is not None, brought=False)
        for name, family in FAMILIES.items()
    ]
    return shipped + [_brought(font.key, font.name) for font in desk.store.aids.fonts()]


def _brought(key: str, name: str) -> OfferedFont:
    # A face of a family that ships too would be called as that is.
    return OfferedFont(key=key, name=f"{name} (brought)", bold=False, italic=False, brought=True)


@router.post("/fonts", status_code=201, openapi_extra=file_body("A TrueType or OpenType font"))
async def bring_font(request: Request, desk: TheDesk, name: FileName) -> OfferedFont:
    """Bring a TrueType or OpenType font; the body is the file."""
    data = await request.body()
    font = await desk.tasks.do(request, "", lambda: desk.store.aids.add_font(data, name))
    return _brought(font.key, font.name)


class Swept(BaseModel):
    """How many fonts and signs were taken away."""

    gone: int


@router.delete("/aids/unused")
def sweep_aids(desk: TheDesk) -> Swept:
    """Take away the fonts and signs that no film uses as it stands, those put away included."""
    films = [desk.store.films.state(card.id).film for card in desk.store.films.cards()]
    used = {key for film in films for key in film.aids}
    return Swept(gone=desk.store.aids.sweep(used))


@router.get("/signs")
def list_signs(desk: TheDesk) -> list[OfferedSign]:
    """All pictures that were brought as signs."""
    return [OfferedSign(key=sign.key, name=sign.name) for sign in desk.store.aids.signs()]


@router.post("/signs", status_code=201, openapi_extra=file_body("A picture file"))
async def bring_sign(request: Request, desk: TheDesk, name: FileName) -> OfferedSign:
    """Bring a picture as a sign (PNG, JPEG or WebP); the body is the file."""
    data = await request.body()
    sign = await desk.tasks.do(request, "", lambda: desk.store.aids.add_sign(data, name))
    return OfferedSign(key=sign.key, name=sign.name)


@router.get("/signs/{key}.png", response_class=FileResponse)
def get_sign(key: str, desk: TheDesk) -> FileResponse:
    """The picture of a sign."""
    return FileResponse(desk.store.aids.file(key))


class OfferedTable(BaseModel):
    """A table of colours to choose for a grade."""

    key: str
    name: str


@router.get("/tables")
def list_tables(desk: TheDesk) -> list[OfferedTable]:
    """All tables of colours that were brought."""
    return [OfferedTable(key=table.key, name=table.name) for table in desk.store.aids.tables()]


@router.post("/tables", status_code=201, openapi_extra=file_body("A .cube file"))
async def bring_table(request: Request, desk: TheDesk, name: FileName) -> OfferedTable:
    """Bring a table of colours (.cube, of one or three dimensions); the body is the file."""
    data = await request.body()
    table = await desk.tasks.do(request, "", lambda: desk.store.aids.add_table(data, name))
    return OfferedTable(key=table.key, name=table.name)
