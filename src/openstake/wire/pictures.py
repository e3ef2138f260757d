"""Photos: what kind of picture a file is, by our own reading of its header.

Source: ISO/IEC 10918-1 (JPEG, markers), ISO/IEC 15948 (PNG, IHDR and IEND).
"""

from __future__ import annotations

import struct

from openstake.core.errors import FileError

MOST_PIXELS = 30_000  # a side
_PNG = b"\x89PNG\r\n\x1a\n"
_SIZE_MARKERS = set(range(0xC0, 0xD0)) - {0xC4, 0xC8, 0xCC}


def picture_of(content: bytes, name: str) -> tuple[str, str]:
    """Return the media type and the ending of a picture; FileError for what is none, or not whole."""
    if content.startswith(_PNG):
        size, kind = _png_size(content), ("image/png", "png")
    elif content.startswith(b"\xff\xd8\xff"):
        size, kind = _jpeg_size(content), ("image/jpeg", "jpg")
    else:
        raise FileError(f"{name or 'The file'} is not a JPEG or PNG picture.")
    if size is None:
        raise FileError(f"{name or 'The picture'} is not whole. Take it again, or send it again.")
    if not all(0 < side <= MOST_PIXELS for side in size):
        raise FileError(f"{name or 'The picture'} says it is {size[0]} x {size[1]} pixels, which no camera makes.")
    return kind


def _png_size(content: bytes) -> tuple[int, int] | None:
    if len(content) < 33 or content[12:16] != b"IHDR" or b"IEND" not in content[-64:]:
        return None
    width, height = struct.unpack(">II", content[16:24])
    return width, height


def _jpeg_size(content: bytes) -> tuple[int, int] | None:
    at = 2
    while at + 9 <= len(content) and content[at] == 0xFF:
        marker = content[at + 1]
        if marker in _SIZE_MARKERS:
            height, width = struct.unpack(">HH", content[at + 5 : at + 9])
            return (width, height) if b"\xff\xd9" in content[at:] else None
        at += 1 if marker == 0xFF else 2 + int.from_bytes(content[at + 2 : at + 4], "big")
    return None
