"""Station coordinates of a SINEX file: each solution of each point by itself, its sigmas, its antenna and its eccentricity.

Source: SINEX 2.02 (IERS), blocks SITE/ANTENNA, SITE/ECCENTRICITY, SOLUTION/EPOCHS, SOLUTION/ESTIMATE, SOLUTION/MATRIX_ESTIMATE.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import hypot

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import FileError
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.geodesy.local import enu_axes

_AXES = ("STAX", "STAY", "STAZ")
# Column 1 of an estimate's constraint.
_CONSTRAINTS = {"0": "fixed", "1": "constrained", "2": "not constrained"}
Blocks = dict[str, list[tuple[int, str]]]
# The columns of a block's rows, by site.
OfSites = dict[str, list[list[str]]]
_OF_SITES = ("SITE/ANTENNA", "SITE/ECCENTRICITY", "SOLUTION/EPOCHS")
# Site, point, solution: what a coordinate is of.
Key = tuple[str, str, str]


@dataclass(frozen=True, kw_only=True)
class Estimate:
    """One solution of one point: the marker, Earth-centred metres, with its covariance (m², 3 x 3) and where it stands.

    `rows` are number and text of the lines of X, Y, Z; `epoch` a decimal year as text, empty where the file has none; `sigmas_m` are
    the standard deviations as written; `correlated`: the covariance holds the file's correlations.
    """

    key: Key
    xyz_m: NDArray[np.float64]
    sigmas_m: tuple[str, str, str]
    covariance_m2: NDArray[np.float64] | None
    correlated: bool
    epoch: str
    constraint: str
    rows: tuple[tuple[int, str], ...]
    data_span: str
    antenna: str
    eccentricity: str

    @property
    def name(self) -> str:
        return " ".join(self.key)

    @property
    def words(self) -> str:
        """What tells this solution from the others of a file."""
        sigmas = f"sigma {', '.join(self.sigmas_m)} m"
        parts = (f"epoch {self.epoch}" if self.epoch else "", sigmas, f"data {self.data_span}" if self.data_span else "", self.constraint)
        return f"{self.key[0]}, point {self.key[1]}, solution {self.key[2]}: {'; '.join(part for part in parts if part)}"


def estimates_of(lines: Sequence[str], name: str) -> tuple[list[Estimate], Blocks]:
    """Return the solutions of a file that have X, Y and Z, and its blocks; FileError where there is none, or one is wrong."""
    blocks = _blocks(lines)
    found: dict[Key, dict[str, tuple[int, str, list[str]]]] = {}
    for number, line in blocks.get("SOLUTION/ESTIMATE", []):
        parts = line.split()
        # index, type, site, point, solution, epoch, unit, constraint, value, standard deviation
        if len(parts) < 10 or parts[1] not in _AXES:
            continue
        rows = found.setdefault((parts[2], parts[3], parts[4]), {})
        if parts[1] in rows:
            raise FileError(f"{name[:60]} has {parts[1]} of {' '.join(parts[2:5])} twice (lines {rows[parts[1]][0]} and {number}).")
        rows[parts[1]] = (number, line, parts)
    whole = {key: rows for key, rows in found.items() if len(rows) == 3}
    if not whole:
        raise FileError(f"{name[:60]} is SINEX and holds no point with STAX, STAY and STAZ in SOLUTION/ESTIMATE.")
    matrix, of_sites = _Matrix(blocks), {block: _by_site(blocks.get(block, [])) for block in _OF_SITES}
    return [_estimate(key, rows, of_sites, matrix, name) for key, rows in whole.items()], blocks


def _blocks(lines: Sequence[str]) -> Blocks:
    found: Blocks = {}
    block = ""
    for number, line in enumerate(lines, 1):
        if line.startswith("+"):
            block = line[1:].strip()
        elif line.startswith("-"):
            block = ""
        elif block and not line.startswith("*"):
            found.setdefault(block, []).append((number, line))
    return found


def _by_site(rows: Sequence[tuple[int, str]]) -> OfSites:
    """Return the columns of a block's rows by site: a network has thousands, and each is asked for its own."""
    found: OfSites = {}
    for _, line in rows:
        if parts := line.split():
            found.setdefault(parts[0], []).append(parts)
    return found


