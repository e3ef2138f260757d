"""Multiple signal messages, forms 1 to 7, for every constellation that has them; and MSM4 the other way.

Source: RTCM 10403.3, section 3.5.16: header 169 bits + cell mask, then satellite columns, then signal columns.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields

from openstake.core.constants import DAY_S, GPS_MINUS_BEIDOU_S, GPS_MINUS_UTC_S, MOSCOW_MINUS_UTC_S, SPEED_OF_LIGHT_M_S, WEEK_S
from openstake.core.evidence import ObservableSet
from openstake.wire.rtcm3.bits import BitReader, BitWriter
from openstake.wire.rtcm3.frame import frame_bytes

CONSTELLATION_BY_DECADE = {107: "GPS", 108: "GLONASS", 109: "Galileo", 110: "SBAS", 111: "QZSS", 112: "BeiDou", 113: "NavIC"}
METRES_PER_MS = SPEED_OF_LIGHT_M_S / 1000.0
MOST_CELLS = 64
_NO_RANGE_MS = 255  # DF397: no valid rough range
_NO_RATE = -8192  # DF399: no valid rough rate
# Widths of pseudorange, phase range, lock time and carrier-to-noise of the forms.
_WIDTHS = {
    1: (15, 0, 0, 0),
    2: (0, 22, 4, 0),
    3: (15, 22, 4, 0),
    4: (15, 22, 4, 6),
    5: (15, 22, 4, 6),
    6: (20, 24, 10, 10),
    7: (20, 24, 10, 10),
}
_NO_FINE = {15: -(1 << 14), 20: -(1 << 19), 22: -(1 << 21), 24: -(1 << 23)}


def is_msm(number: int) -> bool:
    """Tell whether a message number is an MSM of a known constellation."""
    return number // 10 in CONSTELLATION_BY_DECADE and 1 <= number % 10 <= 7


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """One satellite and signal; ranges in metres, None where the message marks them invalid or does not carry them."""

    satellite: int
    signal: int
    pseudorange_m: float | None
    phase_range_m: float | None
    lock: int | None
    half_cycle: bool | None
    cnr_dbhz: float | None
    phase_rate_m_s: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class CellColumns:
    """The cells of an MSM, column by column as it sends them: what `Cell` says of one."""

    satellite: Sequence[int]
    signal: Sequence[int]
    pseudorange_m: Sequence[float | None]
    phase_range_m: Sequence[float | None]
    lock: Sequence[int | None]
    half_cycle: Sequence[bool | None]
    cnr_dbhz: Sequence[float | None]
    phase_rate_m_s: Sequence[float | None]

    def __len__(self) -> int:
        return len(self.satellite)


_COLUMNS = tuple(item.name for item in fields(Cell))


@dataclass(frozen=True, slots=True, kw_only=True)
class Msm:
    """One decoded MSM; `time_s` is GPS seconds of the week, of an unknown day where `day_known` is not (GLONASS, day 7)."""

    number: int
    station_id: int
    time_s: float
    more_follow: bool
    satellites: tuple[int, ...]
    columns: CellColumns
    day_known: bool = True

    @property
    def cells(self) -> tuple[Cell, ...]:
        """The same, cell by cell."""
        rows = zip(*(getattr(self.columns, name) for name in _COLUMNS), strict=True)
        return tuple(Cell(**dict(zip(_COLUMNS, row, strict=True))) for row in rows)

    @property
    def constellation(self) -> str:
        return CONSTELLATION_BY_DECADE[self.number // 10]

    @property
    def form(self) -> str:
        return f"MSM{self.number % 10}"

    @property
    def size(self) -> ObservableSet:
        return ObservableSet(
            constellation=self.constellation, form=self.form, satellites=len(self.satellites), cells=len(self.columns), time_s=self.time_s
        )


def gps_time_of_week_s(decade: int, epoch_field: int) -> float:
    """Return GPS seconds of the week of an MSM epoch field (30 bits) in its constellation's own time."""
    if decade == 108:
        day, milliseconds = epoch_field >> 27, epoch_field & 0x7FFFFFF
        # Day 7 means unknown: the time of day is all there is.
        return _gps_from_moscow(milliseconds / 1000.0, day if day < 7 else 0)
    seconds = epoch_field / 1000.0
    return (seconds + GPS_MINUS_BEIDOU_S) % WEEK_S if decade == 112 else seconds


def _gps_from_moscow(time_of_day_s: float, day: int) -> float:
    return (day * DAY_S + time_of_day_s - MOSCOW_MINUS_UTC_S + GPS_MINUS_UTC_S) % WEEK_S


