"""A shot on a mark with what is derived from it now."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.control import Difference
from openstake.core.limits import Tolerance
from openstake.derive.marks import MarkNow
from openstake.derive.points import Point
from openstake.store.models import Shot


@dataclass(frozen=True, kw_only=True)
class Measured:
    """A shot with what is derived from it now."""

    shot: Shot
    mark: MarkNow
    base_mark: MarkNow
    point: Point
    difference: Difference
    tolerance: Tolerance
