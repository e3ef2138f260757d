"""Who may come in over the network: the passphrase, the sessions of devices, and how fast passphrases can be guessed."""

from __future__ import annotations

import hashlib
import hmac
import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from openstake.core.errors import ConflictError, InputError, NotFoundError, NotSignedInError, TooOftenError
from openstake.store.access import AccessKept, KeptSession, hash_of_passphrase, is_passphrase, keep_access, read_access

SHORTEST_PASSPHRASE, LONGEST_PASSPHRASE = 12, 200
LONGEST_NAME, LONGEST_HINT = 20, 100
IDLE_S = 24 * 3600.0
MOST_SESSIONS, MOST_DEVICES = 50, 200
# A code that the page Phones shows: eight letters and digits that are not taken for each other, new every ten minutes.
_CODE_SIGNS, _CODE_LENGTH, _CODE_S = "23456789ABCDEFGHJKLMNPQRSTUVWXYZ", 8, 600.0
# Wrong passphrases that cost nothing, of one address and of all together; each one more doubles the wait.
FREE_OF_ONE, FREE_OF_ALL = 3, 20
LONGEST_WAIT_S = 300.0
_FORGOTTEN_S = 900.0
_MOST_ADDRESSES = 1000

Device = Literal["phone", "tablet", "computer"]


@dataclass(frozen=True, kw_only=True)
class Door:
    """The listener on the network: the names it answers to, its port, and the certificate that it shows."""

    names: tuple[str, ...]
    port: int
    root_pem: bytes | None
    fingerprint: str
    own_certificate: bool

    def answers_to(self, host: str | None, port: int | None) -> bool:
        """Say whether a request names this door; `*.site` is any name before `.site` (RFC 6125, 6.4.3)."""
        if host is None or port != self.port:
            return False
        return host in self.names or f"*.{host.partition('.')[2]}" in self.names


@dataclass(frozen=True)
class Visitor:
    """Who asks: a person on this machine itself, or one with a session."""

    session_id: str = ""
    who: str = ""
    token: str = ""

    @property
    def here(self) -> bool:
        return not self.session_id

    @property
    def csrf(self) -> str:
        """What a page of this session sends with everything that writes; nobody has it who has not read a page."""
        return hmac.new(self.token.encode(), b"csrf", hashlib.sha256).hexdigest() if self.token else ""


def checked_passphrase(text: str) -> str:
    """Return a passphrase without the blanks around it; InputError where it is easily guessed."""
    passphrase = text.strip()
    if not SHORTEST_PASSPHRASE <= len(passphrase) <= LONGEST_PASSPHRASE or len(set(passphrase)) < 5:
        raise InputError(
            f"A passphrase has {SHORTEST_PASSPHRASE} to {LONGEST_PASSPHRASE} characters, five of them different. Three words are easy to type.",
            field="passphrase",
        )
    return passphrase


@dataclass
class _Wrong:
    """Wrong passphrases of an address since the last right one, and when the last one came."""

    count: int = 0
    last_s: float = 0.0


def wait_after(wrong: int, free: int) -> float:
    """Return for how long no passphrase is taken after so many wrong ones, in seconds."""
    return 0.0 if wrong < free else min(2.0 ** (wrong - free), LONGEST_WAIT_S)


