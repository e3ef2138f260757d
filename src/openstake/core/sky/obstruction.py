"""Obstruction seen so far: where a receiver lists satellites and hears nothing of them, again and again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from math import inf

from openstake.core.evidence import InView
from openstake.core.limits import OBSTRUCTED_AFTER_S, OBSTRUCTED_HEARD_SHARE

AZIMUTH_STEP_DEG = 10
ELEVATION_STEP_DEG = 5


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A piece of the sky, degrees: azimuth clockwise from true north, elevation from the horizon."""

    azimuth_from_deg: float
    azimuth_to_deg: float
    elevation_from_deg: float
    elevation_to_deg: float


class SeenSky:
    """Counts, for each piece of the sky, how often a satellite that stood in it was heard.

    Only where a satellite was listed something is known: the hole towards the pole, where none ever stands, is no
    obstruction.
    """

    def __init__(self) -> None:
        self._looks: dict[tuple[int, int], list[int]] = {}
        self._looked_s = -inf

    def look(self, in_view: Iterable[InView], host_s: float) -> None:
        """Look at a moment: what comes within a second of the last look counts once."""
        if host_s - self._looked_s >= 1.0:
            self._looked_s = host_s
            self.add(in_view)

    def add(self, in_view: Iterable[InView]) -> None:
        """Take one look a second in."""
        for item in in_view:
            cell = (int(item.azimuth_deg % 360.0) // AZIMUTH_STEP_DEG, int(max(item.elevation_deg, 0.0)) // ELEVATION_STEP_DEG)
            looks = self._looks.setdefault(cell, [0, 0])
            looks[0] += 1
            looks[1] += item.cnr_dbhz is not None

    def obstructed(self) -> tuple[Cell, ...]:
        """Return the pieces of the sky in which satellites were listed for half a minute and not heard."""
        return tuple(
            Cell(
                azimuth_from_deg=float(azimuth * AZIMUTH_STEP_DEG),
                azimuth_to_deg=float((azimuth + 1) * AZIMUTH_STEP_DEG),
                elevation_from_deg=float(elevation * ELEVATION_STEP_DEG),
                elevation_to_deg=float((elevation + 1) * ELEVATION_STEP_DEG),
            )
            for (azimuth, elevation), (looks, heard) in sorted(self._looks.items())
            if looks >= OBSTRUCTED_AFTER_S and heard <= OBSTRUCTED_HEARD_SHARE * looks
        )
