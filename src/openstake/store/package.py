"""A job as a package: a ZIP of its rows as JSON, the files beside them, and the Book's chains with other jobs' lines sealed.

`package.json` says what is in it, with the SHA-256 of all else; its own, read out at both ends, says that both have the same.
`tables/<table>.jsonl` holds a row a line, columns by name, bytes as base64, ordered by key;
`files/` holds raw streams, photos and the geoid grid by their paths in a data folder.  `docs/package.schema.json` is its schema.
"""

from __future__ import annotations

import base64
import hashlib
import json
import re
import stat
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass, replace
from functools import cache, partial
from itertools import islice
from math import isfinite
from operator import itemgetter
from pathlib import Path, PurePosixPath
from types import NoneType
from typing import IO, Any

import orjson
from sqlalchemy import Boolean, ColumnElement, Float, Integer, LargeBinary, Table, or_, select
from sqlalchemy.orm import Session

from openstake import __version__
from openstake.core.errors import FileError
from openstake.core.progress import Progress
from openstake.store.backup import KeptFile
from openstake.store.conflicts import PLAIN, Said, aliases, renaming, said_by, said_in
from openstake.store.jsoncolumn import as_stored, text_of
from openstake.store.models import Base, BookEntry, Device, GearItem, JobProfile, JobSettings, ProfileVersion, SealedLine
from openstake.store.rowdoor import RowDoor, checked_manifest, shown
from openstake.wire.address import holds_password
from openstake.wire.jsontext import JsonError, read_json

MANIFEST = "package.json"
FORM = 2
# The form that 0.11.0 to 0.13.0 wrote: no hashes of tables, joined rows among the others, no table of time passed before 0.12.0.
_FORM_1 = 1
_NOT_IN_FORM_1 = "time_passed"
# Tables younger than the form: a package of an older version has none of them.
_ADDED = frozenset({"element_file", "heard_ephemeris", "skyline", "sky_check"})
# What its rows lack, and how it is told: as the migration 0015 does.
_FILLED_IN_FORM_1: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
    "fit_chosen": lambda row: {"undid": str(row.get("words")).startswith("undone: ")}
}

LINKS = "sealed_line"
PARENTS = "rival"
# Tables that are of the installation or of a chain, or that several jobs share.
_NOT_OF_A_JOB = ("own_device", "request_key", "device", "book", "sealed_line", "rival", "gear", "profile", "geoid_grid")
_MOST_MEMBERS, _MOST_BYTES, _MOST_MANIFEST, _MOST_ROW = 20_000, 8 << 30, 16 << 20, 64 << 20
_MOST_RATIO, _SMALL = 200, 1 << 20
_STEP = 1 << 20
_BATCH = 2000  # rows that are read, checked and written at once
_LEVEL = 3  # of DEFLATE: an eighth larger than its usual 6, in less than half the time
# A file in it: of one of three folders, with a name that every file system takes.
_FILE = re.compile(r"(raw|photos|geoid)/[0-9A-Za-z][0-9A-Za-z._-]{0,199}")
_LARGEST = 1 << 63  # of a whole number: what SQLite holds


@dataclass(frozen=True, kw_only=True)
class ChainPart:
    """What a package holds of one installation's chain: lines with their text, sealed ones, and where the chain ended."""

    device: str
    created_s: float
    lines: int
    sealed: int
    last_hash: str


@dataclass(frozen=True, kw_only=True)
class Package:
    """What is in a package: rows by table, the SHA-256 of tables and files, chains of the Book; `sha256` is that of its manifest.

    A package of form 1 has no `hashes`.
    """

    form: int
    version: str
    made_s: float
    job: str
    name: str
    tables: dict[str, int]
    hashes: dict[str, str]
    files: tuple[KeptFile, ...]
    chains: tuple[ChainPart, ...]
    sha256: str = ""

    @property
    def rows(self) -> int:
        return sum(self.tables.values())

    @property
    def fingerprint(self) -> str:
        """What two people read out to each other: the first 16 digits of the manifest's SHA-256 (64 bits), in fours."""
        return " ".join(self.sha256[at : at + 4] for at in range(0, 16, 4)).upper()


# Told of many jobs: a row of these may be in the packages of several.
SHARED = ("gear", "profile", "geoid_grid")


