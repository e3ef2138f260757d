"""A package put into a data folder: its job made anew, or joined with what is here of it.  All of it, or nothing."""

from __future__ import annotations

import itertools
import shutil
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Any

from sqlalchemy import Table, select, text
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from openstake.core.errors import FileError
from openstake.core.progress import Progress
from openstake.core.units import counted
from openstake.store import conflicts
from openstake.store.backup import KeptFile
from openstake.store.book import FIRST_HASH, hash_of, tells_of, write_entry
from openstake.store.conflicts import PLAIN, Said
from openstake.store.jsoncolumn import as_stored, insert_stored
from openstake.store.models import Base, BookEntry, Device, GearItem, Job, JobSettings, Occupation, OwnDevice, SealedLine, new_id
from openstake.store.package import LINKS, SHARED, Opened, of_job, rows_where, tables
from openstake.store.records.lines import heads
from openstake.store.rowdoor import RowDoor, shown
from openstake.wire.jsontext import JsonError, read_json
from openstake.wire.pictures import kind_of

_BATCH = 500


@dataclass(frozen=True, kw_only=True)
class Unpacked:
    """What a package brought: its job, whether that was here before, new rows and files, and lines of rows that now disagree.

    `twins`: gear that the kit here had under the same name, and with other values.  `fingerprint`: what its maker reads out; `unproven`:
    the version that made it hashed no tables.
    """

    job: str
    name: str
    known: bool
    rows: int
    files: int
    disputes: int
    fingerprint: str
    unproven: str = ""
    twins: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """What came of it, and what that proves."""
        return f"{self._came} {self._proves}"

    @property
    def _proves(self) -> str:
        if self.unproven:
            return f"Made by {self.unproven}, which put no hash over its rows: nothing proves that they are unchanged."
        return "If whoever packed it reads out the same fingerprint, nothing has changed since. It does not prove who packed it."

    @property
    def _came(self) -> str:
        twins = f" The kit here had another {', another '.join(self.twins)}: the newer one is used, look at Kit." if self.twins else ""
        if not self.known:
            return f"{self.name} unpacked: {counted(self.rows, 'row')}, {counted(self.files, 'file')}.{twins}"
        if not self.rows and not self.files:
            return f"{self.name} holds all of this already: nothing new."
        rival = f" {counted(self.disputes, 'value')} that two crews replaced: settle each." if self.disputes else ""
        return f"{self.name} joined with what is here: {counted(self.rows, 'new row')}, {counted(self.files, 'new file')}.{rival}{twins}"


class _Ids:
    """The ids of a package by table, held against what its rows name: a package is closed."""

    def __init__(self, opened: Opened) -> None:
        self.door = RowDoor()
        self._job = opened.package.job
        self._ids: dict[str, set[Any]] = {"device": {part.device for part in opened.package.chains}}
        self._named = {key.column.table.name for table in tables().values() for key in table.foreign_keys}

    def take(self, table: Table, rows: list[dict[str, Any]]) -> None:
        if "job_id" in table.c and {row["job_id"] for row in rows} - {self._job}:
            raise FileError(f"This package holds a row of {table.name} of another job. Nothing was unpacked.")
        if table.name == "job" and {row["id"] for row in rows} - {self._job}:
            raise FileError("This package holds more than one job. Nothing was unpacked.")
        if table.name in self._named:
            self._ids.setdefault(table.name, set()).update(row["id"] for row in rows)
        for name in {"file", "raw_file"}.intersection(table.c.keys()):
            for said in {row[name] for row in rows}:
                if "/" in said or "\\" in said or said in (".", ".."):
                    raise FileError(f"A row of {table.name} names a file outside the data folder. Nothing was unpacked.")
        if table.name in ("photo", "geoid_grid"):
            self._ids.setdefault(f"{table.name} file", set()).update(row["file"] for row in rows)
        for key in table.foreign_keys:
            target = key.column.table
            if target is not table and {row[key.parent.name] for row in rows} - {None} - self._ids.get(target.name, set()):
                raise FileError(f"A row of {table.name} names a {target.name} that is not in this package. Nothing was unpacked.")

    def take_file(self, kept: KeptFile) -> None:
        """Hold a file against the rows that name it; photos and grids have their SHA-256 as their name."""
        folder, name = kept.path.split("/")
        if folder == "raw":
            named = name[:36] in self._ids.get("listening", ())
        else:
            names = self._ids.get("photo file" if folder == "photos" else "geoid_grid file", ())
            named = name in names and name.startswith(kept.sha256)
        if not named:
            raise FileError(f"{shown(kept.path)} is a file of no row in this package. Nothing was unpacked.")


