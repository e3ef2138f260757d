"""Shots taken for one purpose: what is settled before the first of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

SeriesKind = Literal["pole turn", "field test"]


@dataclass(frozen=True)
class TurnSettled:
    """Which pole is turned, and to how many sides."""

    pole: str
    sides: int


@dataclass(frozen=True, kw_only=True)
class FieldTestSettled:
    """A field test: full or simplified, what was known before, metres; None where nothing was typed."""

    full: bool
    sigma_xy_m: float | None
    sigma_h_m: float | None
    distance_m: float | None
    height_difference_m: float | None


SERIES_KINDS: dict[type[TurnSettled] | type[FieldTestSettled], SeriesKind] = {TurnSettled: "pole turn", FieldTestSettled: "field test"}