@cache
def tables() -> dict[str, Table]:
    """Return the tables that a package holds, in an order in which each names rows of those before it alone."""
    left_out = ("own_device", "request_key", LINKS, PARENTS, "device")
    return {table.name: table for table in Base.metadata.sorted_tables if table.name not in left_out}


def of_job(table: Table, job_id: str) -> ColumnElement[bool]:
    """Return what makes a row one of the job: its job, or that of the row that it belongs to."""
    if table.name == "job":
        return table.c.id == job_id
    if "job_id" in table.c:
        return table.c.job_id == job_id
    parent = next(key for key in table.foreign_keys if key.column.table is not table and key.column.table.name not in _NOT_OF_A_JOB)
    owner = parent.column.table
    return parent.parent.in_(select(owner.c.id).where(of_job(owner, job_id)))


def _members(session: Session, table: Table, job_id: str) -> ColumnElement[bool]:
    """Return which rows of a table a package of the job holds."""
    if table.name == "geoid_grid":
        return table.c.id.in_(select(JobSettings.geoid_id).where(JobSettings.job_id == job_id))
    if table.name == "profile":
        return table.c.line_id.in_(select(JobProfile.line_id).where(JobProfile.job_id == job_id))
    if table.name == "gear":
        return table.c.line_id.in_(_gear_lines(session, job_id))
    return of_job(table, job_id)


def _gear_lines(session: Session, job_id: str) -> set[str]:
    """Return the lines of gear that the job's profiles, set-ups, series and tests name: gear is known by its name."""
    chosen = select(JobProfile.line_id).where(JobProfile.job_id == job_id)
    texts = list(session.scalars(select(ProfileVersion.data).where(ProfileVersion.line_id.in_(chosen))))
    for name in ("setup", "shot_series", "bench_test"):
        table = Base.metadata.tables[name]
        texts += session.scalars(select(text_of(table.c.data)).where(of_job(table, job_id)))
    said = {value for text in texts for value in _texts_in(json.loads(text))}
    return {row.line_id for row in session.scalars(select(GearItem)) if row.name in said}


