"""Coordinate systems in PROJ's own database, and one's own by parameters: found, described, refused where they do not fit."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import islice
from math import degrees
from typing import Any

import pyproj
import pyproj.network
from pyproj.aoi import AreaOfInterest
from pyproj.crs import GeographicCRS, ProjectedCRS
from pyproj.crs.coordinate_operation import (
    LambertConformalConic1SPConversion,
    LambertConformalConic2SPConversion,
    TransverseMercatorConversion,
)
from pyproj.crs.datum import CustomDatum, CustomEllipsoid
from pyproj.database import query_crs_info
from pyproj.enums import PJType, WktVersion
from pyproj.transformer import TransformerGroup

from openstake.core.describe import described
from openstake.core.errors import FrameError
from openstake.core.geodesy.ellipsoid import Ellipsoid
from openstake.core.geodesy.grids import lacking_grids
from openstake.core.limits import TYPED_SHIFT_M
from openstake.core.units import METRES_PER_UNIT

pyproj.network.set_network_enabled(False)  # type: ignore[attr-defined]

MOST_LETTERS = 20_000


@dataclass(frozen=True, kw_only=True)
class Area:
    """An area of use in degrees; `west` is greater than `east` where it crosses the 180th meridian."""

    name: str
    west_deg: float
    south_deg: float
    east_deg: float
    north_deg: float

    def contains(self, latitude_deg: float, longitude_deg: float) -> bool:
        west, east = self.west_deg, self.east_deg
        inside = west <= longitude_deg <= east if west <= east else not (east < longitude_deg < west)
        return self.south_deg <= latitude_deg <= self.north_deg and inside

    @property
    def size_deg2(self) -> float:
        width = self.east_deg - self.west_deg
        return (self.north_deg - self.south_deg) * (width if width >= 0.0 else width + 360.0)


@dataclass(frozen=True, kw_only=True)
class SystemFound:
    """One line of a search: what a person needs to tell coordinate systems apart."""

    code: int
    name: str
    area: Area | None
    deprecated: bool

    @property
    def area_name(self) -> str:
        return self.area.name if self.area else ""


@lru_cache(maxsize=4)
def systems(kind: PJType = PJType.PROJECTED_CRS) -> tuple[SystemFound, ...]:
    """Return every EPSG system of a kind, deprecated ones too."""
    return tuple(
        SystemFound(code=int(info.code), name=info.name, area=_area(info.area_of_use), deprecated=info.deprecated)
        for info in query_crs_info(auth_name="EPSG", pj_types=[kind], allow_deprecated=True)
        if info.code.isdigit()
    )


def _area(use: pyproj.aoi.AreaOfUse | None) -> Area | None:
    return Area(name=use.name or "", west_deg=use.west, south_deg=use.south, east_deg=use.east, north_deg=use.north) if use else None


def _matching(text: str, place: tuple[float, float] | None, all_systems: Iterable[SystemFound]) -> list[SystemFound]:
    """Return what holds every word in code, name or area, and the place in its area; the likeliest first."""
    words = [word for word in re.split(r"[\s:/]+", text.lower()) if word and word != "epsg"]
    if not words and place is None:
        return []

    def matches(system: SystemFound) -> bool:
        haystack = f"{system.name} {system.area_name}".lower()
        if place is not None and (system.area is None or not system.area.contains(*place)):
            return False
        return all(word in haystack or str(system.code).startswith(word) for word in words)

    def rank(system: SystemFound) -> tuple[bool, bool, bool, bool, float, int, str]:
        name = system.name.lower()
        return (
            system.deprecated,
            bool(words) and str(system.code) != words[0],
            bool(words) and not name.startswith(words[0]),
            not all(word in name or str(system.code).startswith(word) for word in words),
            system.area.size_deg2 if place is not None and system.area else 0.0,
            len(system.name),
            system.name,
        )

    # A system with several areas of use is listed once for each.
    once: dict[int, SystemFound] = {}
    for system in filter(matches, all_systems):
        once.setdefault(system.code, system)
    return sorted(once.values(), key=rank)


def search_systems(text: str, place: tuple[float, float] | None = None, limit: int = 30) -> list[SystemFound]:
    """Return projected systems we can work in whose code, name or area holds every word typed.

    `place` is a latitude and longitude in degrees that their area must hold.  Exact codes come first, then names that begin
    with the text, then the rest, smaller areas first where a place is given; deprecated codes last.
    """
    return list(islice(_workable(_matching(text, place, systems())), limit))


def _workable(found: Iterable[SystemFound]) -> Iterator[SystemFound]:
    for system in found:
        try:
            projected_system(f"EPSG:{system.code}")
        except FrameError:
            continue
        yield system


def search_verticals(text: str, place: tuple[float, float] | None = None, limit: int = 30) -> list[SystemFound]:
    """Return vertical systems (what elevations are counted from, upward) by code, name, area or place."""
    upward = (system for system in systems(PJType.VERTICAL_CRS) if "depth" not in system.name.lower())
    return list(islice(_matching(text, place, upward), limit))


@lru_cache(maxsize=128)
def projected_system(definition: str) -> pyproj.CRS:
    """Return a projected system that can be worked in: `EPSG:` and a code, WKT, or PROJ text beginning with `+proj=`.

    FrameError for what is not projected to east and north, or does not count degrees from Greenwich.  A datum shift that
    stands in the text is left out: it is applied only where it is chosen by name.
    """
    system = _parsed(definition)
    label = definition if definition.startswith("EPSG:") else "The text"
    if system.is_bound and system.source_crs is not None:
        system = system.source_crs
    if not system.is_projected or len(system.axis_info) != 2:
        raise FrameError(f"{label} ({system.name}) is not a projected system. Pick one with east and north.", field="system")
    if system.ellipsoid is None or system.geodetic_crs is None:
        raise FrameError(f"{label} ({system.name}) has no ellipsoid to work on.", field="system")
    meridian = system.prime_meridian
    angle = system.geodetic_crs.axis_info[0]
    in_degrees = abs(degrees(angle.unit_conversion_factor) - 1.0) < 1e-9
    if (meridian is not None and meridian.longitude != 0.0) or not in_degrees:
        # Receivers count longitude from Greenwich in degrees; taken for the other it would be hundreds of kilometres off.
        raise FrameError(
            f"{label} ({system.name}) counts longitude from {meridian.name if meridian else 'elsewhere'} in {angle.unit_name}s. "
            "Pick a system that counts degrees from Greenwich.",
            field="system",
        )
    directions = sorted(axis.direction for axis in system.axis_info)
    if directions != ["east", "north"]:
        # Differences are said as east and north: on other axes their signs would be wrong.
        raise FrameError(
            f"{label} ({system.name}) counts {' and '.join(directions)}, not east and north. "
            "Pick a system with east and north, or give the projection by its parameters.",
            field="system",
        )
    return system


_PROJ_WORD = re.compile(r"\+?[a-z_0-9]+(=[^\s+][^\s]*)?", re.IGNORECASE)
_NAMES_A_FILE = re.compile(r"\+?(nadgrids|geoidgrids|grids|file|init|xy_grids|z_grids)=(?!@null$)", re.IGNORECASE)
_DEEPEST = 30


def check_text(text: str) -> None:
    """Raise FrameError where a text cannot be one of a system, before any library reads it: letters, nesting, files named."""
    if len(text) > MOST_LETTERS:
        raise FrameError(f"A system's text has at most {MOST_LETTERS} characters; this has {len(text)}.", field="system")
    if odd := re.search(r"[^\t\r\n -~\u00a1-\ud7ff\ue000-\ufdcf\ufdf0-\ufffd]", text):
        raise FrameError(f"The text holds the character U+{ord(odd[0]):04X}. Paste plain text.", field="system")
    if re.match(r"\s*\+?proj=", text, re.IGNORECASE):
        words = text.split()
        if bad := next((word for word in words if not _PROJ_WORD.fullmatch(word)), None):
            raise FrameError(f"'{bad[:30]}' is not a part of PROJ text: +name=value.", field="system")
        # PROJ would open the file that is named, wherever it lies.
        if named := next((word for word in words if _NAMES_A_FILE.match(word)), None):
            raise FrameError(f"'{named[:40]}' names a file. Leave it out: no datum shift is applied that nobody chose.", field="system")
        return
    depth = deepest = 0
    for letter in re.sub(r'"[^"]*"', "", text):
        depth += (letter in "[(") - (letter in "])")
        deepest = max(deepest, depth)
        if depth < 0:
            break
    if depth != 0 or deepest > _DEEPEST:
        raise FrameError("The brackets of the text do not match, or are nested too deep. Copy it again, whole.", field="system")


def _parsed(definition: str) -> pyproj.CRS:
    code = re.fullmatch(r"EPSG:(\d{1,9})", definition)
    text = definition.strip()
    if code is None and not re.match(r"\+?proj=|(PROJCRS|PROJCS|BOUNDCRS)\s*\[", text, re.IGNORECASE):
        raise FrameError(
            "This is neither WKT of a projected system (PROJCRS[...]) nor PROJ text (+proj=...). Paste one of them.", field="system"
        )
    if code is None:
        check_text(text)
    try:
        return pyproj.CRS.from_epsg(int(code[1])) if code else pyproj.CRS.from_user_input(text)
    except (pyproj.exceptions.CRSError, ValueError, RecursionError) as error:
        if code:
            raise FrameError(
                f"{definition} is not in the database of coordinate systems. Search by name or code.", field="system"
            ) from None
        raise FrameError(f"The text of the system cannot be read: {str(error)[:200]}.", field="system") from None


def datum_name_of(system: pyproj.CRS) -> str:
    """Return the name of a system's datum, or of the ensemble of realisations that stands for it."""
    datum = system.geodetic_crs.datum if system.geodetic_crs else None
    return datum.name if datum else ""


