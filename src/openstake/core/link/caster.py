"""A mountpoint judged: how far its base is, whether it needs a position sent up, what came from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from openstake.core.evidence import StationReference
from openstake.core.geodesy.distance import geodesic_m
from openstake.core.geodesy.ellipsoid import geodetic_from_ecef
from openstake.core.judge.finding import Finding, Severity, finding_at
from openstake.core.limits import BASE_FAR_KM, BASE_TOO_FAR_KM


def distance_km(from_deg: tuple[float, float], to_deg: tuple[float, float]) -> float:
    """Return the geodesic between two places (latitude, longitude in degrees) on WGS 84, in km."""
    return geodesic_m(from_deg, to_deg) / 1000.0


@dataclass(frozen=True, kw_only=True)
class MountpointEvidence:
    """What is known of a mountpoint after listening to it.  `distance_km` by its decoded position, else by the table."""

    name: str
    connected: bool
    frames: int
    received_bytes: int
    gga_sent: int
    needs_gga: bool
    network: bool
    distance_km: float | None
    stations: Sequence[StationReference]


def judge_mountpoint(evidence: MountpointEvidence) -> list[Finding]:
    """Return what is to be said of a mountpoint."""
    found = []
    name = evidence.name
    if evidence.connected and not evidence.frames and not evidence.received_bytes:
        if evidence.needs_gga and not evidence.gga_sent:
            found.append(
                finding_at(
                    "caster.mountpoint",
                    "position-not-sent",
                    Severity.STOP,
                    f"{name} is virtual and was silent: it needs the rover's position sent up, and none was.",
                    "A virtual base is computed for a place; without GGA the caster does not know which.",
                    "Let the rover send GGA every few seconds.",
                )
            )
        else:
            found.append(
                finding_at(
                    "caster.mountpoint",
                    "mountpoint-silent",
                    Severity.STOP,
                    f"Connected to {name}, and nothing arrived: connected and sending are two different lights.",
                    "The base is not sending, or has no satellites yet.",
                    "Look at the base, then test again.",
                )
            )
    virtual = any(station.virtual for station in evidence.stations)
    far = evidence.distance_km
    if far is not None and far > BASE_FAR_KM and not virtual and not evidence.network:
        found.append(
            finding_at(
                "caster.mountpoint",
                "mountpoint-far",
                Severity.STOP if far > BASE_TOO_FAR_KM else Severity.LOOK,
                f"The base of {name} is {far:.0f} km away. A single base serves to about {BASE_FAR_KM:.0f} to {BASE_TOO_FAR_KM:.0f} km.",
                "Beyond, the atmosphere differs at the two ends: accuracy and time to fix degrade.",
                "Pick a nearer mountpoint, a network one, or set up your own base.",
                distance_km=round(far, 1),
            )
        )
    if virtual:
        found.append(
            finding_at(
                "caster.mountpoint",
                "virtual-station",
                Severity.NOTE,
                f"{name} sends a computed base near the position given: it gives a position, not a vector from your own base.",
                "It is a network solution.",
                "Use it for positions; a base of your own gives vectors.",
            )
        )
    return found


def position_of(station: StationReference) -> tuple[float, float]:
    """Return a station's latitude and longitude in degrees."""
    latitude, longitude, _ = geodetic_from_ecef((station.x_m, station.y_m, station.z_m))
    return float(latitude), float(longitude)
