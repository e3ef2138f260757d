"""Addresses of feeds as people type them: read whole, and parted from a password before anything is stored."""

from __future__ import annotations

import re
from urllib.parse import SplitResult, parse_qsl, unquote, urlsplit, urlunsplit

from openstake.core.describe import NOT_ON_A_LINE
from openstake.core.errors import InputError

_PASSWORD = re.compile(r"(://[^\s:/@]*):\S*@")
HIDDEN = "\u2022\u2022\u2022"


def hidden_passwords(text: str) -> str:
    """Return a text in which the passwords of addresses are dots."""
    return _PASSWORD.sub(rf"\1:{HIDDEN}@", text)


def holds_password(text: str) -> bool:
    """Tell whether a text holds an address with a password."""
    return any(not match[0].endswith(f":{HIDDEN}@") for match in _PASSWORD.finditer(text))


def without_password(url: str) -> tuple[str, str | None]:
    """Return an address without its password, and the password, None where it has none."""
    parts = urlsplit(url)
    about, _, place = parts.netloc.rpartition("@")
    user, colon, password = about.partition(":")
    if not colon:
        return url, None
    return urlunsplit(parts._replace(netloc=f"{user}@{place}" if user else place)), unquote(password) or None


SCHEMES = ("tcp", "tcp-listen", "udp", "serial", "ntrip", "replay")
USUAL_BAUD = 115_200
_BAUDS = (300, 4_000_000)
_FASTEST_REPLAY = 1000.0
HOW_TO_WRITE = (
    "Use tcp://host:port, tcp-listen://:port, udp://:port, serial:///dev/ttyX?baud=115200, ntrip://user@host:port/MOUNT or "
    "replay:///path?speed=10."
)


def split_url(url: str) -> SplitResult:
    """Return the parts of a feed's address; InputError with a sentence where it is not one of ours.

    tcp://127.0.0.1:5017    ntrip://user@host:2101/MOUNT    serial:///dev/ttyX?baud=115200    replay:///path?speed=10
    tcp-listen://[address]:5017 and udp://[address]:5017 are ports that we listen on, on this machine alone without an address.
    """
    shown = hidden_passwords(url)
    if NOT_ON_A_LINE.search(url) or NOT_ON_A_LINE.search(unquote(url)):
        raise InputError("An address holds no line breaks or control characters. Type it again.", field="url")
    try:
        parts = urlsplit(url)
        _ = parts.port if parts.scheme != "serial" else None  # raises where it is none
    except ValueError:
        raise InputError(f"'{shown}' has no valid port (1 to 65535).", field="url") from None
    if parts.scheme not in SCHEMES:
        raise InputError(f"'{shown}' is not an address of a feed. {HOW_TO_WRITE}", field="url")
    if parts.scheme == "replay":
        replay_speed(parts)
        return parts
    behind = parts.path + parts.query + parts.fragment
    if "@" in behind or "://" in behind:
        # A password in the second one would be stored as a mountpoint's name.
        raise InputError("That is more than one address. Type it once.", field="url")
    if parts.scheme == "serial":
        _check_serial(parts)
    else:
        _check_host(parts, shown, behind)
    return parts


def _check_serial(parts: SplitResult) -> None:
    if not serial_name(parts).strip("/"):
        raise InputError("The address names no serial port, such as serial:///dev/ttyX?baud=115200.", field="url")
    serial_baud(parts)


def _check_host(parts: SplitResult, shown: str, behind: str) -> None:
    if not parts.port or not (parts.hostname or parts.scheme in ("tcp-listen", "udp")):
        raise InputError(f"'{shown}' lacks a host or a port.", field="url")
    if parts.scheme == "ntrip" and not parts.path.strip("/"):
        raise InputError(f"'{shown}' names no mountpoint after the port.", field="url")
    if parts.scheme != "ntrip" and (behind.strip("/") or "@" in parts.netloc):
        raise InputError(f"'{shown}' has more than a host and a port. {HOW_TO_WRITE}", field="url")


def serial_name(parts: SplitResult) -> str:
    """Return the name of a serial port: a path, or COM3."""
    return unquote(parts.netloc + parts.path)


def serial_baud(parts: SplitResult) -> int:
    """Return the rate of a serial port; a cable without one is taken at 115 200, and the feed says so."""
    options = _options(parts, ("baud",))
    if "baud" not in options:
        return USUAL_BAUD
    text = options["baud"]
    if not re.fullmatch(r"[0-9]{1,8}", text) or not _BAUDS[0] <= int(text) <= _BAUDS[1]:
        raise InputError(f"A serial rate of '{text[:20]}' cannot be used; it lies from 300 to 4000000 baud.", field="url")
    return int(text)


def replay_speed(parts: SplitResult) -> float:
    """Return how many times as fast as it was recorded a file is played."""
    text = _options(parts, ("speed",)).get("speed", "1")
    try:
        speed = float(text)
    except ValueError:
        speed = 0.0
    if not 0.0 < speed <= _FASTEST_REPLAY:
        raise InputError(f"A replay speed of '{text[:20]}' cannot be used; it lies above 0 and up to {_FASTEST_REPLAY:.0f}.", field="url")
    return speed


def _options(parts: SplitResult, known: tuple[str, ...]) -> dict[str, str]:
    """Return what stands behind the question mark; InputError for a name that means nothing here."""
    options = dict(parse_qsl(parts.query, keep_blank_values=True))
    for name in options:
        if name not in known:
            raise InputError(f"'{name[:20]}' means nothing behind {parts.scheme}://; '{known[0]}' does.", field="url")
    return options