def _texts_in(value: object) -> Iterator[str]:
    """Yield every text in a JSON value."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict | list):
        for item in value.values() if isinstance(value, dict) else value:
            yield from _texts_in(item)


def rows_of(
    session: Session, table: Table, job_id: str, said: Mapping[str, Said], names: Mapping[str, str]
) -> Iterator[list[dict[str, Any]]]:
    """Yield the rows that a package of the job holds of a table, by key, many at a time; `said` and `names` as in `rows_where`."""
    where = [_members(session, table, job_id)]
    if table.name == "book":
        where.append(BookEntry.id.not_in(_sealed_here(session, job_id)))
    return rows_where(session, table, *where, said=said, names=names)


def rows_where(
    session: Session, table: Table, *where: ColumnElement[bool], said: Mapping[str, Said], names: Mapping[str, str] | None = None
) -> Iterator[list[dict[str, Any]]]:
    """Yield rows as people wrote them, by key, many at a time: with what each truly replaced (the least of several), and without
    joined rows.

    `said` is that of the database, `names` are those of its joined rows and of what they stand for, where they have been read.
    """
    of_table = said.get(table.name, PLAIN)
    rename = renaming(table, aliases(session, said) if names is None else names)
    columns = sorted(as_stored(table), key=lambda item: str(item.key))
    query, keys = select(*columns).where(*where).order_by(*table.primary_key.columns), [str(item.key) for item in columns]
    for part in session.execute(query.execution_options(yield_per=_BATCH)).partitions():
        rows = [dict(zip(keys, row, strict=True)) for row in part]
        if of_table is not PLAIN:
            rows = [_as_written(values, of_table) for values in rows if values["id"] not in of_table.joined]
        yield rename(rows)


def _as_written(values: dict[str, Any], said: Said) -> dict[str, Any]:
    """Return a row with what it truly replaced, the least of several."""
    parents = said.parents.get(values["id"])
    return values if parents is None else values | {"replaces_id": min(parents, default=None)}


def _sealed_here(session: Session, job_id: str) -> set[str]:
    """Return the lines of a job that travel sealed, because an old version wrote a password into them."""
    told = select(BookEntry.id, BookEntry.text).where(BookEntry.job_id == job_id, BookEntry.text.contains("@"))
    return {row.id for row in session.execute(told) if holds_password(row.text)}


def chains_of(session: Session, job_id: str) -> Iterator[tuple[Device, list[dict[str, Any]]]]:
    """Yield each installation that wrote of the job, and the links of its chain whose lines are of other jobs."""
    devices = select(BookEntry.device_id).where(BookEntry.job_id == job_id).distinct()
    hidden = _sealed_here(session, job_id)
    for device in session.scalars(select(Device).where(Device.id.in_(devices)).order_by(Device.id)):
        theirs = BookEntry.device_id == device.id
        other = or_(BookEntry.job_id.is_(None), BookEntry.job_id != job_id, BookEntry.id.in_(hidden))
        links = {
            row.sequence: (row.previous_hash, row.hash)
            for row in session.execute(select(SealedLine).where(SealedLine.device_id == device.id)).scalars()
        }
        links |= {
            row.sequence: (row.previous_hash, row.hash)
            for row in session.execute(select(BookEntry.sequence, BookEntry.previous_hash, BookEntry.hash).where(theirs, other))
        }
        own = select(BookEntry.sequence).where(theirs, BookEntry.job_id == job_id, BookEntry.id.not_in(hidden))
        for sequence in session.scalars(own):
            links.pop(sequence, None)
        sealed = [
            {"device_id": device.id, "hash": after, "previous_hash": before, "sequence": sequence}
            for sequence, (before, after) in sorted(links.items())
        ]
        yield device, sealed


def files_of(data: Path, rows: Mapping[str, list[str]]) -> list[Path]:
    """Return the files of a job: `rows` are the ids of its listenings, and the names of its photos and geoid grids."""
    listening = set(rows["listening"])
    # A raw file begins with the UUID of the session that it was heard in.
    found = [path for path in (data / "raw").glob("*.raw") if path.name[:36] in listening]
    found += [data / "photos" / name for name in rows["photo"]] + [data / "geoid" / name for name in rows["geoid_grid"]]
    return sorted({path for path in found if path.is_file()})


def pack(session: Session, data: Path, job_id: str, name: str, out: Path, now_s: float, progress: Progress) -> Package:
    """Write a job as a package to `out`, which appears when it is whole; returns what is in it.

    The session must be one transaction: what is written is of one moment.
    """
    counts: dict[str, int] = {}
    kept: dict[str, list[str]] = {"listening": [], "photo": [], "geoid_grid": []}
    draft = out.with_name(f"{out.name}.draft")
    steps, said = len(tables()) + 2, said_in(session)
    names = aliases(session, said)
    try:
        with zipfile.ZipFile(draft, "w", zipfile.ZIP_DEFLATED, compresslevel=_LEVEL) as archive:
            written = _Members(archive)
            for n, table in enumerate(tables().values()):
                progress(n, steps)
                with written.table(table.name) as write:
                    for rows in rows_of(session, table, job_id, said, names):
                        write(rows)
                        if table.name in kept:
                            kept[table.name] += [values["id" if table.name == "listening" else "file"] for values in rows]
                        progress(n, steps)
                        if rows:
                            counts[table.name] = counts.get(table.name, 0) + len(rows)
            _pack_parents(session, written, job_id, said)
            chains = _pack_chains(session, written, job_id)
            progress(steps - 1, steps)
            files = tuple(_pack_file(archive, path, data, lambda: progress(steps - 1, steps)) for path in files_of(data, kept))
            made = Package(
                form=FORM,
                version=__version__,
                made_s=now_s,
                job=job_id,
                name=name,
                tables=counts,
                hashes=written.hashes,
                files=files,
                chains=chains,
            )
            document = asdict(made)
            del document["sha256"]
            content = json.dumps(document, ensure_ascii=False, indent=1, sort_keys=True).encode()
            with _member(archive, MANIFEST) as member:
                member.write(content)
        draft.replace(out)
    finally:
        draft.unlink(missing_ok=True)
    progress(steps, steps)
    return replace(made, sha256=hashlib.sha256(content).hexdigest())


def _member(archive: zipfile.ZipFile, name: str) -> IO[bytes]:
    # Opened by its name it has no time of day: the same rows make the same bytes.
    return archive.open(name, "w", force_zip64=True)


class _Members:
    """The tables of a package as they are written, with the SHA-256 of each."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self._archive = archive
        self.hashes: dict[str, str] = {}

    @contextmanager
    def table(self, name: str) -> Iterator[Callable[[Iterable[Mapping[str, Any]]], None]]:
        """Write a table, many rows at a time."""
        found = hashlib.sha256()
        with _member(self._archive, f"tables/{name}.jsonl") as member:

            def write(rows: Iterable[Mapping[str, Any]]) -> None:
                part = b"".join(map(line_of, rows))
                found.update(part)
                member.write(part)

            yield write
        self.hashes[name] = found.hexdigest()


