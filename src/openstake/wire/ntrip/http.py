"""Requests and replies of NTRIP 1 and 2 as text, and chunked bodies.

Source: RTCM 10410.1 (NTRIP 2.0) with its annex on version 1; RFC 9112 for chunks; RFC 7617 for Basic.
"""

from __future__ import annotations

import base64
import binascii
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from urllib.parse import urlsplit

from openstake.core.describe import NOT_ON_A_LINE
from openstake.core.errors import InputError

AGENT = "NTRIP OpenStake/0.1"
LONGEST_HEAD = 8192


@dataclass(frozen=True, kw_only=True)
class Request:
    """A request's head: `method` is GET, POST or SOURCE; header names are in lower case."""

    method: str
    mount: str
    headers: Mapping[str, str]
    source_password: str | None = None

    @property
    def version(self) -> int:
        return 2 if self.headers.get("ntrip-version", "").lower().startswith("ntrip/2") else 1

    @property
    def credentials(self) -> tuple[str, str] | None:
        """User and password of a Basic header; None where there is none or it is garbled."""
        scheme, _, coded = self.headers.get("authorization", "").partition(" ")
        if scheme.lower() != "basic":
            return None
        try:
            user, colon, password = base64.b64decode(coded, validate=True).decode().partition(":")
        except (binascii.Error, UnicodeDecodeError):
            return None
        return (user, password) if colon else None


def parse_request(head: bytes) -> Request:
    """Return the request of a head (up to its blank line); ValueError where it is none."""
    lines = head.decode("latin-1").replace("\r\n", "\n").split("\n")
    words = lines[0].split()
    headers = parse_headers(lines[1:])
    if len(words) >= 3 and words[0] == "SOURCE":
        return Request(method="SOURCE", mount=words[2].lstrip("/"), headers=headers, source_password=words[1])
    if len(words) == 2 and words[0] == "SOURCE":
        return Request(method="SOURCE", mount=words[1].lstrip("/"), headers=headers, source_password="")
    if len(words) == 3 and words[0] in ("GET", "POST") and words[2].startswith("HTTP/1."):
        # A target may be a whole address (RFC 9112, 3.2.2): its path names the mountpoint.
        return Request(method=words[0], mount=urlsplit(words[1]).path.lstrip("/"), headers=headers)
    raise ValueError(f"'{lines[0][:60]}' is not a request of NTRIP 1 or 2")


def parse_headers(lines: list[str]) -> dict[str, str]:
    """Return header lines as a mapping with names in lower case."""
    pairs = (line.partition(":") for line in lines if ":" in line)
    return {name.strip().lower(): value.strip() for name, _, value in pairs}


def basic(user: str, password: str) -> str:
    return "Basic " + base64.b64encode(f"{user}:{password}".encode()).decode()


def _check_words(host: str, mount: str, user: str | None) -> None:
    for field, word in (("host", host), ("mountpoint", mount), ("user", user or "")):
        if NOT_ON_A_LINE.search(word) or (field != "user" and re.search(r"\s", word)):
            raise InputError(f"The {field} holds a blank, a line break or a control character. Type it again.", field=field)


def get_request(host: str, mount: str, version: int, user: str | None, password: str | None) -> bytes:
    """Return the request for a mountpoint's stream, or for the source table where `mount` is empty.

    InputError where host, mountpoint or user hold a line break, a control character or a blank: another request, say.
    """
    _check_words(host, mount, user)
    lines = [f"GET /{mount} HTTP/1.{'1' if version == 2 else '0'}", f"Host: {host}", f"User-Agent: {AGENT}"]
    if version == 2:
        lines += ["Ntrip-Version: Ntrip/2.0", "Connection: close"]
    if user is not None:
        lines.append(f"Authorization: {basic(user, password or '')}")
    return ("\r\n".join(lines) + "\r\n\r\n").encode("latin-1", "replace")


