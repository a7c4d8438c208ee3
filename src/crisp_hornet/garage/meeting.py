"""Two garages that meet over a bike: what each remembers of the other, and what is done with what came.

What both had in common is kept beside the database, a file a bike, by the other garage's number, with a count of their meetings: of two
memories of the same other the one of more meetings is the newer, whatever any clock says.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from crisp_hornet.documents import store, wire
from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import counted
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.merging import BIKE, ELSEWHERE, HERE, NOUNS, Conflict, Key, Merged, Row, Side, merged
from crisp_hornet.garage.story import TABLES, changing, rows_of
from crisp_hornet.garage.tables import Base, BikeRow, EventRow, TuneRow, new_uid

MET, OWN_NUMBER = "met", "garage"
MOST_PEERS, MOST_ROWS = 64, 20_000


@dataclass(frozen=True)
class Met:
    """What two garages had in common when they last met, and how often they have."""

    count: int = 0
    rows: dict[Key, Row] = field(default_factory=dict)


def number_of(garage: Garage) -> str:
    """A garage's own number, by which others remember it."""
    known = garage.settings.get(OWN_NUMBER)
    if isinstance(known, str) and known:
        return known
    number = new_uid()
    garage.settings.keep(OWN_NUMBER, number)
    return number


def met_by(garage: Garage, uid: str) -> dict[str, Met]:
    """What a garage remembers of the others a bike has been to; nothing where that cannot be read (then more is asked)."""
    try:
        return parsed(wire.read_object(garage.folder / MET / f"{uid}.json"))
    except DocumentError:
        return {}


def remember(garage: Garage, uid: str, peers: Mapping[str, Met]) -> None:
    """Keep what is common with others. Raises :class:`DocumentError`."""
    folder = garage.folder / MET
    folder.mkdir(exist_ok=True, mode=0o700)
    wire.write_object(folder / f"{uid}.json", as_json(peers), private=True)


def as_json(peers: Mapping[str, Met]) -> dict[str, Any]:
    """As it is written beside the database and into an archive."""
    return {
        peer: {"count": met.count, "rows": [[*key, dict(row)] for key, row in met.rows.items()]}
        for peer, met in list(peers.items())[-MOST_PEERS:]
    }


def parsed(told: Any) -> dict[str, Met]:
    """The same read, from a stranger perhaps: what is not of its form counts as never met. It is compared with, never kept as a row."""
    found = {}
    for peer, met in told.items() if isinstance(told, dict) and len(told) <= MOST_PEERS else ():
        rows = met.get("rows") if isinstance(met, dict) else None
        if not isinstance(rows, list) or len(rows) > MOST_ROWS or type(met.get("count")) is not int:
            continue
        sound = [one for one in rows if isinstance(one, list) and [type(part) for part in one] == [str, str, dict]]
        found[peer] = Met(met["count"], {(table, which): row for table, which, row in sound})
    return found


def newer(one: Met | None, other: Met | None) -> Met:
    """Of two memories of the same meeting partner the one of more meetings."""
    return max((met for met in (one, other) if met is not None), key=lambda met: met.count, default=Met())


Keep = Callable[[bytes], str]


def keeper(garage: Garage) -> Keep:
    """Keeps a text among the attachments; gives its name."""
    return lambda data: garage.book.keep_file(data, ".txt").name


# --- what came ------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Came:
    """What comes in: rows as they are compared, their columns, and the files that are theirs by row."""

    content: dict[Key, Row]
    columns: dict[Key, dict[str, Any]]
    files: dict[Key, str]


@dataclass(frozen=True)
class Taken:
    """What became of an archive: the bike's number, whether it was known here, how many rows came by table, what both sides changed
    otherwise, and the lines that only one side has, the newest first."""

    number: int
    known: bool
    new: Mapping[str, int] = field(default_factory=dict)
    conflicts: tuple[Conflict, ...] = ()
    here: tuple[str, ...] = ()
    there: tuple[str, ...] = ()


def keep(garage: Garage, session: Session, story: dict[str, Any], came: Came) -> Taken:
    """A bike that is new here."""
    name = free_name(session, str(came.content[BIKE]["name"]))
    document = {**came.content[BIKE], "name": name}
    row = BikeRow(name=name, document=document, opened_at=datetime.now().astimezone(), archived=False, uid=story["uid"])
    session.add(row)
    session.flush()
    for key in came.columns:
        add(session, row.id, key, came)
    _remember(garage, story, came.content | {BIKE: document})
    return Taken(row.id, known=False, new=_counted(came.columns))


def meet(
    garage: Garage,
    session: Session,
    bike: BikeRow,
    story: dict[str, Any],
    came: Came,
    decided: Mapping[Key, Side],
) -> Taken:
    """A bike that is known here and was elsewhere meanwhile."""
    own = rows_of(session, bike)
    peer = story.get("garage")
    remembered = met_by(garage, story["uid"]).get(str(peer))
    base = newer(remembered, parsed(story.get("met")).get(number_of(garage)))
    result = bring(session, bike, own, came, base.rows, decided, keeper(garage))
    new = _counted(key for key in came.columns if key not in own)
    bike.opened_at, bike.archived = datetime.now().astimezone(), False
    _log(session, bike.id, new, result, own)
    _remember(garage, story, result.agreed, base)
    here = [row for key, (row, _) in own.items() if key not in came.content]
    return Taken(
        bike.id,
        known=True,
        new=new,
        conflicts=tuple(result.conflicts),
        here=_lines(one.title for one in here if isinstance(one, EventRow)),
        there=_lines(str(came.columns[key]["title"]) for key in came.columns if key[0] == "logbook" and key not in own),
    )


