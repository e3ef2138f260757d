"""What devices say and people type, as values: the evidence on which every judgement rests."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from openstake.core.sigmas import Sigmas, sigmas_of_ellipse


class Status(StrEnum):
    """What a rover says of its solution, from the GGA quality field (NMEA 0183)."""

    NONE = "none"
    SINGLE = "single"
    DGPS = "dgps"
    FLOAT = "float"
    FIXED = "fixed"
    OTHER = "other"


STATUS_BY_GGA_QUALITY = {0: Status.NONE, 1: Status.SINGLE, 2: Status.DGPS, 4: Status.FIXED, 5: Status.FLOAT}


class RefersTo(StrEnum):
    """The point on the pole that a receiver's position means; declared per session."""

    APC = "apc"
    ARP = "arp"
    MARK = "mark"


@dataclass(frozen=True, slots=True, kw_only=True)
class Epoch:
    """One epoch of a receiver as it was received; texts are kept as sent.

    Time of day is UTC seconds; the date only where RMC or ZDA gave one.  Sigmas are the receiver's claim (GST),
    one sigma in metres; the ellipse's orientation is that of its major axis, degrees from true north.  Unknown values are None.
    """

    time_of_day_s: float | None
    date: date | None
    quality: int
    latitude_text: str
    longitude_text: str
    latitude_deg: float | None
    longitude_deg: float | None
    altitude_m: float | None
    separation_m: float | None
    satellites: int | None
    hdop: float | None
    age_s: float | None
    station_id: int | None
    sigma_east_m: float | None = None
    sigma_north_m: float | None = None
    sigma_up_m: float | None = None
    pdop: float | None = None
    vdop: float | None = None
    sigma_major_m: float | None = None
    sigma_minor_m: float | None = None
    orientation_deg: float | None = None
    speed_mps: float | None = None  # over ground, from VTG or RMC
    course_deg: float | None = None  # true north, clockwise

    @property
    def status(self) -> Status:
        return STATUS_BY_GGA_QUALITY.get(self.quality, Status.OTHER)

    @property
    def height_m(self) -> float | None:
        """Ellipsoidal height: GGA altitude + geoid separation, both as the receiver used them."""
        if self.altitude_m is None or self.separation_m is None:
            return None
        return self.altitude_m + self.separation_m

    @property
    def claim(self) -> Sigmas | None:
        """The receiver's claim about true north: of its ellipse where it sends one; None where it claims nothing."""
        if self.sigma_up_m is None:
            return None
        if self.sigma_major_m is not None and self.sigma_minor_m is not None and self.orientation_deg is not None:
            return sigmas_of_ellipse(self.sigma_major_m, self.sigma_minor_m, self.orientation_deg, self.sigma_up_m)
        if self.sigma_east_m is None or self.sigma_north_m is None:
            return None
        return Sigmas(east_m=self.sigma_east_m, north_m=self.sigma_north_m, up_m=self.sigma_up_m)


@dataclass(frozen=True, slots=True, kw_only=True)
class StationReference:
    """A base position decoded from RTCM 1005 or 1006: the ARP, Earth-centred, in metres.

    `antenna_height_m` is None for a 1005, which has no such field.  `virtual` is DF141.  The rest is carried so that a
    message is written as it was read: `services` is DF022 to DF024 (GPS, GLONASS, Galileo, one bit each), the others
    are DF021, DF142 and DF364.
    """

    station_id: int
    x_m: float
    y_m: float
    z_m: float
    antenna_height_m: float | None
    virtual: bool
    services: int = 0b111
    realisation_year: int = 0
    single_oscillator: int = 0
    quarter_cycle: int = 0

    @property
    def xyz_m(self) -> tuple[float, float, float]:
        return (self.x_m, self.y_m, self.z_m)

    def contradicts(self, other: StationReference) -> bool:
        """Tell whether two messages of one station say different things: another place, or heights that both state.

        A base may send 1005 and 1006: that one of them states no height is no change.
        """
        heights = (self.antenna_height_m, other.antenna_height_m)
        return (self.station_id, self.xyz_m, self.virtual) != (other.station_id, other.xyz_m, other.virtual) or (
            None not in heights and heights[0] != heights[1]
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class ObservableSet:
    """How much one message of observables holds: what a rover can difference."""

    constellation: str
    form: str
    satellites: int
    cells: int
    time_s: float | None  # GPS seconds: of the week, or of the day where the message has no more


@dataclass(frozen=True, slots=True, kw_only=True)
class HeardMessage:
    """One message number of a live stream: how often it comes, None while that is not known.

    `recent` epochs of it came within the last `window_s`, by the stream's own clock.
    """

    number: int
    interval_s: float | None
    count: int
    recent: int = 0
    window_s: float = 0.0


@dataclass(frozen=True, slots=True)
class HeardStream:
    """What a base's stream holds now: since when by its own clock, its messages, its satellites by constellation."""

    span_s: float
    messages: tuple[HeardMessage, ...]
    satellites: dict[str, frozenset[int]]


@dataclass(frozen=True, slots=True, kw_only=True)
class InView:
    """A satellite that a receiver lists: number in its constellation, degrees, signal strength (C/N0; None: no signal).

    `used`: by its solution (GSA); None where the receiver does not say.
    """

    constellation: str
    number: int
    elevation_deg: float
    azimuth_deg: float
    cnr_dbhz: float | None = None
    used: bool | None = None

    @property
    def key(self) -> tuple[str, int]:
        return self.constellation, self.number
