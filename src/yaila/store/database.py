"""The tables of the store, in SQLite through SQLAlchemy."""

from __future__ import annotations

import sqlite3
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import JSON, Connection, Engine, ForeignKey, create_engine, event, inspect, text
from sqlalchemy.engine import ExceptionContext
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from yaila.core.errors import BadStore, Busy, NoRoom, YailaError

NEWEST = "0008"
"""The newest step in ``upgrades/versions``."""

PATIENCE = 5
"""How long a statement waits for another program that writes, s."""


def now() -> datetime:
    """The time, in UTC."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """The base of all tables."""

    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012


class FilmRow(Base):
    """A film, which of its revisions stands, and whether it is put away."""

    __tablename__ = "films"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    head: Mapped[int]
    touched: Mapped[datetime] = mapped_column(default=now)
    away: Mapped[bool] = mapped_column(default=False)


class RevisionRow(Base):
    """One state of a film: the patch that led to it from its parent, and now and then the document itself, as JSON
    packed by zlib; ``steps`` says how many patches away that is. Never changed, and gone only with its film."""

    __tablename__ = "revisions"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    film: Mapped[str] = mapped_column(index=True)
    parent: Mapped[int | None] = mapped_column(ForeignKey("revisions.id"), index=True)
    whole: Mapped[bytes | None]
    steps: Mapped[int]
    patch: Mapped[list[Any]]
    label: Mapped[str]
    made: Mapped[datetime] = mapped_column(default=now)


class PictureRow(Base):
    """A picture in store, by the SHA-256 of its file."""

    __tablename__ = "pictures"
    sha256: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    suffix: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    alpha: Mapped[bool]
    format: Mapped[str]
    size: Mapped[int]
    made: Mapped[datetime] = mapped_column(default=now)


class SourceRow(Base):
    """A survey source that a person added."""

    __tablename__ = "sources"
    id: Mapped[str] = mapped_column(primary_key=True)
    source: Mapped[dict[str, Any]]
    made: Mapped[datetime] = mapped_column(default=now)


class JobRow(Base):
    """Long work: an import, a capture, a fit or a reel."""

    __tablename__ = "jobs"
    id: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    film: Mapped[str] = mapped_column(index=True)
    name: Mapped[str]
    state: Mapped[str] = mapped_column(default="waiting")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    message: Mapped[str] = mapped_column(default="")
    settings: Mapped[dict[str, Any]]
    made: Mapped[datetime] = mapped_column(default=now)
    started: Mapped[datetime | None]
    ended: Mapped[datetime | None]


class SoundRow(Base):
    """A sound in store, by the SHA-256 of its file; ``beats`` once they were looked for."""

    __tablename__ = "sounds"
    sha256: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    suffix: Mapped[str]
    samples: Mapped[int]
    size: Mapped[int]
    beats: Mapped[list[Any] | None]
    made: Mapped[datetime] = mapped_column(default=now)


class ClipRow(Base):
    """A clip in store, by the SHA-256 of its file: its size as it is seen, pixels, its length, seconds, and by how many
    quarter turns its pictures are turned for that."""

    __tablename__ = "clips"
    sha256: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    suffix: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    seconds: Mapped[float]
    frames: Mapped[int]
    alpha: Mapped[bool]
    sound: Mapped[bool]
    quarters: Mapped[int]
    size: Mapped[int]
    made: Mapped[datetime] = mapped_column(default=now)


class LookRow(Base):
    """A look that a person saved."""

    __tablename__ = "looks"
    id: Mapped[str] = mapped_column(primary_key=True)
    look: Mapped[dict[str, Any]]
    made: Mapped[datetime] = mapped_column(default=now)


class GazetteerRow(Base):
    """A gazetteer that a person brought; it is searched when it is there ``whole``."""

    __tablename__ = "gazetteers"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    places: Mapped[int]
    whole: Mapped[bool]
    made: Mapped[datetime] = mapped_column(default=now)


class PlaceRow(Base):
    """A place of a gazetteer, degrees and metres; ``place_names`` (FTS5) finds it by its name and what it is ``also``
    called."""

    __tablename__ = "places"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    gazetteer: Mapped[str] = mapped_column(ForeignKey("gazetteers.id"), index=True)
    name: Mapped[str]
    also: Mapped[str]
    kind: Mapped[str]
    lon: Mapped[float]
    lat: Mapped[float]
    weight: Mapped[int]
    size: Mapped[float]


def open_database(path: Path) -> Engine:
    """Open the database, making or upgrading it as needed.

    Write-ahead logging with full synchronisation: an edit that was accepted is on the disk.

    Raises:
        BadStore: a newer program wrote it, or it is no database.
        NoRoom, Busy: as :func:`refused`.
    """
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": PATIENCE, "check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _: Any) -> None:
        cursor = connection.cursor()
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.execute("PRAGMA foreign_keys=ON")
        cursor.close()

    @event.listens_for(engine, "handle_error")
    def _said(context: ExceptionContext) -> None:
        if isinstance(context.original_exception, sqlite3.Error) and (
            problem := refused(context.original_exception, path)
        ):
            raise problem from context.original_exception

    with engine.begin() as connection:
        _upgrade(connection, path.parent)
    path.chmod(0o600)
    number = path.stat().st_ino

    @event.listens_for(engine, "begin")
    def _still_there(_: Connection) -> None:
        # SQLite would go on writing to a file without a name, and all of it would be gone at the next start.
        if not path.exists() or path.stat().st_ino != number:
            raise BadStore(
                f"The database at {path} was moved or deleted while Yaila runs. Nothing is kept until it is back: stop "
                "Yaila, put it back, and start again."
            )

    return engine


def refused(error: sqlite3.Error, path: Path) -> YailaError | None:
    """What an error of the database says to a person, if it has a cause outside the program."""
    code = getattr(error, "sqlite_errorcode", None)
    main = code & 0xFF if code is not None else None
    if main in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        return Busy("The store is being written to by something else. Nothing was changed; try again in a moment.")
    if main == sqlite3.SQLITE_FULL:
        return NoRoom(f"The disk of {path.parent} is full. Nothing was changed; make room, then try again.")
    if main in (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_IOERR):
        return NoRoom(f"The store at {path.parent} cannot be written to ({error}). Nothing was changed.")
    if main in (sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT):
        return BadStore(
            f"{path} is damaged, or no database of Yaila. Put a copy of it back, or move it away to start anew."
        )
    return None


def _version(connection: Connection) -> str | None:
    if not inspect(connection).has_table("alembic_version"):
        return None
    version: str | None = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    return version


def _upgrade(connection: Connection, home: Path) -> None:
    """Bring the tables to what this program knows, by the steps in ``upgrades``, all of them or none."""
    if _version(connection) == NEWEST:
        return
    connection.exec_driver_sql("BEGIN IMMEDIATE")
    old = _version(connection)
    if old == NEWEST:
        return
    from alembic import command
    from alembic.config import Config
    from alembic.util import CommandError

    config = Config()
    config.set_main_option("script_location", "yaila:store/upgrades")
    config.attributes["connection"] = connection
    try:
        if old is None and inspect(connection).has_table("films"):
            # A store from before the steps had names has the tables of the first.
            command.stamp(config, "0001")
        command.upgrade(config, NEWEST)
    except CommandError as error:
        raise BadStore(
            f"The store at {home} was written by a newer Yaila. Update Yaila, or choose another folder."
        ) from error