def unpack(session: Session, opened: Opened, data: Path, progress: Progress) -> Unpacked:
    """Add a package's rows and files within the caller's transaction; FileError with nothing added where something is wrong.

    A row that is here must say the same.  Files go to their places before the transaction ends: one that nothing names harms
    nothing.  `tell_book` ends it.
    """
    package = opened.package
    known = session.get(Job, package.job) is not None
    # Rows of a table name each other in any order.
    session.execute(text("PRAGMA defer_foreign_keys = ON"))
    ids, rows, disputes = _Ids(opened), 0, 0
    steps = len(tables()) + len(package.files) + 1
    try:
        _add_devices(session, opened)
        said = opened.said()
        here_said = conflicts.said_in(session)
        names = _joined_of(opened, said) | conflicts.aliases(session, here_said)
        for n, table in enumerate(tables().values()):
            progress(n, steps)
            found = _checked(opened, table, ids, said.get(table.name, PLAIN), names)
            if table.name == "book":
                rows += _add_chains(session, opened, [row for batch in found for row in batch])
            elif "replaces_id" in table.c:
                new, disagree = _add_lines(
                    session, table, [row for batch in found for row in batch], said.get(table.name, PLAIN), package.job, here_said
                )
                rows, disputes = rows + new, disputes + disagree
            else:
                compared = known or table.name in SHARED
                rows += _add(session, table, found, names, compared, lambda n=n: progress(n, steps))
        for kept in package.files:
            ids.take_file(kept)
        files = _put_files(opened, data, lambda n: progress(len(tables()) + n, steps))
        session.flush()
    except IntegrityError:
        raise FileError("This package holds a row that is here under another job. Nothing was unpacked.") from None
    made = Unpacked(
        job=package.job,
        name=_name_of(session, package.job),
        known=known,
        rows=rows,
        files=files,
        disputes=disputes,
        fingerprint=package.fingerprint,
        unproven="" if package.hashes else package.version,
        twins=_twins(session, opened),
    )
    progress(steps, steps)
    return made


def bases_of(session: Session, job_id: str) -> set[str]:
    """Return the bases of a job that are here."""
    return set(session.scalars(select(Occupation.id).where(Occupation.job_id == job_id)))


def _checked(opened: Opened, table: Table, ids: _Ids, said: Said, names: dict[str, str]) -> Iterator[list[dict[str, Any]]]:
    """Yield the rows that people wrote, many at a time, with other rows in place of the joined ones that they name."""
    rename, first = conflicts.renaming(table, names), 1
    for batch in opened.batches(table.name):
        ids.door.take(table, batch, first)
        first += len(batch)
        found = rename([row for row in batch if row.get("id") not in said.joined] if said.joined else batch)
        ids.take(table, found)
        yield found
    ids.door.finish(table)


def _add(
    session: Session, table: Table, found: Iterator[list[dict[str, Any]]], names: dict[str, str], compared: bool, progress: Any
) -> int:
    """Add the rows that are not here; where some may be, hold those against them."""
    keys, count, rename = table.primary_key.columns, 0, conflicts.renaming(table, names)
    for batch in found:
        here = {}
        if compared:
            # By the first part of their key: SQLite finds no pairs by an index.
            first = next(iter(keys))
            query = select(*as_stored(table)).where(first.in_({row[first.name] for row in batch}))
            stored = rename([dict(row) for row in session.execute(query).mappings()])
            here = {tuple(row[key.name] for key in keys): row for row in stored}
        fresh = [row for row in batch if tuple(row[key.name] for key in keys) not in here] if here else batch
        if any(here.get(tuple(row[key.name] for key in keys), row) != row for row in batch if here):
            raise _differs(table)
        insert_stored(session, table, fresh)
        count += len(fresh)
        progress()
    return count


def _name_of(session: Session, job_id: str) -> str:
    """Return what a job is called by its own rows: a manifest's name is nobody's word."""
    name = session.scalars(heads(JobSettings, JobSettings.job_id == job_id).with_only_columns(JobSettings.name)).first()
    if name is None:
        raise FileError("The job of this package has no settings. Nothing was unpacked.")
    return name