def epoch_field(decade: int, gps_time_of_week_s: float) -> int:
    """Return the 30-bit epoch field for GPS seconds of the week: the inverse of `gps_time_of_week_s`."""
    milliseconds = round(gps_time_of_week_s * 1000.0) % (WEEK_S * 1000)
    if decade == 108:
        moscow = (milliseconds + (MOSCOW_MINUS_UTC_S - GPS_MINUS_UTC_S) * 1000) % (WEEK_S * 1000)
        return (moscow // (DAY_S * 1000)) << 27 | moscow % (DAY_S * 1000)
    if decade == 112:
        return (milliseconds - GPS_MINUS_BEIDOU_S * 1000) % (WEEK_S * 1000)
    return milliseconds


def _places(mask: int, width: int) -> list[int]:
    """Return the numbers, from 1, of the bits that are set, the most significant first."""
    found = []
    while mask:
        top = mask.bit_length()
        found.append(width - top + 1)
        mask ^= 1 << (top - 1)
    return found


def satellites_of(payload: bytes) -> frozenset[int]:
    """Return the satellite numbers in an MSM's mask."""
    bits = BitReader(payload)
    bits.unsigned(12 + 12 + 30 + 19)
    return frozenset(_places(bits.unsigned(64), 64))


def cells_of(payload: bytes) -> frozenset[tuple[int, int]]:
    """Return the satellites and signals of an MSM's cells: what is counted once where an epoch comes in several messages."""
    bits = BitReader(payload)
    bits.unsigned(12 + 12 + 30 + 19)
    satellites, signals = _places(bits.unsigned(64), 64), _places(bits.unsigned(32), 32)
    pairs = [(satellite, signal) for satellite in satellites for signal in signals]
    mask = bits.unsigned(len(pairs))
    return frozenset(pair for place, pair in enumerate(pairs) if mask >> (len(pairs) - 1 - place) & 1)


def decode_size(payload: bytes) -> tuple[int, ObservableSet]:
    """Return the station ID and the size of an MSM from its header alone: satellites and cells sent."""
    bits = BitReader(payload)
    number, station_id, field = bits.unsigned(12), bits.unsigned(12), bits.unsigned(30)
    bits.unsigned(19)
    satellites, signals = bits.unsigned(64).bit_count(), bits.unsigned(32).bit_count()
    cells = bits.unsigned(satellites * signals).bit_count()
    name = CONSTELLATION_BY_DECADE[number // 10]
    return station_id, ObservableSet(
        constellation=name, form=f"MSM{number % 10}", satellites=satellites, cells=cells, time_s=gps_time_of_week_s(number // 10, field)
    )


def decode_msm(payload: bytes) -> Msm:
    """Return every field of an MSM; ValueError where the message is shorter than it claims."""
    bits = BitReader(payload)
    number, station_id, field = bits.unsigned(12), bits.unsigned(12), bits.unsigned(30)
    more = bool(bits.unsigned(1))
    bits.unsigned(3 + 7 + 2 + 2 + 1 + 3)
    satellites, signals = _places(bits.unsigned(64), 64), _places(bits.unsigned(32), 32)
    cell_mask = bits.unsigned(len(satellites) * len(signals))
    form, n_sat = number % 10, len(satellites)

    whole_ms = bits.column(n_sat, 8) if form >= 4 else [0] * n_sat
    if form in (5, 7):
        bits.unsigned(n_sat * 4)
    part_ms = bits.column(n_sat, 10)
    rough_rate: Sequence[int | None] = bits.signed_column(n_sat, 14) if form in (5, 7) else [None] * n_sat
    rough_m = [
        None if whole == _NO_RANGE_MS and form >= 4 else (whole + part / 1024.0) * METRES_PER_MS
        for whole, part in zip(whole_ms, part_ms, strict=True)
    ]

    pairs = [divmod(place - 1, len(signals)) for place in _places(cell_mask, n_sat * len(signals))]
    count = len(pairs)
    code_width, phase_width, lock_width, cnr_width = _WIDTHS[form]
    code = bits.signed_column(count, code_width) if code_width else None
    phase = bits.signed_column(count, phase_width) if phase_width else None
    lock: Sequence[int | None] = bits.column(count, lock_width) if lock_width else [None] * count
    half: Sequence[bool | None] = [bool(bit) for bit in bits.column(count, 1)] if lock_width else [None] * count
    cnr = bits.column(count, cnr_width) if cnr_width else [0] * count
    rate = bits.signed_column(count, 15) if form in (5, 7) else None

    rough = [rough_m[row] for row, _ in pairs]
    code_unit = METRES_PER_MS * 2.0 ** (-24 if code_width == 15 else -29)
    phase_unit = METRES_PER_MS * 2.0 ** (-29 if phase_width == 22 else -31)
    part = 1.0 if cnr_width == 6 else 1.0 / 16.0
    columns = CellColumns(
        satellite=[satellites[row] for row, _ in pairs],
        signal=[signals[column] for _, column in pairs],
        pseudorange_m=_joined(rough, code, _NO_FINE.get(code_width), code_unit),
        phase_range_m=_joined(rough, phase, _NO_FINE.get(phase_width), phase_unit),
        lock=lock,
        half_cycle=half,
        cnr_dbhz=[value * part if value else None for value in cnr],
        phase_rate_m_s=_joined([None if rough_rate[row] == _NO_RATE else rough_rate[row] for row, _ in pairs], rate, _NO_FINE[15], 0.0001),
    )
    day_known = number // 10 != 108 or field >> 27 < 7
    time_s = gps_time_of_week_s(number // 10, field)
    return Msm(
        number=number,
        station_id=station_id,
        time_s=time_s,
        more_follow=more,
        satellites=tuple(satellites),
        columns=columns,
        day_known=day_known,
    )


def _joined(rough: Sequence[float | None], fine: Sequence[int] | None, invalid: int | None, unit: float) -> list[float | None]:
    """Return a column in its whole and its parts: None where either is not valid, or not sent."""
    if fine is None:
        return [None] * len(rough)
    return [None if whole is None or part == invalid else whole + part * unit for whole, part in zip(rough, fine, strict=True)]


@dataclass(frozen=True, slots=True, kw_only=True)
class Observation:
    """What MSM4 sends of one satellite and signal: ranges in metres, lock in seconds, C/N0 in dB-Hz."""

    pseudorange_m: float
    phase_range_m: float
    lock_s: float
    cnr_dbhz: float


def lock_indicator(lock_s: float) -> int:
    """Return DF402: 0 below 32 ms, then doubling steps, 15 from 524.288 s.  Source: RTCM 10403.3, table 3.5-74."""
    milliseconds = max(0.0, lock_s * 1000.0)
    return min(15, (int(milliseconds) >> 4).bit_length() - 1) if milliseconds >= 32 else 0


def encode_msm4(
    number: int, station_id: int, time_of_week_s: float, observations: Mapping[tuple[int, int], Observation], more_follow: bool
) -> bytes:
    """Return the frame of one MSM4; `observations` is keyed by (satellite, signal), at most 64 cells.

    The mask of cells is satellites × signals; ValueError where that exceeds 64 (split before).
    """
    satellites = sorted({satellite for satellite, _ in observations})
    signals = sorted({signal for _, signal in observations})
    if len(satellites) * len(signals) > MOST_CELLS:
        raise ValueError(f"{len(satellites)} satellites × {len(signals)} signals: an MSM holds {MOST_CELLS} cells")
    bits = BitWriter()
    bits.unsigned(number, 12).unsigned(station_id, 12).unsigned(epoch_field(number // 10, time_of_week_s), 30)
    bits.unsigned(int(more_follow), 1).unsigned(0, 3).unsigned(0, 7).unsigned(0, 2).unsigned(0, 2)
    bits.unsigned(0, 1).unsigned(0, 3)
    bits.unsigned(sum(1 << (64 - satellite) for satellite in satellites), 64)
    bits.unsigned(sum(1 << (32 - signal) for signal in signals), 32)
    cells = [(sat, sig) for sat in satellites for sig in signals]
    for cell in cells:
        bits.unsigned(int(cell in observations), 1)
    sent = [cell for cell in cells if cell in observations]
    rough = {satellite: _rough_1024(satellite, sent, observations) for satellite in satellites}
    for satellite in satellites:
        bits.unsigned(rough[satellite] >> 10, 8)
    for satellite in satellites:
        bits.unsigned(rough[satellite] & 0x3FF, 10)
    fine_ms = {
        cell: (
            observations[cell].pseudorange_m / METRES_PER_MS - rough[cell[0]] / 1024.0,
            observations[cell].phase_range_m / METRES_PER_MS - rough[cell[0]] / 1024.0,
        )
        for cell in sent
    }
    for cell in sent:
        bits.signed(round(fine_ms[cell][0] * 2.0**24), 15)
    for cell in sent:
        bits.signed(round(fine_ms[cell][1] * 2.0**29), 22)
    for cell in sent:
        bits.unsigned(lock_indicator(observations[cell].lock_s), 4)
    bits.unsigned(0, len(sent))
    for cell in sent:
        bits.unsigned(max(1, min(63, round(observations[cell].cnr_dbhz))), 6)
    return frame_bytes(bits.payload())


def _rough_1024(satellite: int, sent: Sequence[tuple[int, int]], observations: Mapping[tuple[int, int], Observation]) -> int:
    """Return the satellite's rough range in 1/1024 ms: nearest to its first pseudorange."""
    first = next(cell for cell in sent if cell[0] == satellite)
    return round(observations[first].pseudorange_m / METRES_PER_MS * 1024.0)