def _pack_parents(session: Session, written: _Members, job_id: str, said: Mapping[str, Said]) -> None:
    """Say of the job's rows that replaced more than one what each replaced: of all others, that is in the row."""
    with written.table(PARENTS) as write:
        found = []
        for name, of_table in said.items():
            several = {row_id: parents for row_id, parents in of_table.parents.items() if len(parents) > 1}
            if several:
                table = tables()[name]
                ids = set(session.scalars(select(table.c.id).where(_members(session, table, job_id))))
                found += [(row_id, one, table.name) for row_id in several.keys() & ids for one in several[row_id]]
        write({"joined": False, "row_id": row_id, "said_replaces_id": one, "table_name": of} for row_id, one, of in sorted(found))


def _pack_chains(session: Session, written: _Members, job_id: str) -> tuple[ChainPart, ...]:
    parts = []
    with written.table(LINKS) as write:
        for device, sealed in chains_of(session, job_id):
            write(sealed)
            hidden = {link["sequence"] for link in sealed}
            own = select(BookEntry.sequence, BookEntry.hash).where(BookEntry.device_id == device.id, BookEntry.job_id == job_id)
            lines = [row for row in session.execute(own.order_by(BookEntry.sequence)) if row.sequence not in hidden]
            ends = [(row.sequence, row.hash) for row in lines] + [(link["sequence"], link["hash"]) for link in sealed]
            parts.append(
                ChainPart(device=device.id, created_s=device.created_s, lines=len(lines), sealed=len(sealed), last_hash=max(ends)[1])
            )
    return tuple(parts)


def _pack_file(archive: zipfile.ZipFile, path: Path, data: Path, progress: Callable[[], None]) -> KeptFile:
    """Put a file in as long as it is at this moment: a raw stream may grow."""
    name, left, found = path.relative_to(data).as_posix(), path.stat().st_size, hashlib.sha256()
    size = left
    with path.open("rb") as file, _member(archive, f"files/{name}") as member:
        while left > 0 and (part := file.read(min(_STEP, left))):
            member.write(part)
            found.update(part)
            left -= len(part)
            progress()
    return KeptFile(name, size - left, found.hexdigest())


def _as_text(value: object) -> str:
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    raise TypeError(f"{type(value)} stands in no row")


# A row, its columns in order of their names, as a line of JSON.
line_of: Callable[[Mapping[str, Any]], bytes] = partial(orjson.dumps, default=_as_text, option=orjson.OPT_APPEND_NEWLINE)


