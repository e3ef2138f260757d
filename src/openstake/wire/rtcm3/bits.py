"""Bit fields, most significant first, as RTCM 3 packs them."""

from __future__ import annotations


class BitReader:
    """Reads fields one after the other; ValueError when the message is too short for what it claims."""

    __slots__ = ("_left", "_value", "length")

    def __init__(self, payload: bytes) -> None:
        self._value = int.from_bytes(payload, "big")
        self.length = len(payload) * 8
        self._left = self.length

    def unsigned(self, width: int) -> int:
        self._left -= width
        if self._left < 0:
            raise ValueError("message shorter than its fields")
        return (self._value >> self._left) & ((1 << width) - 1)

    def signed(self, width: int) -> int:
        value = self.unsigned(width)
        return value - (1 << width) if value >> (width - 1) else value

    def column(self, count: int, width: int) -> list[int]:
        """Return `count` unsigned fields of one width, as the MSM lays out its columns."""
        block = self.unsigned(count * width)
        mask = (1 << width) - 1
        return [(block >> shift) & mask for shift in range((count - 1) * width, -1, -width)]

    def signed_column(self, count: int, width: int) -> list[int]:
        top, span = 1 << (width - 1), 1 << width
        return [value - span if value & top else value for value in self.column(count, width)]

    def text(self, count: int) -> str:
        return bytes(self.column(count, 8)).decode("latin-1") if count else ""


class BitWriter:
    """Appends fields one after the other; ValueError where a value does not fit its field."""

    __slots__ = ("_value", "length")

    def __init__(self) -> None:
        self._value = 0
        self.length = 0

    def unsigned(self, value: int, width: int) -> BitWriter:
        if not 0 <= value < (1 << width):
            raise ValueError(f"{value} does not fit in {width} bits")
        self._value = (self._value << width) | value
        self.length += width
        return self

    def signed(self, value: int, width: int) -> BitWriter:
        if not -(1 << (width - 1)) <= value < (1 << (width - 1)):
            raise ValueError(f"{value} does not fit in {width} signed bits")
        return self.unsigned(value & ((1 << width) - 1), width)

    def text(self, value: str) -> BitWriter:
        """Append a count of 8 bits and the characters, at most 31 as the standard has it."""
        encoded = value.encode("latin-1", "replace")[:31]
        self.unsigned(len(encoded), 8)
        for byte in encoded:
            self.unsigned(byte, 8)
        return self

    def payload(self) -> bytes:
        spare = -self.length % 8
        return (self._value << spare).to_bytes((self.length + spare) // 8, "big")
