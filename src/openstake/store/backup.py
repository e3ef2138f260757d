"""Backups of a data folder, made while the program runs, read back at once; and the way from one into an empty folder.

The database is copied by SQLite's own online backup, so a copy is of one moment; the files beside it are copied after it and hold at
least what it refers to.  Passwords, the lock and logs of the program stay where they are.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from openstake import __version__
from openstake.core.errors import ConflictError, FileError
from openstake.core.units import counted
from openstake.store.access import NAME as ACCESS
from openstake.store.book import begin_chain, verify
from openstake.store.database import NAME, Database, ReadOnly, address_to_read
from openstake.store.private import CERTIFICATES, DOOR_TOKEN
from openstake.wire.jsontext import JsonError, read_json
from openstake.wire.pictures import kind_of

MANIFEST = "backup.json"
FOLDER = "backups"
_FORM = 1
# What is of this machine, or of this run, alone.
_STAYS = ("in-use", "passwords.json", "world.json", "further.json", ACCESS, CERTIFICATES, DOOR_TOKEN, MANIFEST)
_STAYS_BEGIN = (NAME, "program.log", "passwords-", "access-")
_STEP_BYTES = 1 << 20
_LATEST_S = 1e11  # the year 5138


@dataclass(frozen=True)
class KeptFile:
    """A file of a backup: its path in the folder, its size and its SHA-256."""

    path: str
    bytes: int
    sha256: str


@dataclass(frozen=True, kw_only=True)
class Backup:
    """A backup: when and by which version it was made, its files, and where the Book ended: lines of the chain and last hash."""

    form: int
    version: str
    created_s: float
    entries: int
    last_hash: str
    files: tuple[KeptFile, ...]
    folder: Path

    @property
    def moment(self) -> str:
        return f"{datetime.fromtimestamp(self.created_s, UTC):%Y-%m-%d %H:%M} UTC"


def back_up(data: Path, into: Path, now_s: float) -> Backup:
    """Copy a data folder into a new folder inside `into`, read the copy back, and return it; FileError where it is not sound.

    Hashes are those of the copies.  A file that an earlier backup there holds unchanged is linked to, not copied.
    """
    if not (data / NAME).is_file():
        raise FileError(f"{data} is not a data folder: it holds no {NAME}.")
    into.mkdir(parents=True, exist_ok=True)
    earlier = backups_in(into)
    stem = f"openstake-{datetime.fromtimestamp(now_s, UTC):%Y%m%d-%H%M%S-%f}"[:-3]
    folder, draft = into / stem, into / f"{stem}.draft"
    if folder.exists() or draft.exists():
        raise ConflictError(f"{folder} is there already. Try again in a moment.")
    try:
        draft.mkdir(mode=0o700)
        copy_database(data / NAME, draft / NAME)
        files = [_kept(draft, draft / NAME)]
        files += [_copied(source, data, draft, earlier[-1] if earlier else None) for source in _beside(data, into)]
        entries, last_hash = _read_back(draft)
        made = Backup(
            form=_FORM, version=__version__, created_s=now_s, entries=entries, last_hash=last_hash, files=tuple(files), folder=folder
        )
        document = {key: value for key, value in asdict(made).items() if key != "folder"}
        (draft / MANIFEST).write_text(json.dumps(document, indent=1))
        draft.replace(folder)
    except BaseException:
        shutil.rmtree(draft, ignore_errors=True)
        raise
    return made


def copy_database(source: Path, target: Path) -> None:
    """Copy a database of one moment beside those who write it.  Source: SQLite, Online Backup API."""
    with closing(sqlite3.connect(address_to_read(source), uri=True)) as theirs, closing(sqlite3.connect(target)) as ours:
        theirs.backup(ours)
        # One file, without a journal beside it: it is read wherever it is put.
        ours.execute("PRAGMA journal_mode=DELETE")
    target.chmod(0o600)


def _beside(data: Path, into: Path) -> Iterator[Path]:
    """Return the files of a data folder that a backup holds beside the database."""
    for path in sorted(data.rglob("*")):
        top = path.relative_to(data).parts[0]
        if not path.is_file() or path.is_symlink() or top == FOLDER or path.resolve().is_relative_to(into.resolve()):
            continue
        if top in _STAYS or top.startswith(_STAYS_BEGIN) or path.name.endswith(".draft"):
            continue
        yield path


def _copied(source: Path, data: Path, draft: Path, before: Backup | None) -> KeptFile:
    """Copy a file, or link to an earlier copy of the same size and time."""
    name = source.relative_to(data)
    target = draft / name
    target.parent.mkdir(parents=True, exist_ok=True)
    known = None if before is None else next((file for file in before.files if file.path == name.as_posix()), None)
    if known is not None and before is not None:
        copy, now = before.folder / name, source.stat()
        with suppress(OSError):
            if copy.stat().st_size == now.st_size == known.bytes and copy.stat().st_mtime_ns == now.st_mtime_ns:
                os.link(copy, target)
                return known
    shutil.copy2(source, target)
    return _kept(draft, target)


def _kept(folder: Path, path: Path) -> KeptFile:
    return KeptFile(path.relative_to(folder).as_posix(), path.stat().st_size, _sha256(path))


def _sha256(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        while part := file.read(_STEP_BYTES):
            found.update(part)
    return found.hexdigest()


def _read_back(folder: Path) -> tuple[int, str]:
    """Read a copied database: SQLite's own check, the Book's chains; returns the Book's lines and its last hash."""
    with closing(sqlite3.connect(address_to_read(folder / NAME), uri=True)) as copy:
        said = [row[0] for row in copy.execute("PRAGMA integrity_check(1)")]
    if said != ["ok"]:
        raise FileError(f"The copy of the database is not sound: {said[0][:200]}.")
    database = ReadOnly(folder)
    try:
        with database.read() as session:
            book = verify(session)
    finally:
        database.close()
    if not book.whole:
        raise FileError(f"The copy is not kept. {book.sentence}")
    return book.entries, book.last_hash


