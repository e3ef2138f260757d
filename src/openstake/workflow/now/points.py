"""Shots to coordinates: rows of the store in, `core/vector.py` does the rest.  Nothing derived is stored."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from openstake.core.errors import InputError
from openstake.core.evidence import Epoch, RefersTo, Status
from openstake.core.vector import (
    lifted,
    lowering_to_mark_m,
    mean_vector,
    rover_mark_ecef,
    vectors_from_positions,
)
from openstake.store.models import BaseCoordinate, HeightReading, Reference, Shot, ShotEpoch
from openstake.workflow.context import JobNow, base_coordinate_of
from openstake.workflow.now.epochs import epoch_of_columns
from openstake.workflow.now.heights import BaseHeight, base_height_of


@dataclass(frozen=True)
class Point:
    """A shot's coordinate as derived now: grid metres and ellipsoidal height, with the ids it rests on."""

    east_m: float
    north_m: float
    height_m: float
    not_fixed: int
    epochs: int
    virtual: bool
    base_height: BaseHeight
    rover_height: HeightReading
    base_coordinate_id: str
    inputs_changed_s: float  # when the youngest of its inputs was written


def shot_vectors(epochs: list[Epoch], reference: Reference) -> NDArray[np.float64]:
    """Return the vectors of a shot's epochs from its base reference, shape (n, 3)."""
    positions = [(epoch.latitude_deg, epoch.longitude_deg, epoch.height_m) for epoch in epochs]
    if not positions or any(None in position for position in positions):
        raise InputError("An epoch without a position cannot be part of a shot.")
    latitude, longitude, height = np.array(positions, dtype=float).T
    return vectors_from_positions(latitude, longitude, height, (reference.x_m, reference.y_m, reference.z_m))


def derive(session: Session, job: JobNow, shot: Shot, instead: BaseCoordinate | None = None) -> Point:
    """Return a shot's point from what is current: base coordinate, base height, rover height.

    `instead` is a coordinate to try in place of the base's current one.
    """
    rows: list[Any] = list(session.scalars(select(ShotEpoch).where(ShotEpoch.shot_id == shot.id).order_by(ShotEpoch.n)))
    epochs = [epoch_of_columns(row) for row in rows]
    reference = session.get_one(Reference, shot.reference_id)
    rover_height = session.get_one(HeightReading, shot.height_reading_id)
    base_height = base_height_of(session, shot.occupation_id)
    coordinate = instead or base_coordinate_of(session, shot.occupation_id)
    vector = mean_vector(shot_vectors(epochs, reference))
    refers_to = RefersTo(shot.refers_to)
    if reference.virtual:
        # A virtual base gives a position, not a vector of ours: our base's coordinate does not move it.
        position = np.array([reference.x_m, reference.y_m, reference.z_m]) + vector
        xyz = lifted(position, -lowering_to_mark_m(refers_to, rover_height.arp_height_m, shot.arp_to_apc_m))
    else:
        xyz = rover_mark_ecef(
            (coordinate.x_m, coordinate.y_m, coordinate.z_m), base_height.arp_height_m, vector, refers_to,
            rover_height.arp_height_m, shot.arp_to_apc_m,
        )  # fmt: skip
    east, north, height = (float(value) for value in job.frame.grid_from_ecef(xyz))
    return Point(
        east, north, height, sum(epoch.status is not Status.FIXED for epoch in epochs), len(epochs), reference.virtual,
        base_height, rover_height, coordinate.id, max(base_height.changed_s, coordinate.created_s, rover_height.created_s),
    )  # fmt: skip