def _estimate(
    key: Key, rows: dict[str, tuple[int, str, list[str]]], of_sites: Mapping[str, OfSites], matrix: _Matrix, name: str
) -> Estimate:
    ordered = [rows[axis] for axis in _AXES]
    parts = [item[2] for item in ordered]
    try:
        xyz, sigmas = np.array([[float(item[8]) for item in parts], [float(item[9]) for item in parts]])
        indices = [int(item[0]) for item in parts]
    except ValueError:
        raise FileError(f"{name[:60]} has a coordinate of {' '.join(key)} that is not a number.") from None
    if not (np.abs(xyz) < 1e8).all() or not (np.abs(sigmas) < 1e8).all():
        raise FileError(f"{name[:60]} has a coordinate of {' '.join(key)} that is not a number.")
    for item in parts:
        if item[6] != "m":
            raise FileError(f"{name[:60]} gives {item[1]} in '{item[6][:8]}'; SINEX has metres there.")
    if len({item[5] for item in parts}) > 1:
        raise FileError(f"{name[:60]} gives X, Y and Z of {' '.join(key)} at different epochs.")
    covariance = matrix.covariance_m2(indices, sigmas)
    correlated = covariance is not None
    if covariance is None and (sigmas > 0.0).all():
        covariance = np.diag(sigmas**2)
    start, end = _span(of_sites["SOLUTION/EPOCHS"], key)
    return Estimate(
        key=key,
        xyz_m=xyz,
        sigmas_m=(parts[0][9], parts[1][9], parts[2][9]),
        covariance_m2=covariance,
        correlated=correlated,
        epoch=_year(parts[0][5]),
        constraint=_CONSTRAINTS.get(parts[0][7], ""),
        rows=tuple((number, line.strip()) for number, line, _ in ordered),
        data_span=f"{start} to {end}" if start else "",
        antenna=_antenna(of_sites["SITE/ANTENNA"], key, parts[0][5]),
        eccentricity=_eccentricity(of_sites["SITE/ECCENTRICITY"], key, parts[0][5], xyz),
    )