@lru_cache(maxsize=128)
def is_known_datum(name: str) -> bool:
    """Whether the EPSG dataset has a datum of that name."""
    try:
        found = pyproj.crs.Datum.from_name(name)  # type: ignore[attr-defined]  # documented, and not exported
    except pyproj.exceptions.CRSError:
        return False
    return bool(found.name == name)


def ellipsoid_of(system: pyproj.CRS) -> Ellipsoid:
    """Return a system's ellipsoid; PROJ writes a sphere's inverse flattening as 0."""
    figure = system.ellipsoid
    if figure is None:
        raise FrameError(f"{system.name} has no ellipsoid to work on.", field="system")
    return Ellipsoid(figure.semi_major_metre, 1.0 / figure.inverse_flattening if figure.inverse_flattening else 0.0)


def unit_of_system(definition: str) -> str | None:
    """Return `m`, `ft` or `sft`, the unit a projected system is defined in; None for any other."""
    factor = projected_system(definition).axis_info[0].unit_conversion_factor
    return next((unit for unit, metres in METRES_PER_UNIT.items() if abs(metres / factor - 1.0) < 1e-9), None)


# Radius in metres and inverse flattening.  Source: EPSG dataset, ellipsoids 7019, 7030, 7022, 7001, 7008, 7012, 7004, 7024.
ELLIPSOIDS = {
    "GRS 1980": (6378137.0, 298.257222101),
    "WGS 84": (6378137.0, 298.257223563),
    "International 1924": (6378388.0, 297.0),
    "Airy 1830": (6377563.396, 299.3249646),
    "Clarke 1866": (6378206.4, 294.978698213898),
    "Clarke 1880 (RGS)": (6378249.145, 293.465),
    "Bessel 1841": (6377397.155, 299.1528128),
    "Krassowsky 1940": (6378245.0, 298.3),
}


