"""The lines of a text that comes in pieces, unpacked where it is packed by gzip, in flat memory."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Iterator
from typing import Any

from openstake.core.errors import FileError

MOST_TEXT_BYTES = 256 << 20
_UNPACKED_BYTES = 1 << 20
_LONGEST_LINE = 1 << 16
_BYTE_ORDER_MARK = b"\xef\xbb\xbf"


def lines_in(pieces: Iterable[bytes], name: str, most_bytes: int = MOST_TEXT_BYTES) -> Iterator[str]:
    """Yield the lines of a text; FileError where it is damaged, too large or has a line that no text has."""
    rest, total = b"", 0
    for piece in _unpacked(pieces, name):
        if not total:
            piece = piece.removeprefix(_BYTE_ORDER_MARK)
        total += len(piece)
        if total > most_bytes:
            raise FileError(f"{name} holds more than {most_bytes >> 20} MB of text. Cut it.")
        *whole, rest = (rest + piece).split(b"\n")
        if len(rest) > _LONGEST_LINE:
            raise FileError(f"{name} has a line of more than {_LONGEST_LINE} characters: it is not a RINEX file.")
        yield from (line.rstrip(b"\r").decode("latin-1") for line in whole)
    if rest:
        yield rest.decode("latin-1")


def _unpacked(pieces: Iterable[bytes], name: str) -> Iterator[bytes]:
    unpack: Any = None
    for number, piece in enumerate(pieces):
        if number == 0 and piece[:2] == b"\x1f\x8b":
            unpack = zlib.decompressobj(wbits=31)
        if unpack is None:
            yield piece
            continue
        try:
            while piece:
                yield unpack.decompress(piece, _UNPACKED_BYTES)
                piece = unpack.unconsumed_tail
        except zlib.error:
            raise FileError(f"{name} is packed by gzip and damaged.") from None
    if unpack is not None and not unpack.eof:
        raise FileError(f"{name} is packed by gzip and damaged.")
