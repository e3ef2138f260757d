"""Where two crews replaced one row: both rows stay, and the value disagrees until a person writes the row that settles both.

What people wrote is a set of rows that only grows, each with what it truly replaced: none, one, or all that a settled dispute
had.  Everything else follows from that set, so A with B is B with A.  In a table each row replaces one and is replaced by one,
and the end of its line holds: rows that come later are set behind those that are here (`rival` keeps what they truly replaced),
and where a line then has two ends a *joined* row stands at its end, with the value that was made last.  Joined rows are this
folder's own.  They travel in no package: whoever names one there names the row whose value it has.

Why the last row always holds: rows that come are never before those that are here, since both sides have all that they name.
So where one end is left it is among those that came, and by their order it comes last; where more are left a joined row is added.
"""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Table, select
from sqlalchemy.orm import Session

from openstake.core.errors import FileError
from openstake.store.jsoncolumn import as_stored, insert_stored
from openstake.store.models import ONE_LINE_A_JOB, Base, Rival, new_id

Row = dict[str, Any]
WHY = "Two crews replaced one value. This one is used until a person settles both."
# What a row truly replaced, of one that was the first of its line where it was written.
NOTHING = ""
# Texts under a hash: they stay as they were written.
_SEALED = ("book", "signed_day")
# What a correction never changes: whose line it is, the point that a label names, at which end a height was read.
_STAYS = ("line_id", "shot_id", "subject")
_NAMESPACE = uuid.UUID("5a3f0a52-8a0e-4b7e-9c55-0d6d1b6c7e11")


def made_s(row: Mapping[str, Any]) -> float:
    """Return when a row was written, UTC seconds."""
    return float(row.get("created_s", row.get("started_s", 0.0)))


def written_last(rows: Iterable[Row]) -> Row:
    """Return the row whose value is used of those that disagree."""
    return max(rows, key=lambda row: (made_s(row), row["id"]))


@dataclass(frozen=True)
class Said:
    """What rows of a table truly replaced, and what each joined row stands for.

    `parents` has the rows for which it is not what `replaces_id` says; none of the ids in it is that of a joined row.
    """

    parents: Mapping[str, frozenset[str]]
    joined: Mapping[str, frozenset[str]]

    def of(self, row: Mapping[str, Any]) -> frozenset[str]:
        """Return what a row truly replaced."""
        found: frozenset[str] = self.parents.get(row["id"], frozenset({row["replaces_id"]} - {None}))
        return found


PLAIN = Said({}, {})


def said_by(rows: Iterable[Mapping[str, Any]], conflicts: Iterable[tuple[str, str, bool]]) -> Said:
    """Return what rows of a table truly replaced; `conflicts`: row, what it truly replaced, whether it is a joined row."""
    joined: dict[str, set[str]] = {}
    parents: dict[str, set[str]] = {}
    for row_id, said, joins in conflicts:
        (joined if joins else parents).setdefault(row_id, set()).add(said)
    for row in rows:
        if row["replaces_id"] in joined and row["id"] not in joined:
            parents.setdefault(row["id"], {row["replaces_id"]})
    return Said(
        {row_id: _plain(said, joined) for row_id, said in parents.items()},
        {row_id: _plain(ends, joined) for row_id, ends in joined.items()},
    )


def _plain(said: Iterable[str], joined: Mapping[str, set[str]]) -> frozenset[str]:
    """Return rows with joined ones replaced by what they stand for."""
    left, found, seen = list(said), set(), set()
    while left:
        row_id = left.pop()
        if row_id in joined and row_id not in seen:
            seen.add(row_id)
            left += joined[row_id]
        elif row_id not in joined and row_id != NOTHING:
            found.add(row_id)
    return frozenset(found)


def said_in(session: Session, only: Table | None = None) -> dict[str, Said]:
    """Return by table (or of one) what its rows truly replaced; where that is what they follow, a table is not among them."""
    conflicts: dict[str, list[tuple[str, str, bool]]] = {}
    kept = select(Rival.table, Rival.row_id, Rival.said_replaces_id, Rival.joined)
    for row in session.execute(kept if only is None else kept.where(Rival.table == only.name)):
        conflicts.setdefault(row.table, []).append((row.row_id, row.said_replaces_id, row.joined))
    found = {}
    for name, of_table in sorted(conflicts.items()):
        table = Base.metadata.tables[name]
        rows = session.execute(select(table.c.id, table.c.replaces_id)).mappings()
        found[name] = said_by((dict(row) for row in rows), of_table)
    return found


def joined_id(table: str, ends: Sequence[str]) -> str:
    """Return the id that a joined row had in packages of form 1, made of the ids of its ends."""
    return str(uuid.uuid5(_NAMESPACE, f"{table} {' '.join(sorted(ends))}"))


def stands_for(said: Said, rows: Mapping[str, Row]) -> dict[str, str]:
    """Return by the id of each joined row the id of the row whose value it has."""
    return {row_id: str(written_last(rows[end] for end in ends)["id"]) for row_id, ends in said.joined.items()}


def aliases(session: Session, said: Mapping[str, Said]) -> dict[str, str]:
    """Return by the id of each joined row of a database the id of the row whose value it has."""
    found: dict[str, str] = {}
    for name, of_table in said.items():
        table = Base.metadata.tables[name]
        ends = {end for of_one in of_table.joined.values() for end in of_one}
        if ends:
            found |= stands_for(of_table, {row["id"]: row for row in _rows(session, table, table.c.id.in_(ends))})
    return found