_METHODS = {
    "transverse-mercator": "Transverse Mercator",
    "lambert-1sp": "Lambert conic, one parallel",
    "lambert-2sp": "Lambert conic, two parallels",
}
_WITH_SCALE = ("method", ("transverse-mercator", "lambert-1sp"))
_WITH_PARALLELS = ("method", ("lambert-2sp",))
_OTHER = ("ellipsoid", ("other",))


@dataclass(frozen=True, kw_only=True)
class OwnProjection:
    """A projection by its parameters.  Angles in degrees, lengths in metres.

    `transverse-mercator` and `lambert-1sp` have a scale at their origin, `lambert-2sp` two standard parallels and a false
    origin.  `false_east_m` and `false_north_m` are the coordinates of the origin.
    """

    name: str = described("Name", "text")
    method: str = described("Projection", "choice", options=tuple(_METHODS), words=_METHODS, default="transverse-mercator")
    latitude_of_origin_deg: float = described("Latitude of origin", "latitude", default=0.0)
    central_meridian_deg: float = described("Central meridian", "longitude", default=0.0)
    scale: float = described("Scale at the origin", "number", default=1.0, used_with=_WITH_SCALE)
    parallel_1_deg: float | None = described("First parallel", "latitude", optional=True, used_with=_WITH_PARALLELS)
    parallel_2_deg: float | None = described("Second parallel", "latitude", optional=True, used_with=_WITH_PARALLELS)
    false_east_m: float = described("East of the origin", "length", default=0.0)
    false_north_m: float = described("North of the origin", "length", default=0.0)
    ellipsoid: str = described(
        "Ellipsoid", "choice", options=(*ELLIPSOIDS, "other"), words={"other": "Another, by its radius"}, default="GRS 1980"
    )
    equatorial_radius_m: float | None = described("Equatorial radius", "length", optional=True, used_with=_OTHER)
    inverse_flattening: float | None = described("Inverse flattening", "number", optional=True, used_with=_OTHER)

    def figure(self) -> tuple[float, float]:
        """Return the ellipsoid's radius in metres and its inverse flattening."""
        if self.ellipsoid != "other":
            return ELLIPSOIDS[self.ellipsoid]
        if self.equatorial_radius_m is None or self.inverse_flattening is None:
            raise FrameError("An ellipsoid of your own needs its radius and its inverse flattening.", field="equatorial_radius_m")
        return self.equatorial_radius_m, self.inverse_flattening

    def definition(self) -> str:
        """Return the projection as WKT 2, to be used like any other; FrameError where it cannot be."""
        self._check()
        origin = (self.latitude_of_origin_deg, self.central_meridian_deg)
        shift = (self.false_east_m, self.false_north_m)
        conversion: TransverseMercatorConversion | LambertConformalConic1SPConversion | LambertConformalConic2SPConversion
        if self.method == "transverse-mercator":
            conversion = TransverseMercatorConversion(*origin, *shift, self.scale)
        elif self.method == "lambert-1sp":
            conversion = LambertConformalConic1SPConversion(*origin, *shift, self.scale)
        else:
            parallels = (self.parallel_1_deg or 0.0, self.parallel_2_deg or 0.0)
            conversion = LambertConformalConic2SPConversion(*parallels, *origin, *shift)
        radius_m, inverse_flattening = self.figure()
        figure = CustomEllipsoid(self.ellipsoid, radius_m, inverse_flattening=inverse_flattening)
        datum = CustomDatum(f"datum of {self.name}", figure)
        try:
            system = ProjectedCRS(conversion, self.name, geodetic_crs=GeographicCRS(self.name, datum))
        except pyproj.exceptions.CRSError as error:
            raise FrameError(f"The projection cannot be made: {str(error)[:200]}.", field="system") from None
        return str(system.to_wkt(WktVersion.WKT2_2019))

    def _check(self) -> None:
        if self.method not in ("transverse-mercator", "lambert-1sp", "lambert-2sp"):
            raise FrameError(
                "Your own projection can be transverse Mercator, or Lambert with one or two parallels. "
                "Paste WKT or PROJ text for any other.",
                field="method",
            )
        if not self.name.strip():
            raise FrameError("Your own projection needs a name.", field="name")
        if not 0.9 <= self.scale <= 1.1:
            raise FrameError(f"A scale factor lies near 1 (0.9 to 1.1); {self.scale:g} does not. Type 0.9996, not 400 ppm.", field="scale")
        if self.method == "lambert-2sp" and (self.parallel_1_deg is None or self.parallel_2_deg is None):
            raise FrameError("Lambert with two parallels needs both of them.", field="parallel_1_deg")
        if self.method == "lambert-2sp" and abs((self.parallel_1_deg or 0) + (self.parallel_2_deg or 0)) < 1e-9:
            raise FrameError("The two parallels lie opposite to each other: the cone would be a cylinder.", field="parallel_1_deg")
        radius_m, inverse_flattening = self.figure()
        if not 6.3e6 < radius_m < 6.4e6:
            raise FrameError(
                f"An ellipsoid of the Earth has a radius near 6378 km; {radius_m / 1000:.0f} km was given.", field="equatorial_radius_m"
            )
        if not 250.0 < inverse_flattening < 350.0:
            raise FrameError(f"An inverse flattening lies near 298; {inverse_flattening:g} does not.", field="inverse_flattening")


