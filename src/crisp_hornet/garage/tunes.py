"""The tunes of the garage: the draft in hand, named drafts, what is on the controller, what was sent."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.merging import ELSEWHERE
from crisp_hornet.garage.store import Store
from crisp_hornet.garage.tables import TuneRow


class Tunes:
    """Tunes by bike and role."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def save_draft(self, bike_id: int, tune: Tune) -> None:
        """Keep the one draft of a bike."""
        self._replace(bike_id, "draft", tune)

    def replace_draft(self, bike_id: int, tune: Tune, known: Tune | None) -> Tune | None:
        """Keep the one draft of a bike in place of the one that is ``known`` here. Where another has come meanwhile that one is kept by a
        name of its own, and given back."""
        with self._store.session() as session:
            row = session.scalar(select(TuneRow).where(TuneRow.bike_id == bike_id, TuneRow.role == "draft"))
            came = self._store.read(Tune, row, "draft") if row is not None else None
            aside = None
            if came is not None and came not in (known, tune):
                aside = came.model_copy(
                    update={"name": self._free_name(session, bike_id, f"{came.name[:150]}, {ELSEWHERE}")}
                )
                session.add(_row(bike_id, "named", aside))
            self._put(session, row, bike_id, "draft", tune)
            return aside

    def keep_controller(self, bike_id: int, tune: Tune) -> None:
        """Remember what a bike's controller was last known to hold over power-off."""
        self._replace(bike_id, "controller", tune)

    def keep_sent(self, bike_id: int, tune: Tune) -> None:
        """Keep a tune as it was sent and proved."""
        with self._store.session() as session:
            session.add(_row(bike_id, "sent", tune))

    def sent(self, bike_id: int) -> list[tuple[datetime, Tune]]:
        """All tunes as they were sent and proved, the newest first."""
        with self._store.session() as session:
            rows = session.scalars(
                select(TuneRow).where(TuneRow.bike_id == bike_id, TuneRow.role == "sent").order_by(TuneRow.id.desc())
            )
            found = [(row.at, self._store.read(Tune, row, "tune")) for row in rows]
            return [(at, tune) for at, tune in found if tune is not None]

    def named(self, bike_id: int) -> dict[str, Tune]:
        """The drafts kept by name, in the order of their names."""
        with self._store.session() as session:
            rows = session.scalars(
                select(TuneRow).where(TuneRow.bike_id == bike_id, TuneRow.role == "named").order_by(TuneRow.name)
            )
            found = {row.name: self._store.read(Tune, row, "draft") for row in rows}
            return {name: tune for name, tune in found.items() if tune is not None}

    def keep_named(self, bike_id: int, tune: Tune) -> None:
        """Keep a draft under its name; an earlier one of that name is replaced."""
        with self._store.session() as session:
            self._forget(session, bike_id, tune.name)
            session.add(_row(bike_id, "named", tune))

    def drop_named(self, bike_id: int, name: str) -> None:
        """Let a named draft go."""
        with self._store.session() as session:
            self._forget(session, bike_id, name)

    def _forget(self, session: Session, bike_id: int, name: str) -> None:
        one = (TuneRow.bike_id == bike_id, TuneRow.role == "named", TuneRow.name == name)
        session.execute(delete(TuneRow).where(*one))

    def _free_name(self, session: Session, bike_id: int, wanted: str) -> str:
        taken = set(session.scalars(select(TuneRow.name).where(TuneRow.bike_id == bike_id, TuneRow.role == "named")))
        names = (wanted, *(f"{wanted}, {number}" for number in range(2, len(taken) + 3)))
        return next(name for name in names if name not in taken)

    def _replace(self, bike_id: int, role: str, tune: Tune) -> None:
        with self._store.session() as session:
            row = session.scalar(select(TuneRow).where(TuneRow.bike_id == bike_id, TuneRow.role == role))
            self._put(session, row, bike_id, role, tune)

    def _put(self, session: Session, row: TuneRow | None, bike_id: int, role: str, tune: Tune) -> None:
        if row is None:
            row = TuneRow(bike_id=bike_id, role=role)
            session.add(row)
        row.name, row.document, row.at = tune.name, store.dump(tune), datetime.now().astimezone()


def _row(bike_id: int, role: str, tune: Tune) -> TuneRow:
    now = datetime.now().astimezone()
    return TuneRow(bike_id=bike_id, role=role, name=tune.name, document=store.dump(tune), at=now)
