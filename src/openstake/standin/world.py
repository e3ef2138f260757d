"""The world file: where things really are.  What was typed may differ; that is what practice is for.

    {"base": {"latitude_deg", "longitude_deg", "height_m", "arp_height_m", "obstructions": [...]},
     "rover": {"latitude_deg", "longitude_deg", "height_m", "pole_height_m", "obstructions": [...]},
     "separation_m": 56.9, "seed": 7, "fix_after_s": 2.0}

Heights are ellipsoidal and of the mark; an obstruction is {"from_deg", "to_deg", "elevation_deg"} in azimuth, clockwise.
Either of base and rover may be absent, and so may be the seconds from the first corrections to a fix.  The format is described in docs/formats/world.md.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from openstake.core.errors import FileError
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic
from openstake.core.vector import raised_along_normal
from openstake.wire.jsontext import JsonError, read_json


@dataclass(frozen=True)
class Obstruction:
    """Something that hides the sky below an elevation between two azimuths, clockwise, degrees."""

    from_deg: float
    to_deg: float
    elevation_deg: float

    def hides(self, azimuth_deg: NDArray[np.float64], elevation_deg: NDArray[np.float64]) -> NDArray[np.bool_]:
        span = (self.to_deg - self.from_deg) % 360.0
        return ((azimuth_deg - self.from_deg) % 360.0 <= span) & (elevation_deg < self.elevation_deg)


@dataclass(frozen=True, kw_only=True)
class Stand:
    """Where an antenna really stands: a mark (degrees, ellipsoidal metres) and the ARP's height above it."""

    latitude_deg: float
    longitude_deg: float
    height_m: float
    arp_height_m: float
    obstructions: tuple[Obstruction, ...] = ()

    @property
    def arp_ecef_m(self) -> NDArray[np.float64]:
        return raised_along_normal(ecef_from_geodetic(self.latitude_deg, self.longitude_deg, self.height_m), self.arp_height_m)


@dataclass(frozen=True, kw_only=True)
class World:
    """The truth.  `separation_m` is the geoid separation the rover puts into its GGA.

    A rover is fixed `fix_after_s` after its first corrections; without it, in the time that receivers take.
    """

    base: Stand | None
    rover: Stand | None
    separation_m: float = 0.0
    seed: int | None = None
    fix_after_s: float | None = None


def _stand(document: Mapping[str, Any], height_name: str, where: str) -> Stand:
    try:
        numbers = [float(document[name]) for name in ("latitude_deg", "longitude_deg", "height_m", height_name)]
        obstructions = tuple(
            Obstruction(float(item["from_deg"]), float(item["to_deg"]), float(item["elevation_deg"]))
            for item in document.get("obstructions", [])
        )
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise FileError(f"The world file's {where} is not as docs/formats/world.md has it: {error!r}.") from None
    if not np.isfinite(numbers).all() or abs(numbers[0]) > 90 or abs(numbers[1]) > 180:
        raise FileError(f"The world file's {where} lies nowhere on Earth.")
    latitude, longitude, height, antenna = numbers
    return Stand(latitude_deg=latitude, longitude_deg=longitude, height_m=height, arp_height_m=antenna, obstructions=obstructions)


def read_world(path: Path) -> World:
    """Return the world of a file; FileError with a sentence where it cannot be one."""
    try:
        document = read_json(path.read_bytes())
    except OSError as error:
        raise FileError(f"The world file {path} cannot be read: {error.strerror or error}.") from None
    except JsonError as error:
        raise FileError(f"The world file {path} {error}.") from None
    if not isinstance(document, dict):
        raise FileError(f"The world file {path} is not a JSON object.")
    try:
        separation, seed = float(document.get("separation_m", 0.0)), document.get("seed")
        seed = None if seed is None else int(seed)
        fix_after_s = document.get("fix_after_s")
        fix_after_s = None if fix_after_s is None else float(fix_after_s)
    except (TypeError, ValueError):
        raise FileError(f"The world file {path} has a separation, seed or time to fix that is not a number.") from None
    return World(
        base=_stand(document["base"], "arp_height_m", "base") if "base" in document else None,
        rover=_stand(document["rover"], "pole_height_m", "rover") if "rover" in document else None,
        separation_m=separation,
        seed=seed,
        fix_after_s=fix_after_s,
    )


def write_world(path: Path, world: World) -> None:
    """Write a world file whole or not at all."""
    document: dict[str, Any] = {"separation_m": world.separation_m, "seed": world.seed}
    if world.fix_after_s is not None:
        document["fix_after_s"] = world.fix_after_s
    for name, stand, height_name in (("base", world.base, "arp_height_m"), ("rover", world.rover, "pole_height_m")):
        if stand is not None:
            document[name] = asdict(stand) | {height_name: stand.arp_height_m}
            if height_name != "arp_height_m":
                del document[name]["arp_height_m"]
    draft = path.with_suffix(".draft")
    draft.write_text(json.dumps(document, indent=1), encoding="utf-8")
    draft.replace(path)


class WorldFile:
    """A world file that is looked at again when it has changed: people move while the devices run."""

    def __init__(self, path: Path | None) -> None:
        self._path, self._stamp = path, 0
        self._world = World(base=None, rover=None)
        self.world  # noqa: B018  (an unreadable file is said at once, not at the first epoch)

    @property
    def world(self) -> World:
        if self._path is not None:
            try:
                stamp = self._path.stat().st_mtime_ns
            except OSError:
                stamp = 0
            if stamp != self._stamp or not stamp:
                try:
                    self._world, self._stamp = read_world(self._path), stamp
                except FileError:
                    # A file that was good and is being edited: the devices stay where they are.
                    if not self._stamp:
                        raise
        return self._world
