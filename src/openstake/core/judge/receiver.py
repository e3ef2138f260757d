"""Rules on the base's own position: does it stand where it is meant to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from openstake.core.evidence import Epoch, Status
from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.geodesy.local import enu_from_ecef_difference
from openstake.core.judge.base import MeantBase
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import ANOTHER_COUNTRY_M, PLAUSIBLE_M, VERTICAL_TO_HORIZONTAL
from openstake.core.units import text_from_metres

_MANUAL = 7


def judge_receiver(base: MeantBase, epochs: Sequence[Epoch], has_feed: bool) -> list[Finding]:
    """Return what the base's own NMEA says of where it stands; `epochs` are its last ones.

    A receiver that reports a typed position (quality 7) says what is in it, not where it is.
    """
    known = [epoch for epoch in epochs if epoch.latitude_deg is not None and epoch.height_m is not None]
    if not known:
        why = "Its NMEA is connected and silent." if has_feed else "No address of its own NMEA is given."
        return [
            finding(
                "base-receiver-not-heard",
                Severity.NOTE,
                "The base's own position is not heard: whether it stands on this mark is unchecked here.",
                why,
                "Give the address of the base receiver's NMEA, or check a mark before any work.",
            )
        ]
    latest = known[-1]
    found = [_status(latest)]
    difference = _difference_m(base, known)
    flat, up = float(np.hypot(difference[0], difference[1])), float(difference[2])
    limit = PLAUSIBLE_M.get(latest.status, 10.0)
    if flat > limit or abs(up) > VERTICAL_TO_HORIZONTAL * limit:
        found.insert(0, _elsewhere(base, known, latest, flat, up, limit))
    return found


def _difference_m(base: MeantBase, epochs: Sequence[Epoch]) -> np.ndarray:
    """Return the median of the receiver's positions − the meant ARP, east, north, up in metres."""
    places = ecef_from_geodetic(
        [epoch.latitude_deg or 0.0 for epoch in epochs],
        [epoch.longitude_deg or 0.0 for epoch in epochs],
        [epoch.height_m or 0.0 for epoch in epochs],
    )
    latitude, longitude, _ = geodetic_from_ecef(base.arp_m)
    enu = enu_from_ecef_difference(places - np.array(base.arp_m), float(latitude), float(longitude))
    return np.asarray(np.median(enu, axis=0))


def _elsewhere(base: MeantBase, epochs: Sequence[Epoch], latest: Epoch, flat: float, up: float, limit: float) -> Finding:
    place = np.array(base.arp_m)
    latitude, longitude, _ = geodetic_from_ecef(base.arp_m)
    here = np.median(
        ecef_from_geodetic(
            [epoch.latitude_deg or 0.0 for epoch in epochs],
            [epoch.longitude_deg or 0.0 for epoch in epochs],
            [epoch.height_m or 0.0 for epoch in epochs],
        ),
        axis=0,
    )
    near = [
        mark.name
        for mark in base.other_marks
        if np.hypot(*enu_from_ecef_difference(np.array(mark.xyz_m) - here, float(latitude), float(longitude))[:2]) <= limit
    ]
    if near:
        cause = f"It stands at {' or '.join(near)}, and this mark's coordinate is in it."
    elif flat <= limit:
        cause = "Only the height is off: an elevation in place of an ellipsoidal height, or feet for metres."
    elif flat > ANOTHER_COUNTRY_M:
        cause = "A sign, a zone or a unit is wrong in the coordinate that is meant: the receiver itself is in another country."
    else:
        cause = "It was moved, or it started by itself with the coordinate it remembers from another place."
    distance_m = float(np.linalg.norm(here - place))
    return finding(
        "base-receiver-far",
        Severity.STOP,
        f"The base's receiver sees itself {text_from_metres(flat, base.unit)} beside and {text_from_metres(abs(up), base.unit)} "
        f"{'above' if up >= 0 else 'below'} where it is meant to stand; a {latest.status} position is good to about {limit:g} m.",
        cause,
        "Look at which mark is under the tripod before anything is measured.",
        horizontal_m=round(flat, 2),
        up_m=round(up, 2),
        distance_m=round(distance_m, 2),
    )


def _status(epoch: Epoch) -> Finding:
    if epoch.quality == _MANUAL:
        sentence = "The base reports a typed position (quality 7): right for a base, and no check of where it stands."
        cause = "It is the one that knows where it is, so it computes nothing."
        action = "Check a mark before any work."
    elif epoch.status in (Status.FIXED, Status.FLOAT):
        sentence = f"The base reports {epoch.status}: it is itself fed corrections."
        cause = "Its receiver listens to a network or another base."
        action = "Good as a check of the mark. Do not let it send what it hears."
    else:
        sentence = f"The base reports {epoch.status}: right for a base, which does not show fixed."
        cause = "Nothing corrects it; it corrects others."
        action = "Nothing to do."
    return finding("base-status-normal", Severity.NOTE, sentence, cause, action, quality=epoch.quality)