def _twins(session: Session, opened: Opened) -> tuple[str, ...]:
    """Return the gear of a package of which the kit has another under its name, with other values: gear is known by its name."""
    ours = {row.id: row for row in session.execute(heads(GearItem, ~GearItem.withdrawn).with_only_columns(*as_stored(tables()["gear"])))}
    brought = [ours[row["id"]] for row in opened.rows("gear") if row["id"] in ours]
    return tuple(
        f"{item.kind} {item.name}"
        for item in brought
        if any(
            (row.kind, row.name) == (item.kind, item.name) and row.line_id != item.line_id and row.data != item.data
            for row in ours.values()
        )
    )


def _differs(table: Table) -> FileError:
    return FileError(
        f"A row of {table.name} says something else here than in this package: one of the two was changed by other means. Nothing was unpacked."
    )


def _add_lines(
    session: Session, table: Table, found: list[dict[str, Any]], said: Said, job_id: str, everything: Mapping[str, Said]
) -> tuple[int, int]:
    """Add the rows of lines that are not here; a row that is must say the same.  Returns how many are new, and how many disagree."""
    here = set(session.scalars(select(table.c.id))).intersection(row["id"] for row in found)
    stored = everything.get(table.name, PLAIN)
    both = {row["id"]: row for row in found if row["id"] in here}
    for at in range(0, len(both), _BATCH):
        part = dict(islice(both.items(), at, at + _BATCH))
        raw = select(table.c.id, table.c.replaces_id).where(table.c.id.in_(part))
        replaced = {row["id"]: stored.of(dict(row)) for row in session.execute(raw).mappings()}
        written = rows_where(session, table, table.c.id.in_(part), said=everything)
        for row in itertools.chain.from_iterable(written):
            mine = part[row["id"]]
            if mine | {"replaces_id": ""} != row | {"replaces_id": ""} or said.of(mine) != replaced[row["id"]]:
                raise _differs(table)
    fresh = [row for row in found if row["id"] not in here]
    if not fresh:
        return 0, 0
    conflicts.add_line(session, table, fresh, said, here)
    lines_here = {row["line_id"] for row in fresh} if table.name in SHARED else set()
    where = table.c.line_id.in_(lines_here) if table.name in SHARED else of_job(table, job_id)
    return len(fresh), conflicts.join(session, table, where)


def _joined_of(opened: Opened, said: dict[str, Said]) -> dict[str, str]:
    """Return by the id of each joined row of a package of form 1 the row whose value it has."""
    names: dict[str, str] = {}
    for name, of_table in said.items():
        ends = {end for of_one in of_table.joined.values() for end in of_one}
        rows = {row["id"]: row for row in opened.rows(name) if row["id"] in ends} if ends else {}
        for row_id, of_one in of_table.joined.items():
            if not of_one or of_one - rows.keys() or row_id != conflicts.joined_id(name, sorted(of_one)):
                raise FileError("A row that joins two corrections does not name them. Nothing was unpacked.")
        names |= conflicts.stands_for(of_table, rows)
    return names


def _add_devices(session: Session, opened: Opened) -> None:
    for part in opened.package.chains:
        if session.get(Device, part.device) is None:
            session.add(Device(id=part.device, created_s=part.created_s))
    session.flush()


def _add_chains(session: Session, opened: Opened, lines: list[dict[str, Any]]) -> int:
    """Add the Book's lines, and the links of those that are sealed, once every chain has been walked from its beginning."""
    sealed = list(RowDoor().taken(Base.metadata.tables[LINKS], opened.batches(LINKS)))
    count = 0
    for part in opened.package.chains:
        own = {row["sequence"]: row for row in lines if row["device_id"] == part.device}
        links = {row["sequence"]: row for row in sealed if row["device_id"] == part.device}
        if (len(own), len(links)) != (part.lines, part.sealed) or own.keys() & links.keys():
            raise FileError("The Book in this package does not have the lines that it says. Nothing was unpacked.")
        _walk(own | links, part.last_hash, opened.package.job)
        count += _add_chain(session, part.device, own, links)
    if {row["device_id"] for row in (*lines, *sealed)} - {part.device for part in opened.package.chains}:
        raise FileError("The Book in this package has lines of a chain that it does not name. Nothing was unpacked.")
    return count