class Opened:
    """A package that is read: what it says of itself holds for what is in it, or a FileError says what does not."""

    def __init__(self, path: Path | IO[bytes]) -> None:
        try:
            self._archive = zipfile.ZipFile(path)
        except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
            raise FileError("This is not a package: it cannot be read as a ZIP file.") from None
        try:
            self._names = {info.filename: info for info in self._checked()}
            self.package = self._manifest()
            self._check_files()
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        self._archive.close()

    def __enter__(self) -> Opened:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _checked(self) -> list[zipfile.ZipInfo]:
        members = self._archive.infolist()
        if len(members) > _MOST_MEMBERS:
            raise FileError(f"This package names {len(members)} files; at most {_MOST_MEMBERS} are taken.")
        for info in members:
            path = PurePosixPath(info.filename)
            kind = stat.S_IFMT(info.external_attr >> 16)
            if not info.filename or path.is_absolute() or ".." in path.parts or "\\" in info.filename or ":" in info.filename:
                raise FileError(f"This package names a file outside itself: {shown(info.filename)}. Nothing was unpacked.")
            if kind not in (0, stat.S_IFREG) or info.is_dir():
                raise FileError(f"This package holds a link or a folder, {shown(info.filename)}. Nothing was unpacked.")
            if info.flag_bits & 1 or info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                raise FileError(f"{shown(info.filename)} is encrypted, or compressed in a way that is not read here.")
            if info.file_size > max(_SMALL, _MOST_RATIO * info.compress_size):
                raise FileError(
                    f"{shown(info.filename)} would grow from {info.compress_size} to {info.file_size} bytes; nothing in a job is compressed like that. Nothing was unpacked."
                )
        if len({info.filename for info in members}) != len(members):
            raise FileError("This package names one file twice. Nothing was unpacked.")
        total = sum(info.file_size for info in members)
        if total > _MOST_BYTES:
            raise FileError(f"This package would take {total / 1e9:.1f} GB; at most {_MOST_BYTES / 1e9:.1f} GB are taken.")
        return members

    def _manifest(self) -> Package:
        if MANIFEST not in self._names:
            raise FileError(f"This is not a package of a job: it holds no {MANIFEST}.")
        if self._names[MANIFEST].file_size > _MOST_MANIFEST:
            raise FileError(f"{MANIFEST} is too long to be one.")
        try:
            content = b"".join(self._parts(MANIFEST))
            document = read_json(content)
            form = document["form"]
            if type(form) is not int:
                raise ValueError
            if form not in (FORM, _FORM_1):
                raise FileError(
                    f"This package is of form {form}; this version reads forms {_FORM_1} and {FORM}. Use the version that wrote it."
                )
            files = tuple(KeptFile(item["path"], item["bytes"], item["sha256"]) for item in document["files"])
            chains = tuple(ChainPart(**item) for item in document["chains"])
            found = Package(
                form=form,
                version=document["version"],
                made_s=float(document["made_s"]),
                job=document["job"],
                name=document["name"],
                tables=document["tables"],
                hashes=document["hashes"] if form == FORM else {},
                files=files,
                chains=chains,
                sha256=hashlib.sha256(content).hexdigest(),
            )
            _check_types(found)
        except (JsonError, ValueError, KeyError, TypeError) as error:
            raise FileError(f"{MANIFEST} does not say what is in this package: {shown(str(error))[1:-1]}.") from None
        unknown = sorted(set(found.tables) - set(tables()))
        if unknown:
            raise FileError(f"This package holds a table that is not known here: {shown(unknown[0])}. Nothing was unpacked.")
        return found

    def _check_files(self) -> None:
        told = {f"files/{file.path}" for file in self.package.files}
        held = {name for name in self._names if name.startswith("files/")}
        expected = {*tables(), LINKS, PARENTS}
        may_lack = _ADDED | {_NOT_IN_FORM_1} if self.package.form == _FORM_1 else _ADDED
        expected -= {name for name in may_lack if f"tables/{name}.jsonl" not in self._names}
        if told != held or set(self._names) - told - {MANIFEST} != {f"tables/{name}.jsonl" for name in expected}:
            raise FileError(f"What {MANIFEST} names is not what this package holds. Nothing was unpacked.")
        if self.package.form == FORM and self.package.hashes.keys() != expected:
            raise FileError(f"{MANIFEST} lacks the SHA-256 of a table. Nothing was unpacked.")
        for file in self.package.files:
            if not _FILE.fullmatch(file.path):
                raise FileError(f"A package holds no file like {shown(file.path)}. Nothing was unpacked.")
            if self._names[f"files/{file.path}"].file_size != file.bytes:
                raise FileError(f"{shown(file.path)} does not have the length that {MANIFEST} says.")

    def _parts(self, name: str) -> Iterator[bytes]:
        """Yield a member piece by piece; never more of it than it said."""
        left = self._names[name].file_size
        try:
            with self._archive.open(self._names[name]) as member:
                while part := member.read(_STEP):
                    left -= len(part)
                    if left < 0:
                        raise FileError(f"{name[:80]} is longer than it says. Nothing was unpacked.")
                    yield part
        except (zipfile.BadZipFile, EOFError, OSError, ValueError, NotImplementedError, zipfile.zlib.error):  # type: ignore[attr-defined]
            raise FileError(f"{name[:80]} is damaged: it cannot be read to its end.") from None

    def file(self, kept: KeptFile, target: Path) -> None:
        """Write a file of the package; FileError where it is not what the package says."""
        found = hashlib.sha256()
        with target.open("wb") as out:
            for part in self._parts(f"files/{kept.path}"):
                found.update(part)
                out.write(part)
        if found.hexdigest() != kept.sha256:
            raise FileError(f"{shown(kept.path)} is not what was packed: its SHA-256 differs.")

    def rows(self, name: str) -> Iterator[dict[str, Any]]:
        """Yield the rows of a table, each with the columns and types that it has here."""
        for batch in self.batches(name):
            yield from batch

    def batches(self, name: str) -> Iterator[list[dict[str, Any]]]:
        """Yield the rows of a table, many at a time."""
        columns, count = _columns(name), 0
        member = f"tables/{name}.jsonl"
        if member not in self._names:
            return
        lines = self._lines(member)
        while batch := list(islice(lines, _BATCH)):
            yield _rows(name, columns, [self._values(name, line, n) for n, line in enumerate(batch, count + 1)], count + 1)
            count += len(batch)
        if name in tables() and count != self.package.tables.get(name, 0):
            raise FileError(f"{name} has {count} rows, not the {self.package.tables.get(name, 0)} that {MANIFEST} says.")

    def _values(self, name: str, line: bytes, n: int) -> Any:
        """Read a row as this version has it."""
        try:
            values = read_json(line)
        except JsonError as error:
            raise FileError(f"Row {n} of {name} {error}.") from None
        if self.package.form == _FORM_1 and name in _FILLED_IN_FORM_1 and isinstance(values, dict):
            return _FILLED_IN_FORM_1[name](values) | values
        return values

    def _lines(self, name: str) -> Iterator[bytes]:
        rest, found = b"", hashlib.sha256()
        for part in self._parts(name):
            found.update(part)
            *whole, rest = (rest + part).split(b"\n")
            yield from whole
            if len(rest) > _MOST_ROW:
                raise FileError(f"A row of {name} is longer than {_MOST_ROW >> 20} MB.")
        if rest:
            yield rest
        said = self.package.hashes.get(PurePosixPath(name).stem)
        if said is not None and said != found.hexdigest():
            raise FileError(f"{name} was changed since this package was made: its SHA-256 differs. Nothing was unpacked.")

    def said(self) -> dict[str, Said]:
        """Return by table what its rows truly replaced; of form 1 also what the joined rows among them stand for."""
        conflicts: dict[str, list[tuple[str, str, bool]]] = {}
        door = RowDoor()
        for row in door.taken(Base.metadata.tables[PARENTS], self.batches(PARENTS)):
            name = row["table_name"]
            if name not in tables() or "replaces_id" not in tables()[name].c or (row["joined"] and self.package.form != _FORM_1):
                raise FileError(f"A row of {PARENTS} is not valid. Nothing was unpacked.")
            conflicts.setdefault(name, []).append((row["row_id"], row["said_replaces_id"], row["joined"]))
        return {name: said_by(self.rows(name), found) for name, found in conflicts.items()}