@dataclass
class Guesses:
    """Counts wrong passphrases; what comes too soon is refused before it is compared."""

    by_address: OrderedDict[str, _Wrong] = field(default_factory=OrderedDict)
    of_all: _Wrong = field(default_factory=_Wrong)

    def refuse_too_soon(self, who: str, now_s: float, known: bool) -> None:
        """Raise TooOftenError where an address or a known device, or all strangers together, must wait.

        What strangers do never holds up a device that signed in before.
        """
        for wrong, free in ((self._of(who, now_s), FREE_OF_ONE), *(() if known else ((self.of_all, FREE_OF_ALL),))):
            rest_s = wrong.last_s + wait_after(wrong.count, free) - now_s
            if wrong.count and rest_s > 0:
                raise TooOftenError(
                    f"Too many wrong passphrases. Try again in {max(rest_s, 1.0):.0f} s, or type the code that the page Phones shows on the "
                    "program's own machine.",
                    field="code",
                    wait_s=rest_s,
                )

    def wrong(self, who: str, now_s: float, known: bool) -> None:
        """Count a wrong passphrase."""
        for item in (self._of(who, now_s), *(() if known else (self.of_all,))):
            if now_s - item.last_s > _FORGOTTEN_S:
                item.count = 0
            item.count, item.last_s = item.count + 1, now_s

    def right(self, who: str) -> None:
        """Forget the wrong ones of an address or a device."""
        self.by_address.pop(who, None)

    def made_wait(self, now_s: float) -> bool:
        """Whether somebody had to wait in the last quarter of an hour."""
        counted = [(item, FREE_OF_ONE) for item in self.by_address.values()] + [(self.of_all, FREE_OF_ALL)]
        return any(wrong.count >= free and now_s - wrong.last_s < _FORGOTTEN_S for wrong, free in counted)

    def _of(self, address: str, now_s: float) -> _Wrong:
        found = self.by_address.setdefault(address, _Wrong())
        if now_s - found.last_s > _FORGOTTEN_S:
            found.count = 0
        self.by_address.move_to_end(address)
        while len(self.by_address) > _MOST_ADDRESSES:
            self.by_address.popitem(last=False)
        return found