def source_request(mount: str, password: str) -> bytes:
    """Return the NTRIP 1 request with which a base pushes its stream."""
    _check_words("", mount, password)
    return f"SOURCE {password} /{mount}\r\nSource-Agent: {AGENT}\r\n\r\n".encode("latin-1", "replace")


def push_request(host: str, mount: str, user: str, password: str) -> bytes:
    """Return the NTRIP 2 request with which a base pushes its stream, in chunks."""
    _check_words(host, mount, user)
    lines = (
        f"POST /{mount} HTTP/1.1",
        f"Host: {host}",
        f"User-Agent: {AGENT}",
        "Ntrip-Version: Ntrip/2.0",
        f"Authorization: {basic(user, password)}",
        "Content-Type: gnss/data",
        "Transfer-Encoding: chunked",
        "Connection: close",
    )
    return ("\r\n".join(lines) + "\r\n\r\n").encode("latin-1", "replace")


@dataclass(frozen=True, kw_only=True)
class Reply:
    """A reply's head: what kind of answer it is, and whether its body comes in chunks."""

    status: int
    line: str
    headers: Mapping[str, str]
    source_table: bool

    @property
    def is_page(self) -> bool:
        """Whether it is a page for people: what stands in front of the caster, not the caster."""
        moved = 300 <= self.status < 400 or self.status == 511  # RFC 6585, 6: sign in to the network first
        return moved or self.headers.get("content-type", "").lower().startswith(("text/html", "application/xhtml"))

    @property
    def chunked(self) -> bool:
        return self.headers.get("transfer-encoding", "").lower() == "chunked"


def parse_reply(head: bytes) -> Reply:
    """Return the reply of a head; `ICY 200 OK` and `SOURCETABLE 200 OK` are version 1's."""
    lines = head.decode("latin-1").replace("\r\n", "\n").split("\n")
    first, headers = lines[0].strip(), parse_headers(lines[1:])
    if first.startswith(("ERROR", "OK")):
        return Reply(status=200 if first.startswith("OK") else 401, line=first, headers=headers, source_table=False)
    words = first.split()
    if len(words) < 2 or not words[1].isdigit():
        raise ValueError(f"'{first[:60]}' is not a reply of a caster")
    table = words[0] == "SOURCETABLE" or "gnss/sourcetable" in headers.get("content-type", "")
    return Reply(status=int(words[1]), line=first, headers=headers, source_table=table)


def chunk(data: bytes) -> bytes:
    return b"%x\r\n%b\r\n" % (len(data), data)


_SIZE = re.compile(rb"[0-9A-Fa-f]{1,8}")


class ChunkReader:
    """Takes a chunked body apart; ValueError where it is not one."""

    def __init__(self) -> None:
        self._buffer = b""
        self._left = 0
        self.ended = False

    def feed(self, data: bytes) -> Iterator[bytes]:
        """Yield the content of the chunks in `data`."""
        self._buffer += data
        while self._buffer and not self.ended:
            if self._left > 2:
                piece = self._buffer[: self._left - 2]
                self._buffer = self._buffer[len(piece) :]
                self._left -= len(piece)
                if piece:
                    yield piece
                continue
            if self._left:
                if len(self._buffer) < self._left:
                    return
                if self._buffer[: self._left] != b"\r\n"[-self._left :]:
                    raise ValueError("a chunk that does not end where it says")
                self._buffer, self._left = self._buffer[self._left :], 0
                continue
            size, mark, rest = self._buffer.partition(b"\r\n")
            if not mark:
                if len(size) > 64:
                    raise ValueError("a chunk without a size")
                return
            digits = size.split(b";")[0].strip()
            if not _SIZE.fullmatch(digits):
                raise ValueError(f"'{digits[:20].decode('ascii', 'replace')}' where the size of a chunk is")
            self._buffer, length = rest, int(digits, 16)
            self.ended = length == 0
            self._left = length + 2
