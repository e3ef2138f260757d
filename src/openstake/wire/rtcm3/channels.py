"""Which frequency channel a GLONASS satellite uses, from the messages that say so."""

from __future__ import annotations

from openstake.wire.rtcm3.bits import BitReader


def channels_of(payload: bytes) -> dict[int, int]:
    """Return channels (−7 to 13) by satellite number from an MSM5 or MSM7 of GLONASS, a 1020, or a 1009 to 1012.

    Empty for any other message.  Source: RTCM 10403.3, DF419 (MSM), DF040 (1009 to 1012, 1020): both channel + 7.
    """
    bits = BitReader(payload)
    number = bits.unsigned(12)
    if number == 1020:
        satellite = bits.unsigned(6)
        return {satellite: bits.unsigned(5) - 7}
    if number in (1085, 1087):
        return _of_msm(bits)
    if number in _LEGACY_BITS:
        return _of_legacy(bits, _LEGACY_BITS[number])
    return {}


# Bits of one satellite in 1009 to 1012; satellite number (6), code (1) and channel (5) come first.
_LEGACY_BITS = {1009: 64, 1010: 79, 1011: 107, 1012: 130}


def _of_msm(bits: BitReader) -> dict[int, int]:
    bits.unsigned(12 + 30 + 19)
    mask = bits.unsigned(64)
    satellites = [place + 1 for place in range(64) if mask >> (63 - place) & 1]
    signals = bits.unsigned(32).bit_count()
    bits.unsigned(len(satellites) * signals)
    bits.column(len(satellites), 8)
    extended = bits.column(len(satellites), 4)
    return {satellite: value - 7 for satellite, value in zip(satellites, extended, strict=True) if value <= 13}


def _of_legacy(bits: BitReader, width: int) -> dict[int, int]:
    bits.unsigned(12 + 27 + 1)
    count = bits.unsigned(5)
    bits.unsigned(4)
    found = {}
    for _ in range(count):
        satellite = bits.unsigned(6)
        bits.unsigned(1)
        found[satellite] = bits.unsigned(5) - 7
        bits.unsigned(width - 12)
    return found