def _log(
    session: Session,
    bike_id: int,
    new: Mapping[str, int],
    result: Merged,
    own: Mapping[Key, tuple[Base, Row]],
) -> None:
    """A line about what came, where something did."""
    changed = [_called(key, row) for key, row in result.changes.items() if key == BIKE or key in own]
    told_ = [counted(count, NOUNS[table]) for table, count in new.items()] + [f"changed: {name}" for name in changed]
    told_ += [
        f"kept {'what was here' if side == 'mine' else 'what came'}: {_called(key, None)}"
        for key, side in result.decided.items()
    ]
    if told_:
        at = datetime.now().astimezone()
        session.add(
            EventRow(
                bike_id=bike_id,
                kind="bike",
                title="Brought together with another garage",
                detail="; ".join(told_),
                at=at,
            )
        )


def _called(key: Key, row: Row | None) -> str:
    if key == BIKE:
        return "the bike"
    if key[1] in ("draft", "controller"):
        return "the draft" if key[1] == "draft" else "what the controller held"
    return f"{key[0].removesuffix('s')} {row.get('name') or row.get('title') or ''}".strip() if row else key[0]


def _lines(titles: Iterable[str]) -> tuple[str, ...]:
    return tuple(reversed(list(titles)))


def _counted(keys: Iterable[Key]) -> dict[str, int]:
    found: dict[str, int] = {}
    for table, _ in keys:
        found[table] = found.get(table, 0) + 1
    return found


def _remember(garage: Garage, story: dict[str, Any], rows: Mapping[Key, Row], before: Met | None = None) -> None:
    peer = story.get("garage")
    if isinstance(peer, str) and peer:
        known = met_by(garage, story["uid"])
        known.pop(peer, None)
        count = (before or Met()).count + 1
        remember(garage, story["uid"], known | {peer: Met(count, changing(dict(rows)))})


def bring(
    session: Session,
    bike: BikeRow,
    own: Mapping[Key, tuple[Base, Row]],
    came: Came,
    base: Mapping[Key, Row],
    decided: Mapping[Key, Side],
    keep: Keep | None = None,
) -> Merged:
    """Bring what came into a bike's rows. What a decision set aside is not lost: a tune is kept as a draft by name, all else as a file
    of the logbook, by ``keep``."""
    mine: dict[Key, Row] = {key: row for key, (_, row) in own.items()} | {BIKE: bike.document}
    result = settled(mine, came, base, decided)
    for key, row in result.changes.items():
        if key == BIKE and row is not None:
            bike.name = free_name(session, str(row["name"]), bike.id)
            bike.document = {**row, "name": bike.name}
        elif row is None:
            session.delete(own[key][0])
        elif key in own:
            for name, value in came.columns[key].items():
                if name != "uid":
                    setattr(own[key][0], name, value)
        else:
            add(session, bike.id, key, came)
    for key, side in result.decided.items():
        loser = mine.get(key) if side == "theirs" else came.content.get(key)
        if key[0] == "tunes" and loser is not None:
            _keep_tune(session, bike.id, loser, HERE if side == "theirs" else ELSEWHERE)
        elif loser is not None:
            _set_aside(session, bike.id, key, loser, keep)
    return result


def add(session: Session, bike_id: int, key: Key, came: Came) -> None:
    """A row that is new here."""
    own: dict[str, Any] = {"bike_id": bike_id}
    if key[0] in ("rides", "logbook"):
        own["file"] = came.files.get(key)
    session.add(TABLES[key[0]](**came.columns[key], **own))


def settled(mine: Mapping[Key, Row], came: Came, base: Mapping[Key, Row], decided: Mapping[Key, Side]) -> Merged:
    """What comes of both. A bike mixed of both that is no bike is no merge: then the whole document is asked about."""
    result = merged(mine, came.content, base, decided)
    mixed = result.changes.get(BIKE)
    if mixed is None or mixed == came.content.get(BIKE):
        return result
    try:
        store.parse(Bike, "crisp-hornet/bike", BIKE_VERSION, dict(mixed), "bike")
    except DocumentError:
        del result.changes[BIKE]
        result.decided.pop(BIKE, None)
        result.agreed.pop(BIKE, None)
        result.conflicts[:] = [one for one in result.conflicts if one.key != BIKE]
        result.conflicts.insert(0, Conflict(BIKE, mine.get(BIKE), came.content.get(BIKE)))
    return result


def _set_aside(session: Session, bike_id: int, key: Key, row: Row, keep: Keep | None) -> None:
    """What was not chosen, in a line of the logbook with its file."""
    file = keep(json.dumps(row, ensure_ascii=False, indent=1).encode()) if keep is not None else None
    at = datetime.now().astimezone()
    words = "What was not chosen lies in the file."
    session.add(
        EventRow(
            bike_id=bike_id, kind="bike", title=f"Set aside: {_called(key, row)}"[:300], detail=words, at=at, file=file
        )
    )


def _keep_tune(session: Session, bike_id: int, row: Row, why: str) -> None:
    """A tune that was set aside, as a draft by name; none twice."""
    document = {**row["document"], "name": f"{str(row['name'])[:150]}, {why}"}
    named = select(TuneRow).where(TuneRow.bike_id == bike_id, TuneRow.role == "named")
    if any(one.document == document for one in session.scalars(named)):
        return
    now = datetime.now().astimezone()
    session.add(TuneRow(bike_id=bike_id, role="named", name=document["name"], document=document, at=now))


def free_name(session: Session, name: str, bike_id: int | None = None) -> str:
    """A name that no other bike has; a bike that came keeps its own where it can."""
    taken = set(session.scalars(select(BikeRow.name).where(BikeRow.id != (bike_id or 0))))
    free, number = name, 2
    while free in taken:
        free, number = f"{name[:180]}, {number}", number + 1
    return free
