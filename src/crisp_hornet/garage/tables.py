"""The tables of the garage. Documents are kept whole as JSON; columns hold what is searched or sorted by."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, DateTime, Dialect, ForeignKey, LargeBinary, String, TypeDecorator
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from sqlalchemy.types import TypeEngine

POSTGRES, NEVER = "postgresql", datetime(1970, 1, 1, tzinfo=UTC)


class When(TypeDecorator[datetime]):
    """A time. In a file kept as the local one, in the text that SQLite's own type writes; where several share it with its zone. One that
    cannot be read is 1970: it costs its row no more than its date."""

    impl = String
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        """Of the database's own kind."""
        return dialect.type_descriptor(DateTime(timezone=True) if dialect.name == POSTGRES else String())

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> str | datetime | None:
        """Into the table."""
        if value is None or dialect.name == POSTGRES:
            return value
        return value.astimezone().strftime("%Y-%m-%d %H:%M:%S.%f")

    def process_result_value(self, value: Any, dialect: Dialect) -> datetime | None:
        """Out of the table."""
        try:
            return datetime.fromisoformat(str(value)).astimezone()
        except ValueError:
            return NEVER

    @property
    def python_type(self) -> type[datetime]:
        """What it is in Python."""
        return datetime


def new_uid() -> str:
    """A name for a row that no other garage has."""
    return uuid.uuid4().hex


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {datetime: When}


class Known:
    """``uid``: what a row is called in every garage that it comes to; last, as in the file."""

    uid: Mapped[str | None] = mapped_column(String(40), default=new_uid, sort_order=9)


class BikeRow(Known, Base):
    """A bike of the garage."""

    __tablename__ = "bike"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    opened_at: Mapped[datetime]
    archived: Mapped[bool] = mapped_column(default=False)


class OfBike(Known):
    """What belongs to one bike."""

    # first, as in the file: the rescue reads rows by the order of their columns
    id: Mapped[int] = mapped_column(primary_key=True, sort_order=-2)
    bike_id: Mapped[int] = mapped_column(ForeignKey("bike.id"), index=True, sort_order=-1)


class TuneRow(OfBike, Base):
    """A tune. ``role`` is "draft" or "controller" (one each a bike), "named" (a kept draft), or "sent"."""

    __tablename__ = "tune"
    role: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    at: Mapped[datetime]


class BackupRow(OfBike, Base):
    """A backup of a controller."""

    __tablename__ = "backup"
    serial: Mapped[str] = mapped_column(String(100))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    at: Mapped[datetime]


class RideRow(OfBike, Base):
    """A ride; its channels lie in ``file``, a Parquet file of the rides folder."""

    __tablename__ = "ride"
    name: Mapped[str] = mapped_column(String(200))
    file: Mapped[str] = mapped_column(String(300))
    tune: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    at: Mapped[datetime]
    card: Mapped[dict[str, Any] | None] = mapped_column(JSON)


class EventRow(OfBike, Base):
    """One line of the logbook; ``file`` lies in the attachments folder."""

    __tablename__ = "event"
    kind: Mapped[str] = mapped_column(String(30))
    title: Mapped[str] = mapped_column(String(300))
    detail: Mapped[str]
    at: Mapped[datetime] = mapped_column(index=True)
    file: Mapped[str | None] = mapped_column(String(300))


class JobRow(OfBike, Base):
    """A job sheet. ``steps``: a list of ``{"text", "caution", "done_at"}``, the last null until it is ticked."""

    __tablename__ = "job"
    title: Mapped[str] = mapped_column(String(200))
    steps: Mapped[list[dict[str, Any]]] = mapped_column(JSON)
    opened_at: Mapped[datetime]
    closed: Mapped[bool] = mapped_column(default=False)


class CalibrationRow(OfBike, Base):
    """One calibration of one sensor."""

    __tablename__ = "calibration"
    kind: Mapped[str] = mapped_column(String(30))
    document: Mapped[dict[str, Any]] = mapped_column(JSON)
    at: Mapped[datetime]


class FileRow(Base):
    """A file that rows name, where several benches share a garage; a single garage keeps them in folders."""

    __tablename__ = "stored_file"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class PresenceRow(Base):
    """A bench of a shared garage: who is at it, which bike is open there, and when it was last heard."""

    __tablename__ = "presence"
    bench: Mapped[str] = mapped_column(String(40), primary_key=True)
    who: Mapped[str] = mapped_column(String(100))
    bike_uid: Mapped[str | None] = mapped_column(String(40))
    at: Mapped[datetime]


class FactRow(Base):
    """What a shared garage knows of itself: its number."""

    __tablename__ = "fact"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str] = mapped_column(String(200))


class CustomerRow(Known, Base):
    """Whose bikes these are; the document alone tells of the person, no other table does."""

    __tablename__ = "customer"
    id: Mapped[int] = mapped_column(primary_key=True)
    document: Mapped[dict[str, Any]] = mapped_column(JSON)


class ErasedRow(Base):
    """What was erased for good: ``what`` is "bike", "customer", or "positions" (of a ride), ``uid`` its name in every garage. It stays, so
    that nothing brings it back."""

    __tablename__ = "erased"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(40), unique=True)
    what: Mapped[str] = mapped_column(String(20))
    at: Mapped[datetime]
