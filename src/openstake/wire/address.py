"""Addresses of feeds as people type them: read whole, and parted from a password before anything is stored."""

from __future__ import annotations

import re
from urllib.parse import SplitResult, unquote, urlsplit, urlunsplit

from openstake.core.errors import InputError

# Characters that end a line or steer a terminal: in a request to a caster they would begin another one.
CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]")
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


def split_url(url: str) -> SplitResult:
    """Return the parts of a feed's address; InputError with a sentence where it is not one of ours.

    tcp://127.0.0.1:5017    ntrip://user@host:2101/MOUNT    replay:///path?speed=10
    """
    shown = hidden_passwords(url)
    if CONTROL.search(url) or CONTROL.search(unquote(url)):
        raise InputError("An address holds no line breaks or control characters. Type it again.", field="url")
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError:
        raise InputError(f"'{shown}' has no valid port (1 to 65535).", field="url") from None
    if parts.scheme == "replay":
        return parts
    if parts.scheme not in ("tcp", "ntrip"):
        raise InputError(
            f"'{shown}' is not an address of a feed. Use tcp://host:port, ntrip://user@host:port/MOUNT or "
            "replay:///path?speed=10.",
            field="url",
        )
    behind = parts.path + parts.query + parts.fragment
    if "@" in behind or "://" in behind:
        # A password in the second one would be stored as a mountpoint's name.
        raise InputError("That is more than one address. Type it once.", field="url")
    if not parts.hostname or not port:
        raise InputError(f"'{shown}' lacks a host or a port.", field="url")
    if parts.scheme == "ntrip" and not parts.path.strip("/"):
        raise InputError(f"'{shown}' names no mountpoint after the port.", field="url")
    return parts