def _check_types(found: Package) -> None:
    texts = [found.version, found.job, found.name, *(part.device for part in found.chains), *(part.last_hash for part in found.chains)]
    texts += [text for file in found.files for text in (file.path, file.sha256)]
    if not isinstance(found.tables, dict) or not isinstance(found.hashes, dict):
        raise ValueError("its tables are no list of counts and hashes")
    texts += [*found.hashes.values()]
    counts = [*found.tables.values(), *(file.bytes for file in found.files)]
    counts += [count for part in found.chains for count in (part.lines, part.sealed)]
    numbers = [float(part.created_s) for part in found.chains]
    if not all(isinstance(text, str) for text in texts) or not all(type(count) is int and count >= 0 for count in counts):
        raise ValueError("a text or a count is missing")
    if not all(0.0 <= number < 1e11 for number in (*numbers, found.made_s)):
        raise ValueError("a time is out of range")
    devices = tuple(part.device for part in found.chains)
    hashes = (*found.hashes.values(), *(file.sha256 for file in found.files), *(part.last_hash for part in found.chains))
    if wrong := checked_manifest(found.version, found.job, devices, hashes):
        raise ValueError(wrong)


@dataclass(frozen=True, kw_only=True)
class _Column:
    """What a value of a column must be; `longest` of a text, 0 where any length is taken."""

    nullable: bool
    kind: type
    longest: int
    is_binary: bool

    def holds(self, values: Sequence[Any]) -> bool:
        """Whether all values are what belongs there as they are; else each is looked at by itself (`_value`)."""
        kinds = set(map(type, values)) - ({NoneType} if self.nullable else set())
        if kinds - {self.kind} or (kinds and self.is_binary):
            return False
        if self.kind is int:
            return all(-_LARGEST <= value < _LARGEST for value in set(values) - {None})
        return self.longest == 0 or all(len(value) <= self.longest for value in set(values) - {None})


