"""Observation files, RINEX 2.10 to 3.05, to epochs.

Source: RINEX 2.11 and RINEX 3.05 (IGS/RTCM), the tables of the observation file.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime

from openstake.core.constants import GPS_MINUS_BEIDOU_S
from openstake.core.errors import FileError
from openstake.core.observation import ObservationEpoch, Observed
from openstake.core.time_scales import gps_minus_utc_s, gps_seconds

MOST_EPOCHS = 200_000  # two days at 1 Hz
_LONGEST_HEADER = 5000
_TIME_SYSTEMS = {"GPS": 0.0, "GAL": 0.0, "QZS": 0.0, "IRN": 0.0, "BDT": float(GPS_MINUS_BEIDOU_S)}
_OF_UTC = ("GLO", "UTC")
# What the two letters of RINEX 2 are in RINEX 3, for GPS; of the others where it differs.  Source: RINEX 3.05, table A23 (from memory).
_CODES_2 = {
    "C1": "C1C",
    "P1": "C1W",
    "P2": "C2W",
    "C2": "C2X",
    "C5": "C5X",
    "L1": "L1C",
    "L2": "L2W",
    "L5": "L5X",
    "D1": "D1C",
    "D2": "D2W",
    "D5": "D5X",
    "S1": "S1C",
    "S2": "S2W",
    "S5": "S5X",
}

_CODES_2_OF = {
    "R": {"P1": "C1P", "P2": "C2P", "C2": "C2C", "L2": "L2P", "D2": "D2P", "S2": "S2P"},
    "E": {"C1": "C1X", "L1": "L1X", "D1": "D1X", "S1": "S1X", **{f"{what}{band}": f"{what}{band}X" for what in "CLDS" for band in "678"}},
    "J": {},
}


@dataclass(frozen=True, kw_only=True)
class ObservationFile:
    """An observation file: what its header says, and its epochs, which are read as they are asked for."""

    version: float
    marker: str
    approximate_xyz_m: tuple[float, float, float] | None
    antenna_height_m: float
    epochs: Iterator[ObservationEpoch]


def header_of(lines: Iterator[str], name: str) -> list[tuple[str, str]]:
    """Return a RINEX header as (label, content); FileError where it has no end or no first line."""
    found: list[tuple[str, str]] = []
    for line in lines:
        label = line[60:80].strip()
        found.append((label, line[:60]))
        if len(found) == 1 and label != "RINEX VERSION / TYPE":
            raise FileError(f"{name} is not a RINEX file: its first line does not say its version.")
        if label == "END OF HEADER":
            return found
        if len(found) > _LONGEST_HEADER:
            break
    raise FileError(f"{name} is not a whole RINEX file: its header has no end.")


def version_and_type(header: list[tuple[str, str]], name: str) -> tuple[float, str]:
    """Return the version and the letter of the file's type."""
    try:
        return finite(header[0][1][:9]), header[0][1][20:21].upper()
    except ValueError:
        raise FileError(f"{name} says no RINEX version.") from None


def checked_header(lines: Iterator[str], name: str, kinds: str, what: str, most: float = 4.0) -> tuple[list[tuple[str, str]], float, str]:
    """Return the header, version and kind of a file of one of the kinds that are needed; FileError where it is another."""
    header = header_of(lines, name)
    version, found = version_and_type(header, name)
    if not found or found not in kinds:
        raise FileError(f"{name} is a RINEX file of type {found or '?'}; one of type {kinds[0]} ({what}) is needed here.")
    if not (2.0 <= version < most):
        raise FileError(f"{name} is RINEX {version:.2f}; versions 2 {'and 3' if most == 4.0 else 'to 4'} are read here.")
    return header, version, found


def read_observations(lines: Iterable[str], name: str = "The file") -> ObservationFile:
    """Return an observation file from its lines; FileError with a sentence where it is none, also while epochs are read.

    Satellites with codes that are not known here are left out; event records other than epochs are passed over.
    """
    lines = iter(lines)
    header, version, _ = checked_header(lines, name, "O", "observations")
    offset_s = _time_offset_s(header, name)
    reader = _epochs_2(lines, header, offset_s) if version < 3.0 else _epochs_3(lines, header, offset_s)
    try:
        place_m, height_m = _xyz(header), _height(header)
    except ValueError:
        raise FileError(f"{name} has words in its header where RINEX has numbers: position or antenna.") from None
    return ObservationFile(
        version=version,
        marker=_first(header, "MARKER NAME").strip(),
        approximate_xyz_m=place_m,
        antenna_height_m=height_m,
        epochs=_checked(reader, version, name),
    )


def _checked(reader: Iterator[ObservationEpoch], version: float, name: str) -> Iterator[ObservationEpoch]:
    count = 0
    try:
        for epoch in reader:
            count += 1
            if count > MOST_EPOCHS:
                raise FileError(f"{name} holds more than {MOST_EPOCHS} epochs. Cut it.")
            yield epoch
    except (ValueError, IndexError, StopIteration, RuntimeError, OverflowError):
        raise FileError(f"{name} has a line that is not as RINEX {version:.2f} has it; it may be cut.") from None
    if not count:
        raise FileError(f"{name} holds no epoch of observations.")