@dataclass(frozen=True, kw_only=True)
class Operation:
    """A datum operation chosen by name: from the frame of the positions to the job's datum.

    `pipeline` is PROJ text that takes longitude and latitude in degrees and ellipsoidal height of the positions' frame;
    `epoch_year` is the date of the coordinates where the operation moves with time.
    """

    name: str
    source: str
    accuracy_m: float | None
    pipeline: str
    source_radius_m: float
    source_flattening: float
    epoch_year: float | None = None


# Frames that receivers and services give positions in.  Codes of three-dimensional systems in the EPSG dataset.
POSITION_FRAMES = {
    "WGS 84": 4979,
    "ITRF2014": 7912,
    "ITRF2020": 9989,
    "ETRS89": 4937,
    "NAD83(2011)": 6319,
    "GDA2020": 7843,
    "NZGD2000": 4959,
    "SIRGAS 2000": 4989,
}


@dataclass(frozen=True, kw_only=True)
class NeedsGrids:
    """An operation that needs grid files: its accuracy in metres (None: the dataset has none), a pipeline of longitude and latitude in
    degrees, and which of its grids are not here."""

    name: str
    accuracy_m: float | None
    pipeline: str
    lacking: tuple[str, ...]


@dataclass(frozen=True)
class OperationGroup:
    """Operations of the EPSG dataset between two systems: those that PROJ computes by itself, and those that need grid files."""

    transformers: tuple[pyproj.Transformer, ...]
    with_grids: tuple[NeedsGrids, ...]


