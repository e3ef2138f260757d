"""Rules on the rover live: which base it hears, and how old its corrections are."""

from __future__ import annotations

from openstake.core.evidence import Epoch
from openstake.core.judge.finding import Finding, Severity, finding
from openstake.core.limits import LARGEST_GGA_STATION_ID, OLD_AGE_S


def judge_rover(epoch: Epoch, meant_station_id: int) -> list[Finding]:
    """Return what an epoch says of the link; a base whose ID does not fit GGA cannot be told apart."""
    found = []
    heard = epoch.station_id
    if heard is not None and heard != meant_station_id <= LARGEST_GGA_STATION_ID:
        found.append(
            finding(
                "rover-hears-another-base",
                Severity.STOP,
                f"The rover uses station {heard}; this job's base is station {meant_station_id}.",
                "It listens to another base on the channel or another mountpoint, or the base's ID was typed differently.",
                "Look at channel and mountpoint at the rover, and at the station ID in the base.",
                heard=heard,
                meant=meant_station_id,
            )
        )
    if epoch.age_s is not None and epoch.age_s > OLD_AGE_S:
        found.append(
            finding(
                "correction-age-high",
                Severity.LOOK,
                f"The corrections are {epoch.age_s:.0f} s old; 1 to 2 s is good, 10 s is the end of a link.",
                "The radio is at its range, the network dropped, or the base stopped.",
                "Raise the base's radio antenna, or look whether the base still runs.",
                age_s=epoch.age_s,
            )
        )
    return found