def finite(text: str) -> float:
    """Return a number of a RINEX field; ValueError for words, NaN and Infinity."""
    value = float(text)
    if value - value != 0.0:
        raise ValueError("not a finite number")
    return value


def _first(header: list[tuple[str, str]], label: str) -> str:
    return next((content for found, content in header if found == label), "")


def _xyz(header: list[tuple[str, str]]) -> tuple[float, float, float] | None:
    parts = [finite(part) for part in _first(header, "APPROX POSITION XYZ").split()]
    if len(parts) != 3 or not any(parts) or max(map(abs, parts)) > 1e8:
        return None
    return parts[0], parts[1], parts[2]


def _height(header: list[tuple[str, str]]) -> float:
    parts = _first(header, "ANTENNA: DELTA H/E/N").split()
    return finite(parts[0]) if parts else 0.0


def _time_offset_s(header: list[tuple[str, str]], name: str) -> float:
    first = _first(header, "TIME OF FIRST OBS")
    system = first[48:51].strip() or "GPS"
    if system in _OF_UTC:
        try:
            year, month, day = (int(part) for part in first[:18].split())
            return float(gps_minus_utc_s(gps_seconds(datetime(year, month, day), 0.0)))
        except ValueError:
            raise FileError(f"{name} has no date of its first observation, which its time in '{system}' needs.") from None
    if system not in _TIME_SYSTEMS:
        raise FileError(f"{name} counts time in '{system}', which is not read here.")
    return _TIME_SYSTEMS[system]


def _values(chunk: str, codes: list[str]) -> dict[str, Observed]:
    """Return the values of one satellite: 14.3 with loss of lock and strength behind each; blanks and zeros are absent."""
    found = {}
    for place, code in enumerate(codes):
        field = chunk[place * 16 : place * 16 + 16].ljust(16)
        value = finite(field[:14]) if field[:14].strip() else 0.0
        if value != 0.0:
            found[code] = Observed(value, int(field[14]) if field[14] in "0123456789" else 0)
    return found


def _codes_3(header: list[tuple[str, str]]) -> dict[str, list[str]]:
    codes: dict[str, list[str]] = {}
    letter = ""
    for label, content in header:
        if label == "SYS / # / OBS TYPES":
            letter = content[0].strip() or letter
            codes.setdefault(letter, []).extend(content[6:].split())
    return codes


def _epochs_3(lines: Iterator[str], header: list[tuple[str, str]], offset_s: float) -> Iterator[ObservationEpoch]:
    codes = _codes_3(header)
    for line in lines:
        if not line.startswith(">"):
            continue
        flag, count = int(line[29:32]), int(line[32:35])
        rows = [next(lines) for _ in range(count)]
        if flag > 1:
            continue
        year, month, day, hour, minute = (int(part) for part in line[2:18].split())
        time_s = gps_seconds(datetime(year, month, day, hour, minute), float(line[18:29])) + offset_s
        satellites = {}
        for row in rows:
            name = f"{row[0]}{int(row[1:3]):02d}"
            if row[0] in codes:
                satellites[name] = _values(row[3:], codes[row[0]])
        yield ObservationEpoch(time_s, satellites)


def _epochs_2(lines: Iterator[str], header: list[tuple[str, str]], offset_s: float) -> Iterator[ObservationEpoch]:
    types = [word for label, content in header if label == "# / TYPES OF OBSERV" for word in content[6:].split()]
    codes = {letter: [own.get(word, _CODES_2.get(word, word)) for word in types] for letter, own in {"G": {}, **_CODES_2_OF}.items()}
    rows_each = (len(types) + 4) // 5
    for line in lines:
        if not line.strip():
            continue
        flag, count = int(line[28:29]), int(line[29:32])
        if flag > 1:
            for _ in range(count if flag < 6 else count * rows_each):
                next(lines)
            continue
        year, month, day, hour, minute = (int(part) for part in line[1:15].split())
        time_s = gps_seconds(datetime(year + (1900 if year >= 80 else 2000), month, day, hour, minute), float(line[15:26]))
        listed = line[32:68].ljust(36)
        for _ in range((count - 1) // 12):
            listed += next(lines)[32:68].ljust(36)
        satellites = {}
        for place in range(count):
            text = listed[place * 3 : place * 3 + 3]
            # A blank letter is GPS in a file of GPS alone.
            name = f"{text[0] if text[0] != ' ' else 'G'}{int(text[1:]):02d}"
            chunk = "".join(next(lines).ljust(80)[:80] for _ in range(rows_each))
            if name[0] in codes:
                satellites[name] = _values(chunk, codes[name[0]])
        yield ObservationEpoch(time_s + offset_s, satellites)
