"""ANTEX: mean phase centres of receiver antennas.  Source: ANTEX 1.4 (Rothacher and Schmid, 2010); labels in columns 61-80."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from openstake.core.errors import FileError
from openstake.core.kit.gear import PhaseCentre

MOST_ANTENNAS = 2000


@dataclass(frozen=True, kw_only=True)
class Calibration:
    """One receiver antenna of a file: its type with radome, and its mean phase centres above the ARP, in millimetres."""

    type: str
    serial: str
    method: str
    date: str
    absolute: bool
    centres: tuple[PhaseCentre, ...]


@dataclass(frozen=True)
class AntexReading:
    """The receiver antennas of a file, and how many antennas of satellites were passed over."""

    antennas: list[Calibration]
    satellites: int
    refused: list[str]


def read_antex(content: bytes) -> AntexReading:
    """Return the receiver antennas of an ANTEX file; FileError where it is none.

    North, east and up of the mean phase centre are counted from the ARP, as the format has them.  The variations with
    elevation are not kept.  An antenna that cannot be read is refused with a sentence, the others stay.
    """
    lines = content.decode("latin-1").splitlines()
    if not lines or _label(lines[0]) != "ANTEX VERSION / SYST":
        raise FileError("The file does not begin with ANTEX VERSION / SYST in columns 61 to 80: it is not an ANTEX file.")
    end = next((at for at, line in enumerate(lines) if _label(line) == "END OF HEADER"), None)
    if end is None:
        raise FileError("The ANTEX file's header does not end: it did not arrive whole.")
    kind = next((line[:1] for line in lines[:end] if _label(line) == "PCV TYPE / REFANT"), "A")
    antennas: list[Calibration] = []
    refused: list[str] = []
    satellites = 0
    for number, block in _blocks(lines, end + 1, refused):
        head = next((line for line in block if _label(line) == "TYPE / SERIAL NO"), "")
        if re.fullmatch(r"[GRECJIS]\d\d", head[20:40].strip()):
            satellites += 1
            continue
        try:
            antennas.append(_antenna(block, kind == "A"))
        except FileError as error:
            refused.append(f"Antenna on line {number}: {error.sentence}")
        if len(antennas) > MOST_ANTENNAS:
            raise FileError(f"The file holds more than {MOST_ANTENNAS} receiver antennas. Cut it down to those you use.")
    if not antennas and not refused:
        raise FileError(f"The file holds no receiver antenna ({satellites} antennas of satellites were passed over).")
    return AntexReading(antennas, satellites, refused)


def _blocks(lines: list[str], first: int, refused: list[str]) -> Iterator[tuple[int, list[str]]]:
    """Yield the lines of each antenna with the number of its first; those that do not end are put with the refused."""
    begun: int | None = None
    for at in range(first, len(lines)):
        label = _label(lines[at])
        if label == "START OF ANTENNA":
            if begun is not None:
                refused.append(f"The antenna begun on line {begun + 1} does not end.")
            begun = at
        elif label == "END OF ANTENNA" and begun is not None:
            yield begun + 1, lines[begun + 1 : at]
            begun = None
    if begun is not None:
        refused.append(f"The antenna begun on line {begun + 1} does not end: the file did not arrive whole.")


def _label(line: str) -> str:
    return line[60:80].strip()


def _antenna(block: list[str], absolute: bool) -> Calibration:
    values = {_label(line): line[:60] for line in block}
    head = values.get("TYPE / SERIAL NO", "")
    if not head.strip():
        raise FileError("it has no type.")
    method = values.get("METH / BY / # / DATE", "")
    centres: dict[str, PhaseCentre] = {}
    frequency: str | None = None
    for line in block:
        label = _label(line)
        if label == "START OF FREQUENCY":
            frequency = line[3:6].strip()
        elif label == "END OF FREQUENCY":
            frequency = None
        elif label == "NORTH / EAST / UP" and frequency is not None:
            # The same label stands in START OF FREQ RMS blocks: those are standard deviations.
            try:
                north, east, up = (float(line[at : at + 10]) for at in (0, 10, 20))
            except ValueError:
                raise FileError(f"the offsets of {frequency} are not three numbers of ten columns.") from None
            if not max(abs(north), abs(east), abs(up)) < 1000.0:
                raise FileError(f"an offset of {frequency} is a metre or more: are these millimetres?")
            centres[frequency] = PhaseCentre(frequency=frequency, north_mm=north, east_mm=east, up_mm=up)
    if not centres:
        raise FileError("it has no NORTH / EAST / UP.")
    # Type and radome fill twenty columns with blanks between.
    return Calibration(
        type=" ".join(head[:20].split()),
        serial=head[20:40].strip(),
        method=method[:20].strip(),
        date=method[50:60].strip(),
        absolute=absolute,
        centres=tuple(centres.values()),
    )
