"""Legacy observables 1001 to 1004 (GPS) and 1009 to 1012 (GLONASS): how much they hold.

Source: RTCM 10403.3, tables 3.5-1 to 3.5-4 and 3.5-9 to 3.5-13.
"""

from __future__ import annotations

from openstake.core.constants import DAY_S, GPS_MINUS_UTC_S, MOSCOW_MINUS_UTC_S
from openstake.core.evidence import ObservableSet
from openstake.wire.rtcm3.bits import BitReader

# Bits of one satellite, and where its second-band pseudorange difference (14 bits) starts, if there is one.
_LAYOUT = {
    1001: (58, None),
    1002: (74, None),
    1003: (101, 60),
    1004: (125, 76),
    1009: (64, None),
    1010: (79, None),
    1011: (107, 66),
    1012: (130, 81),
}
_NO_SECOND_BAND = 0x2000


def is_legacy(number: int) -> bool:
    """Tell whether a message number is a legacy observable."""
    return number in _LAYOUT


def decode_size(payload: bytes) -> tuple[int, ObservableSet]:
    """Return the station ID and size; a satellite whose second band is marked invalid counts one cell."""
    bits = BitReader(payload)
    number, station_id = bits.unsigned(12), bits.unsigned(12)
    gps = number < 1005
    time_s = bits.unsigned(30) / 1000.0 if gps else bits.unsigned(27) / 1000.0
    bits.unsigned(1)
    satellites = bits.unsigned(5)
    bits.unsigned(4)
    width, second_band = _LAYOUT[number]
    cells = satellites
    for _ in range(satellites):
        if second_band is None:
            bits.unsigned(width)
            continue
        bits.unsigned(second_band)
        cells += bits.unsigned(14) != _NO_SECOND_BAND
        bits.unsigned(width - second_band - 14)
    if not gps:
        time_s = (time_s - MOSCOW_MINUS_UTC_S + GPS_MINUS_UTC_S) % DAY_S
    return station_id, ObservableSet(
        constellation="GPS" if gps else "GLONASS", form="legacy", satellites=satellites, cells=cells, time_s=time_s
    )
