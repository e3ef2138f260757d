"""Who may come in over the network: the passphrase's hash and the sessions, in a file that only this user can read."""

from __future__ import annotations

import hashlib
import hmac
import json
import secrets
import threading
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from openstake.store.private import write_private

NAME = "access.json"
# scrypt's cost: 128 MiB and some tenths of a second.  Source: OWASP Password Storage Cheat Sheet (from memory).
_N, _R, _P = 1 << 17, 8, 1
_MOST_BYTES = 256 << 20
# One at a time: who guesses from many places takes the memory of one.
_ONE_HASH = threading.Lock()


@dataclass(frozen=True, kw_only=True)
class PassphraseHash:
    """What a passphrase is compared with; the passphrase itself is kept nowhere."""

    salt: str
    hash: str
    n: int = _N
    r: int = _R
    p: int = _P


@dataclass(frozen=True, kw_only=True)
class KeptSession:
    """A device that signed in: under which name, from where and since when.  Of its token only the SHA-256 is kept."""

    id: str
    token_sha256: str
    who: str
    device: str
    address: str
    since_s: float


@dataclass(frozen=True, kw_only=True)
class AccessKept:
    """What a data folder knows of who may come in; `devices`: the SHA-256 of what devices that signed in before carry."""

    passphrase: PassphraseHash | None = None
    hint: str = ""
    sessions: tuple[KeptSession, ...] = ()
    devices: tuple[str, ...] = ()


def hash_of_passphrase(passphrase: str) -> PassphraseHash:
    """Return a new hash of a passphrase, with a salt of its own."""
    salt = secrets.token_hex(16)
    return PassphraseHash(salt=salt, hash=_scrypt(passphrase, PassphraseHash(salt=salt, hash="")).hex())


def is_passphrase(passphrase: str, kept: PassphraseHash) -> bool:
    """Compare a passphrase with a hash, in a time that does not tell how much of it is right."""
    return hmac.compare_digest(_scrypt(passphrase, kept), bytes.fromhex(kept.hash))


def _scrypt(passphrase: str, kept: PassphraseHash) -> bytes:
    with _ONE_HASH:
        return hashlib.scrypt(passphrase.encode(), salt=bytes.fromhex(kept.salt), n=kept.n, r=kept.r, p=kept.p, maxmem=_MOST_BYTES)


def read_access(folder: Path) -> AccessKept:
    """Return what a data folder knows of who may come in; a file that cannot be read lets nobody in."""
    try:
        said: Any = json.loads((folder / NAME).read_text())
        passphrase = PassphraseHash(**said["passphrase"]) if said["passphrase"] else None
        sessions = tuple(KeptSession(**item) for item in said["sessions"])
        return AccessKept(
            passphrase=passphrase, hint=str(said["hint"]), sessions=sessions, devices=tuple(map(str, said.get("devices", ())))
        )
    except (OSError, ValueError, KeyError, TypeError):
        return AccessKept()


def keep_access(folder: Path, kept: AccessKept) -> None:
    """Keep who may come in."""
    write_private(folder / NAME, json.dumps(asdict(kept)).encode())
