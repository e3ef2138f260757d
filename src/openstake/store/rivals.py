"""Where two crews replaced one row: both rows stay, and the value disagrees until a person writes the row that settles both.

In its table each row replaces one and is replaced by one; so of two rivals the later one to arrive is set behind the other, and
`rival` keeps what it truly replaced.  A *joined* row follows that truly replaces both: it holds the value of the one that was made
last, has an id made of theirs, and stands until a person replaces it.  So A with B is B with A, whichever came first.
"""

from __future__ import annotations

import uuid
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from sqlalchemy import Table, select
from sqlalchemy.orm import Session

from openstake.core.errors import FileError
from openstake.store.models import Rival

_NAMESPACE = uuid.UUID("5a3f0a52-8a0e-4b7e-9c55-0d6d1b6c7e11")
WHY = "Two crews replaced one value. This one is used until a person settles both."


class Line:
    """The rows of a table's lines, by what each truly replaced."""

    def __init__(self, rows: Iterable[dict[str, Any]], rivals: Iterable[Rival]) -> None:
        self.rows = {row["id"]: row for row in rows}
        self.parents: dict[str, set[str]] = {}
        self.joined: set[str] = set()
        for row in self.rows.values():
            self.parents[row["id"]] = {row["replaces_id"]} - {None}
        said: dict[str, set[str]] = {}
        for rival in rivals:
            said.setdefault(rival.row_id, set()).add(rival.said_replaces_id)
            if rival.joined:
                self.joined.add(rival.row_id)
        self.parents |= {row_id: parents for row_id, parents in said.items() if row_id in self.rows}

    @property
    def waiting(self) -> set[str]:
        """Joined rows that nobody has replaced."""
        replaced = {
            parent for row_id, parents in self.parents.items() for parent in parents if row_id not in self.joined
        }
        return self.joined - replaced

    def disputes(self) -> list[list[str]]:
        """Return, for each line with more than one end, its ends: rows that no row truly replaces."""
        waiting = self.waiting
        parents = {row_id: before for row_id, before in self.parents.items() if row_id not in waiting}
        replaced = {parent for before in parents.values() for parent in before}
        ends: dict[str, list[str]] = {}
        for row_id in parents:
            if row_id not in replaced:
                ends.setdefault(self._root(row_id), []).append(row_id)
        return [sorted(found) for found in ends.values() if len(found) > 1]

    def _root(self, row_id: str) -> str:
        while self.parents[row_id]:
            row_id = min(self.parents[row_id])
        return row_id


def line_of(session: Session, table: Table, where: Any) -> Line:
    """Read the lines of a table."""
    rows = [dict(row) for row in session.execute(select(table).where(where)).mappings()]
    return Line(rows, session.scalars(select(Rival).where(Rival.table == table.name)))


def said_of(session: Session, table: Table) -> tuple[dict[str, set[str]], set[str]]:
    """Return what rows of a table truly replaced, where it is not what they follow, and joined rows that others have followed."""
    if "replaces_id" not in table.c:
        return {}, set()
    rivals = session.scalars(select(Rival).where(Rival.table == table.name)).all()
    if not rivals:
        return {}, set()
    said: dict[str, set[str]] = {}
    for rival in rivals:
        said.setdefault(rival.row_id, set()).add(rival.said_replaces_id)
    joined = {rival.row_id for rival in rivals if rival.joined}
    follows = {row.replaces_id: row.id for row in session.execute(select(table.c.id, table.c.replaces_id))}
    stale = set()
    for row_id in joined:
        # One that was followed by rivals that came later, and by nobody who meant it.
        after = follows.get(row_id)
        meant = any(row_id in parents for parents in said.values()) or (after is not None and after not in said)
        if after is not None and not meant:
            stale.add(row_id)
    return said, stale


def joined_id(table: str, ends: Sequence[str]) -> str:
    """Return the id of the row that joins the ends of a line: the same wherever they meet."""
    return str(uuid.uuid5(_NAMESPACE, f"{table} {' '.join(sorted(ends))}"))


def add_line(
    session: Session, table: Table, fresh: Sequence[dict[str, Any]], joins: dict[str, set[str]], known: Collection[str]
) -> None:
    """Add rows of a table's lines as they were said, and join what then has more than one end.

    `joins` says what each joined row among them truly replaces; `known` are the ids that are here already.
    """
    follows = {
        row.replaces_id: row.id for row in session.execute(select(table.c.id, table.c.replaces_id)) if row.replaces_id
    }
    added: list[dict[str, Any]] = []
    kept: list[Rival] = []
    for row in _in_order(table, fresh, known):
        said = row["replaces_id"]
        at = said
        while at is not None and at in follows:
            at = follows[at]
        added.append(row | {"replaces_id": at})
        if at is not None:
            follows[at] = row["id"]
        if row["id"] in joins:
            kept += _rivals(table, row["id"], joins[row["id"]], joined=True)
        elif at != said:
            kept += _rivals(table, row["id"], {said}, joined=False)
    if added:
        session.execute(table.insert(), added)
    session.add_all(kept)
    session.flush()


def join(session: Session, table: Table, where: Any) -> list[str]:
    """Write a joined row for each line with more than one end; returns the ids of those that are new."""
    line = line_of(session, table, where)
    follows = {row["replaces_id"]: row["id"] for row in line.rows.values() if row["replaces_id"]}
    made = []
    for ends in line.disputes():
        row_id = joined_id(table.name, ends)
        if row_id in line.rows:
            continue
        last = max((line.rows[end] for end in ends), key=lambda row: (row.get("created_s", 0.0), row["id"]))
        at = ends[0]
        while at in follows:
            at = follows[at]
        words = {name: text for name, text in (("reason", WHY), ("who", "")) if name in table.c}
        session.execute(table.insert().values(**(last | words | {"id": row_id, "replaces_id": at})))
        session.add_all(_rivals(table, row_id, ends, joined=True))
        made.append(row_id)
    session.flush()
    return made


def _rivals(table: Table, row_id: str, said: Iterable[str], joined: bool) -> list[Rival]:
    return [Rival(row_id=row_id, said_replaces_id=one, table=table.name, joined=joined) for one in sorted(said)]


def _in_order(table: Table, fresh: Sequence[dict[str, Any]], known: Collection[str]) -> list[dict[str, Any]]:
    """Return rows so that each follows the one it replaces; FileError where that is nowhere."""
    left, placed, found = sorted(fresh, key=lambda row: (row.get("created_s", 0.0), row["id"])), set(known), []
    while left:
        ready = [row for row in left if row["replaces_id"] is None or row["replaces_id"] in placed]
        if not ready:
            raise FileError(f"A row of {table.name} replaces one that is not in this package. Nothing was unpacked.")
        found += ready
        placed |= {row["id"] for row in ready}
        left = [row for row in left if row["id"] not in placed]
    return found