def _walk(chain: dict[int, dict[str, Any]], last_hash: str, job_id: str) -> None:
    before = FIRST_HASH
    for n in range(1, len(chain) + 1):
        row = chain.get(n)
        broken = row is None or row["previous_hash"] != before
        if row is not None and "text" in row:
            broken = broken or row["hash"] != hash_of(before, row["text"]) or not _tells_of(row, job_id)
        if broken or row is None:
            raise FileError(f"The Book in this package is broken at line {n}. Nothing was unpacked.")
        before = row["hash"]
    if before != last_hash:
        raise FileError("The Book in this package does not end where it says. Nothing was unpacked.")


def _tells_of(row: dict[str, Any], job_id: str) -> bool:
    """Whether a line's text is of the row that holds it."""
    try:
        said = read_json(row["text"])
        return (
            tells_of(said, row["device_id"], row["sequence"], job_id)
            and all(isinstance(said[name], str) for name in ("at_s", "kind", "sentence", "side"))
            and isinstance(said["data"], dict)
            and isinstance(said.get("by", ""), str)
        )
    except (JsonError, KeyError, TypeError):
        return False


def _add_chain(session: Session, device: str, own: dict[int, dict[str, Any]], links: dict[int, dict[str, Any]]) -> int:
    here = {
        row.sequence: row.hash
        for row in session.execute(select(SealedLine.sequence, SealedLine.hash).where(SealedLine.device_id == device))
    }
    told = {
        row.sequence: row.hash for row in session.execute(select(BookEntry.sequence, BookEntry.hash).where(BookEntry.device_id == device))
    }
    here |= told
    chain = own | links
    if any(sequence in here and here[sequence] != row["hash"] for sequence, row in chain.items()):
        raise FileError("The chain of one installation goes on in two ways, here and in this package. Nothing was unpacked.")
    if session.scalar(select(OwnDevice.n).where(OwnDevice.device_id == device)) is not None and chain.keys() - told.keys():
        raise FileError("This package holds lines of this installation's own chain that are not here. Nothing was unpacked.")
    fresh = [row for sequence, row in sorted(own.items()) if sequence not in told]
    insert_stored(session, Base.metadata.tables["book"], fresh)
    insert_stored(session, Base.metadata.tables[LINKS], [row for sequence, row in sorted(links.items()) if sequence not in here])
    return len(fresh)


def _put_files(opened: Opened, data: Path, progress: Any) -> int:
    """Put the files in their places; a raw stream that has grown takes the place of its beginning.  Returns how many are new."""
    aside, count = data / f"unpack-{new_id()}.draft", 0
    aside.mkdir(mode=0o700)
    try:
        for n, kept in enumerate(opened.package.files):
            progress(n)
            draft, target = aside / Path(kept.path).name, data / kept.path
            opened.file(kept, draft)
            if kept.path.startswith("photos/"):
                kind_of(draft.read_bytes(), kept.path)
            if target.exists():
                longer, shorter = sorted((draft, target), key=lambda path: path.stat().st_size, reverse=True)
                if not _begins(longer, shorter):
                    raise FileError(f"{kept.path} is another file here than in this package. Nothing was unpacked.")
                if longer.stat().st_size == shorter.stat().st_size or longer == target:
                    continue
            target.parent.mkdir(parents=True, exist_ok=True)
            draft.replace(target)
            count += 1
    finally:
        shutil.rmtree(aside, ignore_errors=True)
    return count


def _begins(longer: Path, shorter: Path) -> bool:
    """Whether a file begins with all of another."""
    with longer.open("rb") as one, shorter.open("rb") as other:
        while part := other.read(1 << 20):
            if one.read(len(part)) != part:
                return False
    return True


def tell_book(session: Session, opened: Opened, made: Unpacked, before: Collection[str], now_s: float) -> None:
    """Write into this installation's own chain what was unpacked: the bases that others began (`before` were here), lines of each chain that came with text."""
    chains = {part.device: [part.lines, part.sealed, part.last_hash] for part in opened.package.chains}
    write_entry(
        session,
        now_s,
        "unpacked",
        made.words,
        None,
        "machine",
        packed_job=made.job,
        made_s=opened.package.made_s,
        version=opened.package.version,
        sha256=opened.package.sha256,
        hashed=bool(opened.package.hashes),
        rows=made.rows,
        files=made.files,
        bases=sorted(bases_of(session, made.job).difference(before)),
        chains=chains,
    )
