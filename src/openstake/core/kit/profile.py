"""A profile: how one end (base, rover or network rover) is to be set.  `Link` is what two ends must agree in."""

from __future__ import annotations

from dataclasses import dataclass

from openstake.core.describe import described
from openstake.core.kit.gear import CONSTELLATIONS
from openstake.core.link.agree import LINK_KINDS, kinds_that_need

ROLES = {"base": "Base", "rover": "Rover", "network-rover": "Network rover"}
_BASE, _ROVER = ("role", ("base",)), ("role", ("rover", "network-rover"))
_WIRED = ("kind", ("uhf", "spread-spectrum", "cable"))


def _needed(field: str) -> tuple[str, tuple[str, ...]]:
    return "kind", kinds_that_need(field)


@dataclass(frozen=True, kw_only=True)
class Caster:
    """A mountpoint on a caster; the user and the password are not part of a profile."""

    host: str = described("Host", "text")
    port: int = described("Port", "count", default=2101, least=1, most=65535)
    mountpoint: str = described("Mountpoint", "text")


@dataclass(frozen=True)
class Serial:
    """The cable between receiver and radio at one end: both baud rates must be equal, or nothing arrives."""

    receiver_baud: int = described("Receiver", "count", unit="baud", least=300, most=4_000_000)
    radio_baud: int = described("Radio", "count", unit="baud", least=300, most=4_000_000)


@dataclass(frozen=True, kw_only=True)
class Link:
    """What two ends must agree in.  What a kind of link does not have is left empty."""

    kind: str = described("Kind", "choice", options=tuple(LINK_KINDS), words=LINK_KINDS)
    frequency_mhz: float | None = described("Frequency", "number", unit="MHz", optional=True, least=0.0, used_with=_needed("frequency_mhz"))
    channel_spacing_khz: float | None = described(
        "Channel spacing", "number", unit="kHz", optional=True, least=0.0, used_with=_needed("channel_spacing_khz")
    )
    modulation: str | None = described("Modulation", "text", optional=True, used_with=_needed("modulation"))
    protocol: str | None = described("Protocol", "text", optional=True, used_with=_needed("protocol"))
    fec: bool | None = described("Forward error correction", "flag", optional=True, used_with=_needed("fec"))
    air_rate_bps: float | None = described(
        "Air data rate", "number", unit="bit/s", optional=True, least=0.0, used_with=_needed("air_rate_bps")
    )
    format: str = described("Correction format", "text", default="RTCM 3 MSM")
    station_id: int | None = described("Station ID", "count", optional=True, least=0, most=4095)
    caster: Caster | None = described("Caster", "group", optional=True, used_with=_needed("caster.host"))
    serial: Serial | None = described("Serial cable", "group", optional=True, used_with=_WIRED)


@dataclass(frozen=True)
class Message:
    """One message sent and how often."""

    number: int = described("Message", "count", least=1, most=4095)
    interval_s: float = described("Every", "number", unit="s", least=0.05, most=3600.0)


@dataclass(frozen=True)
class Transmitter:
    """What only the sending end sets."""

    power_w: float = described("Transmit power", "number", unit="W", least=0.0, most=100.0)
    antenna_gain_dbi: float = described("Radio antenna gain", "number", unit="dBi", default=2.15, least=-20.0, most=30.0)
    antenna_height_m: float = described("Radio antenna height", "length", default=2.0, least=0.0, most=100.0)


@dataclass(frozen=True)
class Logging:
    """Raw data kept at this end."""

    enabled: bool = described("Log raw data", "flag", default=False)
    interval_s: float = described("Every", "number", unit="s", default=5.0, least=0.05, most=3600.0)


@dataclass(frozen=True, kw_only=True)
class Profile:
    """How one end is set.  Gear is named as the kit names it."""

    name: str = described("Name", "text")
    role: str = described("Role", "choice", options=tuple(ROLES), words=ROLES)
    link: Link = described("Link", "group")
    receiver: str = described("Receiver", "text", default="")
    antenna: str = described("Antenna", "text", default="")
    pole: str = described("Pole or tripod", "text", default="")
    radio: str = described("Radio", "text", default="")
    battery: str = described("Battery", "text", default="")
    caster_account: str = described("Caster account", "text", default="", used_with=("role", ("network-rover",)))
    constellations: tuple[str, ...] = described(
        "Constellations", "list", options=CONSTELLATIONS, default=("GPS", "GLONASS", "Galileo", "BeiDou")
    )
    elevation_mask_deg: float = described(
        "Elevation mask", "number", unit="degrees", default=10.0, least=0.0, most=60.0, hint="10 is usual (common practice)."
    )
    rate_hz: float = described("Rate", "number", unit="Hz", default=1.0, least=0.01, most=100.0)
    motion: str = described("Motion", "choice", options=("static", "kinematic"), default="kinematic")
    tilt: bool = described("Tilt compensation", "flag", default=False, hint="Off for control: level the pole.")
    formats_read: tuple[str, ...] = described(
        "Formats it can read", "list", default=("RTCM 3 MSM", "RTCM 3 legacy"), hint="What it does not read it ignores.", used_with=_ROVER
    )
    messages: tuple[Message, ...] = described("Messages sent", "table", default=(), used_with=_BASE)
    logging: Logging = described("Logging", "group", factory=Logging)
    transmitter: Transmitter | None = described("Transmitter", "group", optional=True, used_with=_BASE)


_UHF = Link(
    kind="uhf",
    frequency_mhz=461.025,
    channel_spacing_khz=12.5,
    modulation="GMSK",
    protocol="transparent",
    fec=True,
    air_rate_bps=9600.0,
    format="RTCM 3 MSM",
    station_id=17,
    caster=None,
    serial=Serial(38_400, 38_400),
)
# All of the constellations every second, the position and the descriptors every ten (common practice).
_MESSAGES = tuple(Message(number, 1.0) for number in (1074, 1084, 1094, 1124)) + tuple(
    Message(number, 10.0) for number in (1006, 1008, 1033, 1230)
)


def example(role: str) -> Profile:
    """Return an invented profile; the base and the rover are a matching pair on UHF."""
    if role == "base":
        return Profile(
            name="Example base",
            role="base",
            link=_UHF,
            receiver="Base receiver",
            antenna="Base antenna",
            pole="Tripod",
            radio="Mast radio",
            battery="Radio battery",
            motion="static",
            messages=_MESSAGES,
            logging=Logging(True, 5.0),
            transmitter=Transmitter(2.0, 2.15, 4.0),
        )
    if role == "rover":
        return Profile(
            name="Example rover",
            role="rover",
            link=_UHF,
            receiver="Rover receiver",
            antenna="Rover antenna",
            pole="Fixed pole",
            radio="Rover radio",
        )
    caster = Caster(host="caster.example", port=2101, mountpoint="NEAR1")
    return Profile(
        name="Example network rover",
        role="network-rover",
        link=Link(kind="internet", protocol="NTRIP 2", caster=caster),
        receiver="Rover receiver",
        antenna="Rover antenna",
        pole="Fixed pole",
        caster_account="Practice account",
    )