def operations_between(source: pyproj.CRS, target: pyproj.CRS, place: tuple[float, float] | None = None) -> OperationGroup:
    """Return the operations from one system to another, those made for a place (latitude, longitude) where one is given.

    None is a ballpark one.  It is the one door to PROJ's search: where that finds nothing it raises, of several kinds.
    """
    area = AreaOfInterest(place[1], place[0], place[1], place[0]) if place else None
    try:
        with warnings.catch_warnings():
            # "Best transformation is not available": it is named in `with_grids`.
            warnings.simplefilter("ignore")
            group = TransformerGroup(
                source,
                target,
                always_xy=True,
                area_of_interest=area,  # type: ignore[arg-type]  # pyproj.aoi's is the one its documentation names
                allow_ballpark=False,
            )
    except (pyproj.exceptions.ProjError, IndexError):
        return OperationGroup((), ())
    return OperationGroup(tuple(group.transformers), tuple(map(_needing_grids, group.unavailable_operations)))


def _needing_grids(item: Any) -> NeedsGrids:
    """Return an operation of PROJ's group (pyproj's CoordinateOperation, which it does not publish by name) as what it needs."""
    pipeline = item.to_proj4() or ""
    # The dataset's axes are latitude, longitude; ours are longitude, latitude.
    swap = " +step +proj=axisswap +order=2,1"
    turned = pipeline.startswith(f"+proj=pipeline{swap}") and pipeline.endswith(swap)
    plain = pipeline.replace(swap, "", 1).removesuffix(swap) if turned else ""
    # An accuracy of 0 is one of less than a centimetre.
    accuracy = max(item.accuracy, 0.01) if item.accuracy >= 0 else None
    return NeedsGrids(
        name=_plain_name(item.name), accuracy_m=accuracy, pipeline=plain, lacking=lacking_grids(pipeline) if plain else ("?",)
    )


@dataclass(frozen=True)
class OperationsFound:
    """Operations that can be chosen, the best first, and those that need a grid file which is not here."""

    usable: list[Operation]
    without_grid: list[NeedsGrids]


def find_operations(definition: str, source: str, place: tuple[float, float] | None, epoch_year: float | None) -> OperationsFound:
    """Return the operations from a frame of positions into a system's datum; none is a ballpark one.

    `place` (latitude, longitude in degrees) leaves out what is not made for there.  Operations that move with time are
    offered where the epoch is known.
    """
    if source not in POSITION_FRAMES:
        raise FrameError(f"'{source}' is not a frame that positions come in here.", field="positions_frame")
    target = projected_system(definition).geodetic_crs
    if target is None:
        raise FrameError("The system has no datum.", field="system")
    start = pyproj.CRS.from_epsg(POSITION_FRAMES[source])
    group = operations_between(start, target.to_3d(), place)
    figure = ellipsoid_of(start)
    usable = []
    for transformer in group.transformers:
        moves = "t_epoch" in transformer.definition
        if moves and epoch_year is None:
            continue
        usable.append(
            Operation(
                name=_plain_name(transformer.description),
                source=source,
                accuracy_m=transformer.accuracy if transformer.accuracy >= 0 else None,
                pipeline=transformer.definition,
                source_radius_m=figure.equatorial_radius_m,
                source_flattening=figure.flattening,
                epoch_year=epoch_year if moves else None,
            )
        )
    for needing in group.with_grids:
        if not needing.lacking:
            usable.append(
                Operation(
                    name=needing.name,
                    source=source,
                    accuracy_m=needing.accuracy_m,
                    pipeline=needing.pipeline,
                    source_radius_m=figure.equatorial_radius_m,
                    source_flattening=figure.flattening,
                )
            )
    usable.sort(key=lambda item: item.accuracy_m if item.accuracy_m is not None else 1e3)
    return OperationsFound(usable, [needing for needing in group.with_grids if needing.lacking])


