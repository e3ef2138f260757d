"""A shot on a mark with what is derived from it now."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.control import Difference
from openstake.core.limits import Tolerance
from openstake.store.models import Shot
from openstake.workflow.now.marks import MarkNow
from openstake.workflow.now.points import Point


@dataclass(frozen=True, kw_only=True)
class Measured:
    """A shot with what is derived from it now."""

    shot: Shot
    mark: MarkNow
    base_mark: MarkNow
    point: Point
    difference: Difference
    tolerance: Tolerance