class _Matrix:
    """The covariance of the estimates, or their correlations, as far as the file has them: by the indices of its parameters."""

    def __init__(self, blocks: Blocks) -> None:
        self.kind = ""
        self._values: dict[tuple[int, int], float] = {}
        for block, rows in blocks.items():
            match = re.fullmatch(r"SOLUTION/MATRIX_ESTIMATE [LU] (CORR|COVA)", block)
            if match is None:
                continue
            self.kind = match[1]
            for _, line in rows:
                parts = line.split()
                try:
                    row, column, values = int(parts[0]), int(parts[1]), [float(item) for item in parts[2:5]]
                except (ValueError, IndexError):
                    continue
                for n, value in enumerate(values):
                    self._values[min(row, column + n), max(row, column + n)] = value

    def covariance_m2(self, indices: Sequence[int], sigmas: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """Return the covariance of three parameters; None where the file does not have it whole, or it is none."""
        pairs = [(min(a, b), max(a, b)) for a in indices for b in indices]
        off_diagonal = [pair for pair in pairs if pair[0] != pair[1]]
        if not self.kind or any(pair not in self._values for pair in off_diagonal):
            return None
        if self.kind == "COVA" and any((n, n) not in self._values for n in indices):
            return None
        found = np.zeros((3, 3))
        for a, first in enumerate(indices):
            for b, second in enumerate(indices):
                value = self._values.get((min(first, second), max(first, second)), 1.0)
                if self.kind == "CORR":
                    # Its diagonal has standard deviations; off it are correlations.
                    value = sigmas[a] ** 2 if a == b else value * sigmas[a] * sigmas[b]
                found[a, b] = value
        return found if np.isfinite(found).all() and float(np.linalg.eigvalsh(found)[0]) >= 0.0 else None


def sigmas_enu(item: Estimate) -> tuple[float, float] | None:
    """Return one sigma horizontally (the root mean square of east and north) and up, metres; None where the file gives none."""
    if item.covariance_m2 is None or not 6.3e6 < float(np.linalg.norm(item.xyz_m)) < 6.4e6:
        return None
    axes = _axes_at(item.xyz_m)
    east, north, up = np.sqrt(np.maximum(np.diag(axes @ item.covariance_m2 @ axes.T), 0.0))
    return hypot(float(east), float(north)) / 2**0.5, float(up)


def _axes_at(xyz_m: NDArray[np.float64]) -> NDArray[np.float64]:
    latitude, longitude, _ = (float(value) for value in geodetic_from_ecef(xyz_m))
    return enu_axes(latitude, longitude)


# --- moments ---


def _moment(text: str) -> float | None:
    """Return a moment YY:DOY:SSSSS (or YYYY:…) as a decimal year; None where it is all zeros or none."""
    match = re.fullmatch(r"(\d{2}|\d{4}):(\d{3}):(\d{5})", text)
    if match is None or int(match[2]) == 0:
        return None
    year = int(match[1])
    if year < 100:
        year += 1900 if year > 50 else 2000  # SINEX 2.02, section 2
    days = 366.0 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 365.0
    return year + (int(match[2]) - 1 + int(match[3]) / 86_400.0) / days


def _year(text: str) -> str:
    moment = _moment(text)
    return "" if moment is None else f"{moment:.4f}"


def _is_of(parts: Sequence[str], key: Key) -> bool:
    """Whether a row of a site is of a point and solution: dashes stand for all of them."""
    return parts[1] in (key[1], "--", "-") and (parts[2] == key[2] or set(parts[2]) == {"-"})


def _rows_at(of_sites: OfSites, key: Key, epoch: str) -> Iterator[list[str]]:
    """Yield the rows of a block that hold for a solution at its epoch: site, point, solution, type, start, end, then their own."""
    at = _moment(epoch)
    for parts in of_sites.get(key[0], []):
        if len(parts) < 7 or not _is_of(parts, key):
            continue
        start, end = _moment(parts[4]), _moment(parts[5])
        if at is None or ((start is None or start <= at + 1e-6) and (end is None or at <= end + 1e-6)):
            yield parts


def _span(of_sites: OfSites, key: Key) -> tuple[str, str]:
    for parts in of_sites.get(key[0], []):
        # site, point, solution, type, start, end, mean
        if len(parts) >= 6 and _is_of(parts, key):
            return _year(parts[4]), _year(parts[5])
    return "", ""


def _antenna(of_sites: OfSites, key: Key, epoch: str) -> str:
    """Return the antennas that the file names for a solution at its epoch."""
    # The type has twenty columns with its dome's at the end; what follows is the serial number.
    found = [" ".join(parts[6:-1] if len(parts) > 7 else parts[6:]) for parts in _rows_at(of_sites, key, epoch)]
    return " or ".join(dict.fromkeys(found))


def _eccentricity(of_sites: OfSites, key: Key, epoch: str, xyz_m: NDArray[np.float64]) -> str:
    """Return in words where the antenna's reference point is from the marker; it is never added to the coordinate."""
    found = []
    for parts in _rows_at(of_sites, key, epoch):
        try:
            vector = np.array([float(value) for value in parts[7:10]])
        except ValueError:
            continue
        if len(vector) != 3:
            continue
        if parts[6] == "XYZ":
            east, north, up = (float(value) for value in _axes_at(xyz_m) @ vector)
        elif parts[6] == "UNE":
            up, north, east = (float(value) for value in vector)
        else:
            continue
        found.append(f"{up:.4f} m up, {north:.4f} m north, {east:.4f} m east from the mark to the ARP")
    return " or ".join(dict.fromkeys(found))