def backups_in(folder: Path) -> list[Backup]:
    """Return the backups in a folder, oldest first; what is none is passed over."""
    found = []
    for path in sorted(folder.glob(f"*/{MANIFEST}")):
        with suppress(FileError):
            found.append(read_manifest(path.parent))
    return sorted(found, key=lambda item: item.created_s)


def read_manifest(folder: Path) -> Backup:
    """Return a backup as its list of files has it; FileError where there is none, or one of another form."""
    try:
        document: Any = read_json((folder / MANIFEST).read_text("utf-8"))
        form, created_s, entries = (document[name] for name in ("form", "created_s", "entries"))
        files = tuple(KeptFile(item["path"], item["bytes"], item["sha256"]) for item in document["files"])
        texts = [document["version"], document["last_hash"], *(text for file in files for text in (file.path, file.sha256))]
        sound = all(isinstance(text, str) for text in texts) and all(type(file.bytes) is int for file in files)
        if not sound or type(form) is not int or type(entries) is not int or not 0.0 < float(created_s) < _LATEST_S:
            raise ValueError
    except (OSError, JsonError, ValueError, KeyError, TypeError):
        raise FileError(f"{folder} is not a backup: it holds no {MANIFEST} that can be read.") from None
    if form != _FORM:
        raise FileError(f"{folder} is a backup of form {form}; this version reads form {_FORM}.")
    outside = [file.path for file in files if "\0" in file.path or Path(file.path).is_absolute() or ".." in Path(file.path).parts]
    if outside:
        raise FileError(f"{folder} names a file outside itself: {outside[0][:80]}.")
    return Backup(
        form=form,
        version=document["version"],
        created_s=float(created_s),
        entries=entries,
        last_hash=document["last_hash"],
        files=files,
        folder=folder,
    )


def hold_against(folder: Path, backup: Backup) -> None:
    """Hold the files of a backup against its list; FileError where one differs."""
    for file in backup.files:
        path = folder / file.path
        if not path.is_file() or path.is_symlink():
            raise FileError(f"{folder} lacks {file.path}: the backup is not whole.")
        if path.stat().st_size != file.bytes or _sha256(path) != file.sha256:
            raise FileError(f"{file.path} in {folder} is not what was backed up: the backup is damaged.")


def restore(source: Path, new: Path, now_s: float) -> Backup:
    """Put a backup, or the newest of a folder of backups, into an empty folder, and begin a chain of the Book there.

    The new installation has a device of its own, whose first line names where the old chain ended: no chain forks.
    """
    if not (source / MANIFEST).is_file():
        kept = backups_in(source) if source.is_dir() else []
        if not kept:
            raise FileError(f"{source} holds no backup.")
        source = kept[-1].folder
    backup = read_manifest(source)
    if new.exists() and (not new.is_dir() or any(new.iterdir())):
        raise FileError(f"{new} is not empty. A backup is put into an empty folder only.")
    hold_against(source, backup)
    for file in backup.files:
        if Path(file.path).parts[0] == "photos":
            kind_of((source / file.path).read_bytes(), file.path)
    new.mkdir(parents=True, exist_ok=True)
    for file in backup.files:
        target = new / file.path
        target.parent.mkdir(parents=True, exist_ok=True)
        shutil.copy2(source / file.path, target)
    hold_against(new, backup)
    database = Database.in_folder(new)
    try:
        database.write(lambda session: begin_chain(session, now_s, f"Restored from the backup of {backup.moment}"))
    finally:
        database.close()
    return backup


def prune(folder: Path, most: int) -> int:
    """Take the oldest backups out of a folder but the newest `most`; returns how many went."""
    old = backups_in(folder)[:-most]
    for item in old:
        shutil.rmtree(item.folder, ignore_errors=True)
    for left in folder.glob("openstake-*.draft"):
        shutil.rmtree(left, ignore_errors=True)
    return len(old)


def in_words(backup: Backup) -> str:
    """Return what a backup holds, in a sentence."""
    megabytes = sum(file.bytes for file in backup.files) / 1e6
    return f"{counted(len(backup.files), 'file')}, {megabytes:.1f} MB, {counted(backup.entries, 'line')} of the Book, read back."
