"""Files of orbits other than navigation files: SP3 (places), TLE and OMM (mean elements).

Sources: SP3-d (S. Hilla, 2016) and SP3-c; CelesTrak, NORAD two-line element set format; CCSDS 502.0-B-3 (OMM: KVN, XML, JSON).
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from xml.etree.ElementTree import ParseError

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from sgp4 import omm
from sgp4.api import WGS72, Satrec

from openstake.core.constants import GPS_MINUS_BEIDOU_S
from openstake.core.errors import FileError
from openstake.core.sky.mean_elements import MeanElementsOrbit, satellite_named
from openstake.core.sky.precise import PreciseOrbit
from openstake.core.time_scales import gps_from_utc_s, gps_seconds
from openstake.wire.jsontext import JsonError, read_json
from openstake.wire.rinex.observations import finite

_MOST_SETS, _MOST_SETS_EACH, _MOST_ROWS = 20_000, 100, 4_000_000
_NO_CLOCK = 999_999.0
_BEHIND_GPS_S = {"GPS": 0.0, "GAL": 0.0, "QZS": 0.0, "IRN": 0.0, "BDT": float(GPS_MINUS_BEIDOU_S)}


# --- SP3 ---


def read_sp3(lines: Iterable[str], name: str) -> list[PreciseOrbit]:
    """Return the satellites of an SP3 file (c or d); FileError with a sentence where it is none."""
    lines = iter(lines)
    first = next(lines, "")
    if not re.match(r"#[cd][PV]", first):
        raise FileError(f"{name} is not an SP3 file of form c or d.")
    rows: dict[str, list[tuple[float, ...]]] = {}
    try:
        for n, (moment_s, line) in enumerate(_sp3_rows(lines, name)):
            if n >= _MOST_ROWS:
                raise FileError(f"{name} holds more than {_MOST_ROWS} places. Cut it.")
            satellite = line[1:4].replace(" ", "0")
            place = [1000.0 * finite(line[4 + 14 * k : 18 + 14 * k]) for k in range(3)]
            clock = finite(line[46:60]) if line[46:60].strip() else _NO_CLOCK
            if not any(place):
                place = [np.nan] * 3
            clock_s = 1e-6 * clock if abs(clock) < _NO_CLOCK else np.nan
            rows.setdefault(satellite, []).append((moment_s, *place, clock_s))
    except (ValueError, IndexError, OverflowError, KeyError):
        raise FileError(f"{name} has a line that is not as SP3 has it; it may be cut.") from None
    orbits = []
    for satellite, found in sorted(rows.items()):
        table = np.array(found)
        if (np.diff(table[:, 0]) <= 0.0).any():
            raise FileError(f"{name} has its epochs out of order.")
        orbits.append(PreciseOrbit(satellite, table[:, 0], table[:, 1:4], table[:, 4]))
    if not orbits:
        raise FileError(f"{name} holds no place of a satellite.")
    return orbits


def _sp3_rows(lines: Iterator[str], name: str) -> Iterator[tuple[float, str]]:
    """Yield each line of a place with its moment, GPS seconds; ValueError where the file does not end as it should."""
    system, moment_s, ended = "", None, False
    for line in lines:
        if line.startswith("%c") and not system:
            system = line[9:12]
            if system != "UTC" and system not in _BEHIND_GPS_S:
                raise FileError(f"{name} counts time in '{system}', which is not read here.")
        elif line.startswith("*"):
            year, month, day, hour, minute = (int(part) for part in line[3:19].split())
            own_s = gps_seconds(datetime(year, month, day, hour, minute), float(line[20:31]))
            moment_s = gps_from_utc_s(own_s) if system == "UTC" else own_s + _BEHIND_GPS_S[system]
        elif line.startswith("P") and moment_s is not None:
            yield moment_s, line
        elif line.startswith("EOF"):
            ended = True
            break
    if not ended:
        raise ValueError("no end")


# --- mean elements ---


@dataclass(frozen=True)
class MeanElementsFile:
    """The navigation satellites of a file of mean elements, and how many others were in it."""

    orbits: list[MeanElementsOrbit]
    others: int


def read_mean_elements(text: str, name: str) -> MeanElementsFile:
    """Return the navigation satellites of a TLE file with names, or of an OMM as KVN, XML or JSON; FileError where it is none.

    Elements whose check digit is wrong, or with which no orbit can be computed, are refused with the satellite's name.
    """
    start = text.lstrip("\ufeff \r\n\t")[:1]
    try:
        listed = _of_omm(text, start) if start in ("<", "{", "[") or "CCSDS_OMM_VERS" in text else _of_tle(text)
        found = [(satellite_named(title), title, elements) for title, elements in listed]
    except (KeyError, ValueError, IndexError, TypeError, AttributeError, ParseError, DefusedXmlException, JsonError) as error:
        said = f": {error}" if isinstance(error, _Refused) else ""
        raise FileError(f"{name} is not a file of mean elements (TLE with names, or OMM){said}.") from None
    for _, title, elements in found:
        if elements.error or not np.isfinite(elements.no_kozai):
            raise FileError(f"{name}: no orbit can be computed with the elements of {title[:40]}.")
    orbits = [MeanElementsOrbit(satellite, elements) for satellite, _, elements in found if satellite is not None]
    if not orbits:
        raise FileError(f"{name} names no navigation satellite.")
    satellite, sets = Counter(orbit.satellite for orbit in orbits).most_common(1)[0]
    if sets > _MOST_SETS_EACH:
        raise FileError(f"{name} holds {sets} element sets of {satellite}; at most {_MOST_SETS_EACH} are read. Cut it to some weeks.")
    return MeanElementsFile(orbits, len(found) - len(orbits))


class _Refused(ValueError):
    """What is wrong with elements, in words."""


def _of_tle(text: str) -> Iterator[tuple[str, Satrec]]:
    lines = [line.rstrip() for line in text.splitlines() if line.strip()]
    if len(lines) < 3 or len(lines) > 3 * _MOST_SETS:
        raise _Refused("no element set with a name")
    for at in range(0, len(lines), 3):
        if at + 2 >= len(lines) or not (lines[at + 1].startswith("1 ") and lines[at + 2].startswith("2 ")):
            raise _Refused(f"after '{lines[at][:40]}' its two lines do not follow")
        title, first, second = lines[at].removeprefix("0 ").strip(), lines[at + 1], lines[at + 2]
        for line in (first, second):
            if len(line) != 69 or line[68] != str(_check_digit(line[:68])):
                raise _Refused(f"the check digit of {title[:40]} is wrong")
        if first[2:7] != second[2:7]:
            raise _Refused(f"the two lines of {title[:40]} are of two satellites")
        yield title, Satrec.twoline2rv(first, second)


def _check_digit(line: str) -> int:
    """Return the sum of a line's digits, a minus counting one, modulo 10."""
    return sum(int(letter) if letter.isdigit() else letter == "-" for letter in line) % 10