class Access:
    """The sessions of a data folder.  Without a passphrase nobody comes in."""

    def __init__(self, folder: Path, now: Callable[[], float], monotonic: Callable[[], float], on_end: Callable[[str], None]) -> None:
        # Whoever sets the clock back makes nobody wait longer: waits are counted by the monotonic one.
        self._folder, self._now, self._monotonic, self._on_end = folder, now, monotonic, on_end
        self._lock, self._one_guess = threading.Lock(), threading.Lock()
        self._kept = read_access(folder)
        self._seen = {item.id: now() for item in self._kept.sessions}
        self.guesses = Guesses()
        self._code, self._code_s = "", 0.0
        self.door: Door | None = None
        # What opens the door on this machine; None: it stands open to all users of the machine.
        self.door_token: str | None = None

    @property
    def kept(self) -> AccessKept:
        return self._kept

    @property
    def folder(self) -> Path:
        return self._folder

    def seen_s(self, session_id: str) -> float:
        return self._seen.get(session_id, 0.0)

    def set_passphrase(self, passphrase: str, hint: str) -> None:
        """Take a passphrase; whoever came in with the one before is signed out."""
        passphrase, hint = checked_passphrase(passphrase), hint.strip()
        if len(hint) > LONGEST_HINT or passphrase.casefold() in hint.casefold():
            raise InputError("The hint is short, and is not the passphrase.", field="hint")
        made = hash_of_passphrase(passphrase)
        self._change(lambda kept: AccessKept(passphrase=made, hint=hint))
        self.guesses = Guesses()

    def sign_in(self, passphrase: str, who: str, device: Device, address: str, device_token: str = "", code: str = "") -> Visitor:
        """Let a device in and return its session; NotSignedInError, or TooOftenError before anything is compared.

        A device that signed in before, or one whose user reads the code on the program's own machine, waits for no stranger.
        """
        who = " ".join(who.split())
        if not 1 <= len(who) <= LONGEST_NAME or not who.isprintable():
            raise InputError("Type your initials or your name: what you record is written under it.", field="who")
        known = self.knows(device_token)
        guesser = f"device {_sha256(device_token)}" if known else address
        with self._one_guess:  # guesses sent together are counted one by one
            now_s = self._monotonic()
            by_code = self._is_code(code, now_s)
            if not by_code:
                self.guesses.refuse_too_soon(guesser, now_s, known)
            held = self._kept.passphrase
            if held is None:
                raise ConflictError("No passphrase is set yet. Set it on the page Phones of the program's own machine.")
            if by_code:
                self._code = ""  # used once
            if not is_passphrase(passphrase.strip()[: LONGEST_PASSPHRASE + 1], held):
                self.guesses.wrong(guesser, self._monotonic(), known)
                raise NotSignedInError("This is not the passphrase.", field="passphrase")
            self.guesses.right(guesser)
        token = secrets.token_urlsafe(32)
        session = KeptSession(
            id=secrets.token_hex(8), token_sha256=_sha256(token), who=who, device=device, address=address, since_s=self._now()
        )
        self._seen[session.id] = self._now()
        self._change(lambda kept: replace(kept, sessions=(*kept.sessions, session)[-MOST_SESSIONS:]))
        return Visitor(session.id, who, token)

    def knows(self, device_token: str) -> bool:
        """Whether a device signed in here before."""
        return bool(device_token) and _sha256(device_token) in self._kept.devices

    def remember_device(self) -> str:
        """Return what a device that signed in carries from now on; it is no key, and spares it the wait for strangers."""
        token = secrets.token_urlsafe(32)
        self._change(lambda kept: replace(kept, devices=(*kept.devices, _sha256(token))[-MOST_DEVICES:]))
        return token

    def code_in_a_wait(self) -> str:
        """Return the code that lets a new device past the wait for strangers; empty where none had to wait lately."""
        with self._lock:
            now_s = self._monotonic()
            if not self.guesses.made_wait(now_s):
                return ""
            if not self._code or now_s - self._code_s > _CODE_S:
                self._code = "".join(secrets.choice(_CODE_SIGNS) for _ in range(_CODE_LENGTH))
                self._code_s = now_s
            return f"{self._code[:4]} {self._code[4:]}"

    def _is_code(self, code: str, now_s: float) -> bool:
        typed = "".join(code.upper().split())
        return bool(self._code) and now_s - self._code_s <= _CODE_S and alike(typed, self._code)

    def is_owner(self, given: str) -> bool:
        """Whether somebody on this machine has what opens its door."""
        return self.door_token is None or alike(given, self.door_token)

    def visitor(self, token: str) -> Visitor | None:
        """Return whose token this is; None where it is nobody's, or has not been used for a day."""
        asked = _sha256(token)
        found = next((item for item in self._kept.sessions if alike(item.token_sha256, asked)), None)
        if found is None:
            return None
        if self._now() - self._seen.get(found.id, 0.0) > IDLE_S:
            with suppress(NotFoundError):  # ended in this moment by somebody else
                self.end(found.id)
            return None
        self._seen[found.id] = self._now()
        return Visitor(found.id, found.who, token)

    def end(self, session_id: str) -> None:
        """End a session, and what it still listens to; NotFoundError where there is none."""
        if all(item.id != session_id for item in self._kept.sessions):
            raise NotFoundError("This device is not signed in any more.")
        self._change(lambda kept: replace(kept, sessions=tuple(item for item in kept.sessions if item.id != session_id)))

    def end_all(self) -> None:
        """End all sessions at once."""
        self._change(lambda kept: replace(kept, sessions=()))

    def _change(self, change: Callable[[AccessKept], AccessKept]) -> None:
        with self._lock:
            before = {item.id for item in self._kept.sessions}
            kept = change(self._kept)
            keep_access(self._folder, kept)
            self._kept = kept
        for session_id in before - {item.id for item in kept.sessions}:
            self._seen.pop(session_id, None)
            self._on_end(session_id)


def alike(given: str, held: str) -> bool:
    """Compare two texts of any letters, in a time that does not tell where they differ."""
    return hmac.compare_digest(given.encode("utf-8", "surrogatepass"), held.encode("utf-8", "surrogatepass"))


def _sha256(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "surrogatepass")).hexdigest()