@lru_cache(maxsize=64)
def finer_with_grid(definition: str, chosen: Operation, place: tuple[float, float] | None) -> tuple[str, float] | None:
    """Return the operation that would be ten times better than the chosen one if its grid were here: name and accuracy in metres."""
    if chosen.source not in POSITION_FRAMES or not definition.startswith("EPSG:"):
        return None
    accuracy_m = chosen.accuracy_m if chosen.accuracy_m is not None else TYPED_SHIFT_M
    lacking = find_operations(definition, chosen.source, place, chosen.epoch_year).without_grid
    best = min(((item.accuracy_m, item.name) for item in lacking if item.accuracy_m), default=None)
    return (best[1], best[0]) if best is not None and 10.0 * best[0] <= accuracy_m else None


def _plain_name(name: str) -> str:
    """Return an operation's name without the steps that only exchange axes."""
    steps = [step for step in name.split(" + ") if not step.startswith("axis order change")]
    return " + ".join(steps) or name


@dataclass(frozen=True, kw_only=True)
class DatumShift:
    """A 3- or 7-parameter shift from a datum of one's own to WGS 84.

    Translations in metres, rotations in arc-seconds, scale in ppm.  `convention` names the sense of the rotations:
    `position-vector` (EPSG method 9606) or `coordinate-frame` (9607): the same rotations with opposite signs.
    """

    x_m: float = described("X", "length", default=0.0, least=-5000.0, most=5000.0)
    y_m: float = described("Y", "length", default=0.0, least=-5000.0, most=5000.0)
    z_m: float = described("Z", "length", default=0.0, least=-5000.0, most=5000.0)
    rotation_x_arcsec: float = described("Rotation about X", "number", unit="arc-seconds", default=0.0, least=-3600, most=3600)
    rotation_y_arcsec: float = described("Rotation about Y", "number", unit="arc-seconds", default=0.0, least=-3600, most=3600)
    rotation_z_arcsec: float = described("Rotation about Z", "number", unit="arc-seconds", default=0.0, least=-3600, most=3600)
    scale_ppm: float = described("Scale", "number", unit="ppm", default=0.0, least=-1000.0, most=1000.0)
    convention: str = described(
        "Rotations are",
        "choice",
        options=("position-vector", "coordinate-frame"),
        default="position-vector",
        words={"position-vector": "of the position vector", "coordinate-frame": "of the coordinate frame"},
        hint="The same rotations with opposite signs: ask where the parameters come from.",
    )

    def operation(self, figure: Ellipsoid) -> Operation:
        """Return the shift as an operation from WGS 84 to the datum with that ellipsoid (the inverse of the parameters)."""
        rotates = (self.rotation_x_arcsec, self.rotation_y_arcsec, self.rotation_z_arcsec) != (0.0, 0.0, 0.0)
        seven = rotates or self.scale_ppm != 0.0
        helmert = f"+proj=helmert +x={self.x_m} +y={self.y_m} +z={self.z_m}"
        if seven:
            helmert += (
                f" +rx={self.rotation_x_arcsec} +ry={self.rotation_y_arcsec} +rz={self.rotation_z_arcsec}"
                f" +s={self.scale_ppm} +convention={self.convention.replace('-', '_')}"
            )
        to_cart = "+step +proj=unitconvert +xy_in=deg +xy_out=rad +step +proj=cart +ellps=WGS84"
        back = f"+step +inv +proj=cart +a={figure.equatorial_radius_m!r} +f={figure.flattening!r}"
        pipeline = f"+proj=pipeline {to_cart} +step +inv {helmert} {back} +step +proj=unitconvert +xy_in=rad +xy_out=deg"
        word = f"7 parameters, {self.convention.replace('-', ' ')} rotations" if seven else "3 parameters"
        return Operation(
            name=f"WGS 84 to the job's datum by {word}",
            source="WGS 84",
            accuracy_m=None,
            pipeline=pipeline,
            source_radius_m=6378137.0,
            source_flattening=1 / 298.257223563,
        )