_KINDS: tuple[tuple[type, type], ...] = ((Boolean, bool), (Integer, int), (Float, float))


@cache
def _columns(name: str) -> dict[str, _Column]:
    """Return the columns of a table by their names."""
    found = {}
    for item in Base.metadata.tables[name].columns:
        kind = next((kind for type_, kind in _KINDS if isinstance(item.type, type_)), str)
        longest = getattr(item.type, "length", None) or 0
        found[item.name] = _Column(nullable=bool(item.nullable), kind=kind, longest=longest, is_binary=isinstance(item.type, LargeBinary))
    return found


def _rows(table: str, columns: Mapping[str, _Column], batch: list[Any], first: int) -> list[dict[str, Any]]:
    """Return rows as the table has them, the first of which is row `first`."""
    if all(type(values) is dict and values.keys() == columns.keys() for values in batch):
        by_column = zip(*map(itemgetter(*columns), batch), strict=True)
        if all(column.holds(values) for column, values in zip(columns.values(), by_column, strict=True)):
            return batch
    return [_row(table, columns, values, n) for n, values in enumerate(batch, first)]


def _row(table: str, columns: Mapping[str, _Column], values: object, n: int) -> dict[str, Any]:
    """Return a row as the table has it; FileError where a column is unknown, missing or of another kind."""
    if not isinstance(values, dict) or values.keys() != columns.keys():
        odd = sorted(values.keys() ^ columns.keys())[0][:40] if isinstance(values, dict) else "no object"
        raise FileError(f"Row {n} of {table} is not as this version has it: {shown(odd)[1:-1]}. Nothing was unpacked.")
    return {name: _value(table, name, column, values[name], n) for name, column in columns.items()}


def _value(table: str, name: str, column: _Column, value: Any, n: int) -> Any:
    kind = column.kind
    if value is None and column.nullable:
        return None
    if type(value) is int and not -_LARGEST <= value < _LARGEST:
        value = None
    elif kind is float and type(value) in (float, int) and isfinite(value):
        return float(value)
    elif kind is str and isinstance(value, str) and not column.is_binary:
        if column.longest == 0 or len(value) <= column.longest:
            return value
    elif kind is not float and type(value) is kind and not column.is_binary:
        return value
    if column.is_binary and isinstance(value, str):
        with suppress(ValueError):
            return base64.b64decode(value, validate=True)
    raise FileError(f"Row {n} of {table}: {name} is not valid. Nothing was unpacked.")


def schema() -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of `package.json` and of a row of each table."""
    definitions = {
        name: {
            "type": "object",
            "additionalProperties": False,
            "required": sorted(item.name for item in table.columns),
            "properties": {item.name: _schema_of(item) for item in sorted(table.columns, key=lambda item: item.name)},
        }
        for name, table in {**tables(), **{name: Base.metadata.tables[name] for name in (LINKS, PARENTS)}}.items()
    }
    text, count, number = {"type": "string"}, {"type": "integer", "minimum": 0}, {"type": "number"}

    def record(**properties: object) -> dict[str, object]:
        return {"type": "object", "additionalProperties": False, "required": sorted(properties), "properties": properties}

    kept = record(path=text, bytes=count, sha256=text)
    chain = record(device=text, created_s=number, lines=count, sealed=count, last_hash=text)
    manifest = record(
        form={"const": FORM},
        version=text,
        made_s=number,
        job=text,
        name=text,
        tables={"type": "object", "additionalProperties": count},
        hashes={"type": "object", "additionalProperties": text},
        files={"type": "array", "items": kept},
        chains={"type": "array", "items": chain},
    )
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A job as a package: package.json, and $defs/<table> for each line of tables/<table>.jsonl",
        **manifest,
        "$defs": definitions,
    }


def _schema_of(item: Any) -> dict[str, object]:
    kinds = {Boolean: "boolean", Integer: "integer", Float: "number"}
    kind = next((name for type_, name in kinds.items() if isinstance(item.type, type_)), "string")
    said: dict[str, object] = {"type": [kind, "null"] if item.nullable else kind}
    if isinstance(item.type, LargeBinary):
        said["contentEncoding"] = "base64"
    elif kind == "string" and item.type.length:
        said["maxLength"] = item.type.length
    return said
