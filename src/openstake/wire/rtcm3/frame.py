"""The RTCM 3 frame: preamble, length, payload, CRC-24Q; found in any stream of bytes, however damaged."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

PREAMBLE = 0xD3
_OVERHEAD = 6
LONGEST_FRAME = 1023 + _OVERHEAD
_POLYNOMIAL = 0x1864CFB
_PIECE_BYTES = 1 << 15


def _table() -> tuple[int, ...]:
    rows = []
    for byte in range(256):
        crc = byte << 16
        for _ in range(8):
            crc = (crc << 1) ^ (_POLYNOMIAL if crc & 0x800000 else 0)
        rows.append(crc & 0xFFFFFF)
    return tuple(rows)


_TABLE = _table()


def crc24q(data: bytes) -> int:
    """Return the 24-bit checksum of RTCM 3 (polynomial 0x1864CFB, start 0).  Source: RTCM 10403.3, section 4."""
    crc = 0
    for byte in data:
        crc = ((crc << 8) & 0xFFFFFF) ^ _TABLE[(crc >> 16) ^ byte]
    return crc


def _powers(count: int) -> NDArray[np.uint32]:
    """Return x^(16 - 8 j + k) modulo the polynomial for j below `count` and k = 0 ... 7, shape (8, count)."""
    rows, power = [], 1 << 16
    for _ in range(count):
        row = [power]
        for _ in range(7):
            row.append((row[-1] << 1) ^ (_POLYNOMIAL if row[-1] & 0x800000 else 0))
        rows.append(row)
        for _ in range(8):  # divided by x: the polynomial ends in 1
            power = (power ^ _POLYNOMIAL) >> 1 if power & 1 else power >> 1
    return np.array(rows, dtype=np.uint32).T.copy()


@cache
def _all_powers() -> NDArray[np.uint32]:
    return _powers(_PIECE_BYTES + LONGEST_FRAME)


def _marks(data: bytes) -> list[int]:
    """Return a mark before each byte and after the last, such that a stretch is a whole frame's where its two are equal.

    With P(i) the checksum of the first i bytes, the checksum of a stretch a to b is P(b) - P(a) x^(8 (b - a)): it is 0, as
    over a frame with its checksum, just where P(i) x^(-8 i) is the same at both ends.  So any number of places that look
    like a frame cost one comparison each, where each would cost a thousand bytes of checksum.
    """
    values = np.frombuffer(data, dtype=np.uint8)
    terms = np.zeros(len(data), dtype=np.uint32)
    for bit in range(8):
        terms ^= np.where(values & (1 << bit), _all_powers()[bit, : len(data)], 0).astype(np.uint32)
    marks: list[int] = np.bitwise_xor.accumulate(terms).tolist()
    return [0, *marks]


def frame_bytes(payload: bytes) -> bytes:
    """Return the frame around a payload of at most 1023 bytes."""
    if len(payload) > 1023:
        raise ValueError(f"payload of {len(payload)} bytes; an RTCM 3 frame holds 1023")
    head = bytes([PREAMBLE, len(payload) >> 8, len(payload) & 0xFF]) + payload
    return head + crc24q(head).to_bytes(3, "big")


@dataclass(frozen=True, slots=True)
class Frame:
    """One whole frame: its message number (0 where it has none) and its place in the stream, in bytes."""

    payload: bytes
    offset: int
    number: int

    @property
    def size(self) -> int:
        return len(self.payload) + _OVERHEAD


class FrameReader:
    """Finds frames in bytes that arrive in any pieces; holds at most one frame's bytes back.

    `bad_crc` counts frames that were damaged: a header where a frame was due, or one whose end meets the next header,
    with a checksum that fails.  `skipped_bytes` counts every byte outside whole frames, `reserved` the whole frames whose
    six reserved bits are not zero: they are read where a frame is due, and anywhere once one was read.
    """

    def __init__(self) -> None:
        self._buffer = b""
        self._offset = 0
        self._due = True
        self.frames = 0
        self.bad_crc = 0
        self.reserved = 0
        self.skipped_bytes = 0

    def feed(self, data: bytes) -> Iterator[Frame]:
        """Yield the frames completed by `data`."""
        for start in range(0, len(data), _PIECE_BYTES):
            self._buffer += data[start : start + _PIECE_BYTES]
            yield from self._scan(final=False)

    def close(self) -> Iterator[Frame]:
        """Yield what whole frames hide in the bytes held back; the rest is skipped."""
        yield from self._scan(final=True)

    def _scan(self, final: bool) -> Iterator[Frame]:
        buffer, marks = self._buffer, _marks(self._buffer)
        start = skipped_to = 0
        while (at := self._candidate(start, skipped_to)) >= 0:
            self._due = self._due and at == skipped_to
            size = ((buffer[at + 1] & 3) << 8 | buffer[at + 2]) + _OVERHEAD if len(buffer) - at >= 3 else LONGEST_FRAME
            end = at + size
            if end > len(buffer):
                if not final:
                    break
                self._due = False
            elif marks[at] == marks[end]:
                self.frames += 1
                self.reserved += buffer[at + 1] > 3
                self.skipped_bytes += at - skipped_to
                number = (buffer[at + 3] << 4) | (buffer[at + 4] >> 4) if size >= _OVERHEAD + 2 else 0
                yield Frame(buffer[at + 3 : end - 3], self._offset + at, number)
                start = skipped_to = end
                self._due = True
                continue
            elif buffer[at + 1] <= 3 and (self._due or self._is_header(end)):
                self.bad_crc += 1
            self._due = False
            start = at + 1
        else:
            at = len(buffer)
            self._due = self._due and at == skipped_to
        self.skipped_bytes += at - skipped_to
        self._offset += at
        self._buffer = buffer[at:]

    def _is_header(self, at: int) -> bool:
        return self._buffer[at : at + 1] == b"\xd3" and self._buffer[at + 1 : at + 2] <= b"\x03" and at + 1 < len(self._buffer)

    def _candidate(self, start: int, skipped_to: int) -> int:
        """Return where the next frame may begin; -1 where none does."""
        buffer = self._buffer
        at = buffer.find(b"\xd3", start)
        while at >= 0 and at + 1 < len(buffer) and buffer[at + 1] > 3:
            if self.reserved or (self._due and at == skipped_to):
                return at
            at = buffer.find(b"\xd3", at + 1)
        return at