def renaming(table: Table, names: Mapping[str, str]) -> Callable[[list[Row]], list[Row]]:
    """Return what writes rows of a table anew, with other ids in place of those in `names`, in texts as well."""
    if not names or table.name in _SEALED:
        return lambda rows: rows
    wanted = re.compile("|".join(map(re.escape, sorted(names))))

    def rename(value: Any) -> Any:
        return wanted.sub(lambda found: names[found[0]], value) if isinstance(value, str) else value

    return lambda rows: [{key: rename(value) for key, value in row.items()} for row in rows]


def add_line(session: Session, table: Table, fresh: Sequence[Row], said: Said, known: Collection[str]) -> None:
    """Add rows of a table's lines, none of them joined, behind those that are here; `known` are the ids that are.

    FileError where one replaces a row that is nowhere, or rows of two lines.
    """
    stays = [table.c[name] for name in _STAYS if name in table.c]
    here = session.execute(select(table.c.id, table.c.replaces_id, *stays)).all()
    follows = {row.replaces_id: row.id for row in here if row.replaces_id}
    of_line = {row.id: tuple(row)[2:] for row in here}
    roots = _roots(session, table, fresh)
    added: list[Row] = []
    kept: list[Rival] = []
    for row in _in_order(table, fresh, said, known):
        parents = said.of(row)
        first = roots.get(row.get("job_id"))
        ends = {_end(follows, parent) for parent in parents or ({first} if first is not None else ())}
        of_line[row["id"]] = tuple(row[item.name] for item in stays)
        if len(ends) > 1 or any(of_line[parent] != of_line[row["id"]] for parent in parents):
            raise FileError(f"A row of {table.name} replaces rows of two lines. Nothing was unpacked.")
        at = ends.pop() if ends else None
        if at is None and table.name in ONE_LINE_A_JOB:
            roots[row["job_id"]] = row["id"]
        added.append(row | {"replaces_id": at})
        if at is not None:
            follows[at] = row["id"]
        if parents != frozenset({at} - {None}):
            kept += _kept(table, row["id"], parents or {NOTHING}, joined=False)
    insert_stored(session, table, added)
    session.add_all(kept)
    session.flush()


def _end(follows: Mapping[str, str], row_id: str) -> str:
    while row_id in follows:
        row_id = follows[row_id]
    return row_id


def _roots(session: Session, table: Table, fresh: Sequence[Row]) -> dict[Any, str]:
    """Return the first row of each job among those of `fresh`, in tables that have one line a job."""
    if table.name not in ONE_LINE_A_JOB:
        return {}
    jobs = {row["job_id"] for row in fresh}
    query = select(table.c.job_id, table.c.id).where(table.c.replaces_id.is_(None), table.c.job_id.in_(jobs))
    return {row.job_id: row.id for row in session.execute(query)}


def join(session: Session, table: Table, where: Any) -> int:
    """Let each line end with what holds: a joined row is added where it does not.  Returns how many disagree since."""
    rows = {row["id"]: row for row in _rows(session, table, where)}
    said = said_in(session, table).get(table.name, PLAIN)
    follows = {row["replaces_id"]: row["id"] for row in rows.values() if row["replaces_id"]}
    disputes = 0
    for root, ends in _ends(rows, said).items():
        tail = _end(follows, root)
        if ends == said.joined.get(tail, frozenset({tail})):
            continue
        words = {name: text for name, text in (("reason", WHY), ("who", "")) if name in table.c}
        row = written_last(rows[end] for end in ends) | words | {"id": new_id(), "replaces_id": tail}
        insert_stored(session, table, [row])
        session.add_all(_kept(table, row["id"], ends, joined=True))
        disputes += len(ends) > 1
    session.flush()
    return disputes


def _ends(rows: Mapping[str, Row], said: Said) -> dict[str, frozenset[str]]:
    """Return by the first row of each line its ends: rows that people wrote, and that no such row truly replaces."""
    written = [row for row in rows.values() if row["id"] not in said.joined]
    replaced = {parent for row in written for parent in said.of(row)}
    found: dict[str, set[str]] = {}
    for row in written:
        if row["id"] not in replaced:
            root = row
            while root["replaces_id"] is not None:
                root = rows[root["replaces_id"]]
            found.setdefault(root["id"], set()).add(row["id"])
    return {root: frozenset(ends) for root, ends in found.items()}


def join_all(session: Session) -> None:
    """Let every line of a database end with what holds."""
    for name in said_in(session):
        table = Base.metadata.tables[name]
        join(session, table, table.c.id.is_not(None))


def _rows(session: Session, table: Table, where: Any) -> list[Row]:
    return [dict(row) for row in session.execute(select(*as_stored(table)).where(where)).mappings()]


def _kept(table: Table, row_id: str, said: Iterable[str], joined: bool) -> list[Rival]:
    return [Rival(row_id=row_id, said_replaces_id=one, table=table.name, joined=joined) for one in sorted(said)]


def _in_order(table: Table, fresh: Sequence[Row], said: Said, known: Collection[str]) -> list[Row]:
    """Return rows so that each comes after all that it truly replaces; FileError where one of them is nowhere."""
    left, placed = sorted(fresh, key=lambda row: (made_s(row), row["id"])), set(known)
    found: list[Row] = []
    while left:
        ready = [row for row in left if said.of(row) <= placed]
        if not ready:
            raise FileError(f"A row of {table.name} replaces one that is not in this package. Nothing was unpacked.")
        found += ready
        placed |= {row["id"] for row in ready}
        left = [row for row in left if row["id"] not in placed]
    return found
