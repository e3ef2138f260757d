"""What a crew has settled of a base that is being set up."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Source = Literal["", "mark", "network", "average", "static", "anywhere", "remembered"]


@dataclass(frozen=True, kw_only=True)
class Settled:
    """What the crew has settled of a set-up; everything may still be open.

    `point_name` names a new point where the base stands on no mark of the list.  `evidence_id` is the earlier coordinate,
    average or shot that the coordinate is taken from.  `caster_frame` is the frame that a network's caster sends in where it is
    not the job's, with its epoch, and `caster_operation` what leads into the job's by name.
    """

    mark_id: str | None = None
    point_name: str = ""
    source: Source = ""
    evidence_id: str | None = None
    station_id: int | None = None
    base_url: str | None = None
    rover_url: str | None = None
    receiver_url: str | None = None
    refers_to: str | None = None
    caster_frame: str = ""
    caster_epoch: str = ""
    caster_operation: str = ""