def _of_omm(text: str, start: str) -> Iterator[tuple[str, Satrec]]:
    if start == "<":
        listed = [_fields_of_xml(segment) for segment in fromstring(text).iter("segment")]
    elif start in ("{", "["):
        document = read_json(text)
        listed = document if isinstance(document, list) else [document]
    else:
        listed = list(_fields_of_kvn(text))
    if not listed or len(listed) > _MOST_SETS:
        raise _Refused("no message")
    for fields in listed:
        title = str(fields["OBJECT_NAME"])
        if str(fields.get("TIME_SYSTEM", "UTC")) != "UTC" or str(fields.get("REF_FRAME", "TEME")) != "TEME":
            raise _Refused(f"the elements of {title[:40]} are not in TEME and UTC")
        if str(fields.get("MEAN_ELEMENT_THEORY", "SGP4")) not in ("SGP4", "SGP/SGP4"):
            raise _Refused(f"the elements of {title[:40]} are not of SGP4")
        yield title, _satellite_of(fields)


def _satellite_of(fields: Mapping[str, Any]) -> Satrec:
    usual: dict[str, Any] = {
        "CLASSIFICATION_TYPE": "U",
        "OBJECT_ID": "2000-000A",
        "EPHEMERIS_TYPE": 0,
        "ELEMENT_SET_NO": 0,
        "REV_AT_EPOCH": 0,
    }
    usual |= {"MEAN_MOTION_DOT": 0.0, "MEAN_MOTION_DDOT": 0.0, "BSTAR": 0.0, "NORAD_CAT_ID": 0}
    said = usual | {name: value for name, value in fields.items() if value not in (None, "")}
    epoch = str(said["EPOCH"]).removesuffix("Z")
    said["EPOCH"] = epoch if "." in epoch else f"{epoch}.0"
    if not 0.9 < float(said["MEAN_MOTION"]) < 18.0 or not 0.0 <= float(said["ECCENTRICITY"]) < 1.0:
        raise _Refused(f"the elements of {str(said['OBJECT_NAME'])[:40]} are not of an orbit")
    satellite = Satrec()
    omm.initialize(satellite, said, WGS72)
    return satellite


def _fields_of_xml(segment: Any) -> dict[str, Any]:
    return {element.tag: element.text for element in segment.iter() if element.text and element.text.strip() and len(element) == 0}


def _fields_of_kvn(text: str) -> Iterator[dict[str, Any]]:
    fields: dict[str, Any] = {}
    for line in text.splitlines():
        key, equals, value = line.partition("=")
        key = key.strip()
        if not equals or key == "COMMENT":
            continue
        if key == "OBJECT_NAME" and fields.get("OBJECT_NAME"):
            yield fields
            fields = {}
        fields[key] = re.sub(r"\[.*?\]\s*$", "", value).strip()
    if fields:
        yield fields
